"""The points on which an onset may be written: every part of every group of every beat near it, as columns."""

import functools
import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit

TUPLETS, TUPLETS_OF_THREES = frozenset({3, 5, 6, 7}), frozenset({5, 7})
OVER_TWO = 3
"""Into how many two beats together may be."""
# Costs are in nats; the hand's uncertainty was chosen on generated bars.
_HAND_S, _FARTHEST_S, _WORST = 0.017, 0.12, 14.0


@dataclass(frozen=True, eq=False)
class States:
    """The places one onset may have, as columns of one length."""

    start: NDArray[np.float64]
    division: NDArray[np.int64]
    group: NDArray[np.int64]
    span: NDArray[np.int64]
    slot: NDArray[np.int64]
    cost: NDArray[np.float64]


def divisions_of(unit: Unit) -> tuple[int, ...]:
    """Into how many parts one beat may be cut, so that none is shorter than a sixty-fourth or a tuplet of
    thirty-seconds."""
    if unit.in_threes:
        return (1, 3, 6, 2, 4, 12, 5, 7)
    if unit.quarters >= 1:
        return (1, 2, 4, 3, 6, 8, 5, 7)
    return (1, 2, 4, 3, 6, 5, 7) if unit.quarters == Fraction(1, 2) else (1, 2, 4, 3)


def tuplets_of(unit: Unit) -> frozenset[int]:
    """Divisions whose parts are written in a tuplet."""
    return TUPLETS_OF_THREES if unit.in_threes else TUPLETS


def finest_of(unit: Unit) -> int:
    """The most parts that are no tuplet's."""
    return max(set(divisions_of(unit)) - tuplets_of(unit))


@functools.cache
def _template(unit: Unit) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Division, span and slot of every point of every group that begins on one beat."""
    over_two = [] if unit.in_threes else [(OVER_TWO, 2)]
    kinds = [*((d, 1) for d in divisions_of(unit)), *over_two]
    rows = [(d, span, slot) for d, span in kinds for slot in range(d)]
    division, span, slot = (np.array(c) for c in zip(*rows, strict=True))
    return division, span, slot


class Clock:
    """Seconds of written places, many at once: as TempoMap.time_at, with the swing put in."""

    def __init__(self, tempo: TempoMap, swing: float) -> None:
        self._tempo, self._swing = tempo, swing
        self._beats = np.array(tempo.beats)

    def seconds(self, start: NDArray[np.float64], division: NDArray[np.int64]) -> NDArray[np.float64]:
        """start: beats; division: of the groups they lie in; shape (n,)."""
        if self._swing != 0.5:
            off = (division == 2) & (np.abs(start - np.floor(start) - 0.5) < 1e-9)
            start = np.where(off, np.floor(start) + self._swing, start)
        at = np.clip(np.floor(start).astype(int), 0, len(self._beats) - 2)
        return np.asarray(self._beats[at] + (start - at) * (self._beats[at + 1] - self._beats[at]))

    def states(self, time: float, held: Fraction | None) -> States:
        """The places near a time, or the one that is held."""
        beat = math.floor(self._tempo.beat_at(time))
        firsts = (
            np.arange(beat - 2, beat + 2) if held is None else np.arange(math.floor(held) - 1, math.floor(held) + 1)
        )
        template = _template(self._tempo.unit)
        n = len(template[0])
        division, span, slot = (np.tile(c, len(firsts)) for c in template)
        group = np.repeat(firsts, n)
        start = group + slot * span / division
        two = np.repeat([_may_take_two(int(f), self._tempo) for f in firsts], n)
        away = time - self.seconds(start, division)
        fits = (span == 1) | two
        near = fits & (np.abs(start - float(held)) < 1e-6 if held is not None else np.abs(away) <= _FARTHEST_S)
        if not near.any() and held is not None:
            # A place no group has a point for: taken as it is, in the finest parts.
            first = math.floor(held)
            one = np.array([1])
            # The finest that is counted and spelled; what lies after the last stays in its beat.
            finest = finest_of(self._tempo.unit)
            last = min(finest - 1, int((held - first) * finest + Fraction(1, 2)))
            return States(np.array([first + last / finest]), finest * one, first * one, one, last * one, 0.0 * one)
        if not near.any():
            near = fits & (np.abs(away) == np.min(np.abs(away[fits])))
        cost = np.minimum(_WORST, (away / _HAND_S) ** 2 / 2)
        return States(*(c[near] for c in (start, division, group, span, slot, cost)))


def _may_take_two(beat: int, tempo: TempoMap) -> bool:
    """Whether two beats from here may be divided by three: within one bar, from an odd beat of it."""
    bar = tempo.bar_of(beat)
    within = beat - tempo.first_beat_of(bar)
    return within % 2 == 0 and within + 2 <= tempo.beats_in(bar)
