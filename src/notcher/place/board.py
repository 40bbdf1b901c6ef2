"""The part of a neck that a phrase uses, to scale: where along it frets and fingers are."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.score.note import Note
from notcher.score.pitch import fret_distance
from notcher.score.tuning import Tuning

DOTS = {3: 1, 5: 1, 7: 1, 9: 1, 12: 2, 15: 1, 17: 1, 19: 1, 21: 1, 24: 2}
"""Dots by fret, as most necks have them (common practice, no source)."""
# Frets that are shown at least, and beside those in use.
_LEAST_FRETS, _BESIDE = 5, 1


@dataclass(frozen=True, slots=True)
class Board:
    """low, high: the lowest and highest fret that are shown, 0 the open strings. capo: frets are counted from it."""

    low: int
    high: int
    capo: int = 0
    left_handed: bool = False

    @classmethod
    def of(
        cls, notes: Sequence[Note], frets: Sequence[int], tuning: Tuning, *, left_handed: bool = False
    ) -> "Board":  # fmt: skip
        """The frets in use and one beside them, with those that bends sound like. frets: of the notes, in order."""
        held = [f for f in frets if f] or [1]
        goals = [f + n.bend.target_cents / 100 for n, f in zip(notes, frets, strict=True) if n.bend and f]
        low = 0 if 0 in frets else max(0, min(held) - _BESIDE)
        high = max([*held, *(round(g) for g in goals)]) + _BESIDE
        high = min(tuning.highest_fret, max(high, low + _LEAST_FRETS))
        return cls(min(low, max(0, high - _LEAST_FRETS)), high, tuning.capo, left_handed)

    @property
    def first_wire(self) -> int:
        """The wire at which the drawing begins; 0 is the nut, or the capo."""
        return max(0, self.low - 1)

    def share(self, fret: float) -> float:
        """Where a fret's wire is, from 0 at the drawing's left to 1 at its right."""
        a, b, at = (fret_distance(f + self.capo, scale_length=1.0) for f in (self.first_wire, self.high, fret))
        share = (at - a) / (b - a)
        return 1 - share if self.left_handed else share

    def pressed(self, fret: float) -> float:
        """Where a finger presses a fret of 1 or more: behind its wire."""
        return (self.share(fret - 1) + 2 * self.share(fret)) / 3

    def goal(self, note: Note, fret: int) -> float:
        """Where the bent string of a note at a fret sounds like, within the drawing."""
        assert note.bend is not None
        return self.pressed(min(fret + note.bend.target_cents / 100, float(self.high)))

    def dots(self, fret: int) -> int:
        """How many there are at a fret."""
        return DOTS.get(fret + self.capo, 0)
