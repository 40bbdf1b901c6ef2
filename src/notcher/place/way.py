"""The way of the hand along a phrase, told ahead: how far each shift is and the time for it, how far it stretches."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from notcher.place.fingers import THUMB, Fingered
from notcher.score.pitch import fret_gap
from notcher.score.tuning import Tuning


@dataclass(frozen=True, slots=True)
class Step:
    """A note as the hand meets it: when it begins, in seconds, its fret, and the hand."""

    onset: float
    fret: int
    hand: Fingered


@dataclass(frozen=True, slots=True)
class Shift:
    """start, end: positions; arrives: number of the note the hand arrives with; mm: how far the first finger goes;
    seconds: from the onset of the last note before that the hand holds to the onset of the first one after."""

    start: int
    end: int
    arrives: int
    mm: float
    seconds: float

    @property
    def frets(self) -> int:
        """How many frets the hand goes, upwards or downwards."""
        return abs(self.end - self.start)


@dataclass(frozen=True, slots=True)
class Stretch:
    """The frets a hand covers without leaving its position, from the lowest to the highest, and how far that is."""

    low: int
    high: int
    mm: float

    @property
    def frets(self) -> int:
        """From one to the other."""
        return self.high - self.low


def off_its_own(step: Step, tuning: Tuning, *, scale_mm: float) -> tuple[int, float]:
    """How far a finger lies from the fret that is its own in the position, in frets (towards the nut below 0) and mm;
    0 for no finger and for the thumb, which has no fret of its own."""
    finger = step.hand.finger
    if not step.fret or finger is None or finger == THUMB:
        return 0, 0.0
    own = step.hand.position + finger - 1
    return step.fret - own, _apart(own, step.fret, tuning, scale_mm)


def shifts(steps: Sequence[Step], tuning: Tuning, *, scale_mm: float) -> list[Shift]:
    """Every change of position, in time order. While open strings ring the hand is free to go."""
    held = [(k, s) for k, s in enumerate(steps) if s.fret and s.hand.finger is not None]
    return [
        Shift(
            a.hand.position, b.hand.position, k, _apart(a.hand.position, b.hand.position, tuning, scale_mm),
            b.onset - a.onset,
        )
        for (_, a), (k, b) in itertools.pairwise(held) if a.hand.position != b.hand.position
    ]  # fmt: skip


def widest(steps: Sequence[Step], tuning: Tuning, *, scale_mm: float) -> Stretch | None:
    """The widest stretch within one position, in mm; None where nothing is fretted."""
    found: list[Stretch] = []
    frets: list[int] = []
    position = None
    for s in steps:
        if not s.fret or s.hand.finger is None:
            continue
        if s.hand.position != position:
            position, frets = s.hand.position, []
        frets.append(s.fret)
        low, high = min(frets), max(frets)
        found.append(Stretch(low, high, _apart(low, high, tuning, scale_mm)))
    return max(found, key=lambda s: s.mm, default=None)


def _apart(low: int, high: int, tuning: Tuning, scale_mm: float) -> float:
    """Between two frets, which are counted from the capo."""
    return fret_gap(low + tuning.capo, high + tuning.capo, scale_length=scale_mm)
