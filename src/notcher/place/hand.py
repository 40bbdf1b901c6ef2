"""What one hand finds easy or hard, as costs.

All weights are common practice, no source: a shift costs about as much as two skipped strings, a whole-step bend wants
the third finger with two behind it, and six frets fit under a hand high on the neck where four fit near the nut.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.score.note import Attack, Note
from notcher.score.pitch import fret_gap

IMPOSSIBLE = 1e6
_UNLIKELY = 40.0
_LAST_POSITION = 20
_SCALE_MM = 648.0
"""Scale length for stretches: 25.5 inches, a common one."""


@dataclass(frozen=True, slots=True)
class Wanted:
    """What the solver must find a place for.

    pitch: MIDI; place: (string, fret) where it is fixed already, else None.
    """

    onset: float
    end: float
    pitch: int
    attack: Attack
    bend_cents: int = 0
    vibrato: bool = False
    place: tuple[int, int] | None = None

    @classmethod
    def of(cls, note: Note, pitch: int, *, fixed: bool) -> "Wanted":
        """What a note of the score wants."""
        return cls(
            note.onset, note.end, pitch, note.attack, note.bend.target_cents if note.bend else 0,
            note.vibrato is not None, (note.string, note.fret) if fixed else None,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class States:
    """All ways to play one note: string, fret and hand position (fret of the first finger), each shape (n,)."""

    string: NDArray[np.int64]
    fret: NDArray[np.int64]
    position: NDArray[np.int64]
    cost: NDArray[np.float64]


def reach(position: int) -> int:
    """How many frets the hand covers from a position: four near the nut, five from the 7th, six from the 12th fret."""
    return 4 if position < 7 else 5 if position < 12 else 6


def states_for(wanted: Wanted, places: list[tuple[int, int]]) -> States:
    """Every place with every position the hand may then be in, and what each costs in itself."""
    rows = []
    for string, fret in places:
        if fret == 0 or wanted.attack is Attack.TAP:
            rows += [(string, fret, p, _own_cost(wanted, string, fret, None)) for p in range(1, _LAST_POSITION + 1)]
            continue
        for position in range(max(1, fret - 5), fret + 1):
            if fret - position < reach(position):
                rows.append((string, fret, position, _own_cost(wanted, string, fret, position)))
    table = np.array(rows, dtype=float)
    return States(table[:, 0].astype(int), table[:, 1].astype(int), table[:, 2].astype(int), table[:, 3])


def _own_cost(wanted: Wanted, string: int, fret: int, position: int | None) -> float:
    # A lead sounds clearer on a thinner string further down than far up a thick one, where frets are also narrow.
    cost = 0.05 * max(0, fret - 12) + 0.12 * max(0, fret - 16)
    if string >= 4:
        cost += 0.09 * max(0, fret - 9)
    if fret == 0:
        if wanted.bend_cents:
            return IMPOSSIBLE
        cost += 1.5 if wanted.vibrato else 0.4
    if wanted.bend_cents:
        cost += _bend_cost(wanted.bend_cents, string, fret, position)
    if position is not None:
        stretch = fret - position - 3
        if stretch > 0:
            # Two frets near the nut are as far as four at the 12th: what counts is the distance (equal temperament).
            cost += 0.03 * fret_gap(position + 3, fret, scale_length=_SCALE_MM) * (1.6 if wanted.bend_cents else 1.0)
    return np.asarray(cost, dtype=np.float64)
