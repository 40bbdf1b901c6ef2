"""The search for places as it was before place/search.py, kept to be compared with."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.wanted import Wanted
from notcher.score.note import LEGATO, Attack, struck_together
from notcher.score.pitch import fret_gap
from notcher.score.tuning import Tuning

_PASSAGE_REST = 1.2
IMPOSSIBLE = 1e6
_UNLIKELY = 40.0
_LAST_POSITION = 20
_SCALE_MM = 648.0
"""Scale length for stretches: 25.5 inches, a common one."""


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
    return cost


def _bend_cost(cents: int, string: int, fret: int, position: int | None) -> float:
    finger = min(4, fret - position + 1) if position is not None else 3
    weak = {1: 2.2, 2: 0.7, 3: 0.0, 4: 1.2}[finger] if cents > 100 else {1: 0.5, 2: 0.1, 3: 0.0, 4: 0.5}[finger]
    if cents <= 50:
        weak *= 0.3
    thick = {1: 0.5, 2: 0.0, 3: 0.0, 4: 1.2, 5: 2.4, 6: 3.0}.get(string, 3.0) * min(1.0, cents / 200)
    # Near the nut the same interval needs more force at the finger (common practice, no source).
    near_nut = (0.25 * max(0, 6 - fret) + 0.1 * max(0, 12 - fret)) * cents / 200
    return weak + thick + near_nut


def transition_costs(a: States, b: States, before: Wanted, after: Wanted) -> NDArray[np.float64]:
    """What it costs to go from each way of the first note to each way of the next; shape (n_a, n_b)."""
    string_steps = np.abs(a.string[:, None] - b.string[None, :])
    shift = np.abs(a.position[:, None] - b.position[None, :]).astype(float)
    together = struck_together(before.onset, after.onset)
    if together:
        return np.where(string_steps == 0, IMPOSSIBLE, 4.0 * shift + 0.1 * (string_steps - 1))
    rest = max(0.0, after.onset - before.end)
    ease = 1.0 / (1.0 + 1.5 * (after.onset - before.onset) + 3.0 * rest)
    if after.attack is Attack.SLIDE and after.onset - before.end < 0.1:
        cost = 0.15 * shift
    else:
        cost = np.where(shift > 0, 0.9 + 0.32 * np.minimum(shift, 9.0), 0.0) * ease
    cost = cost + 0.16 * np.maximum(0, string_steps - 1) + 0.05 * (string_steps > 0)
    legato = after.attack in LEGATO and after.onset - before.end < 0.1
    same_pull = before.attack is Attack.TAP and after.attack is Attack.PULL
    if legato or same_pull:
        cost = cost + np.where(string_steps > 0, _UNLIKELY, 0.0)
    again = before.pitch == after.pitch
    if again:
        cost = cost + np.where((string_steps > 0) | (a.fret[:, None] != b.fret[None, :]), 1.2, 0.0)
    return np.asarray(cost, dtype=np.float64)


@dataclass(frozen=True, slots=True)
class Placed:
    """A place: string, fret, and the hand's position (fret of the first finger)."""

    string: int
    fret: int
    position: int

    @property
    def finger(self) -> int:
        """1 to 4, or 0 for an open string or a tap far from the hand."""
        offset = self.fret - self.position + 1
        return min(4, offset) if self.fret and 1 <= offset <= 6 else 0


def place(wanted: Sequence[Wanted], tuning: Tuning) -> list[Placed]:
    """Find a place for every note, in time order, by dynamic programming (Viterbi 1967) over the hand's states.

    Pitches outside the neck are put an octave or more into it. Raises nothing for a legato that no string can hold; it
    is only very dear.
    """
    if not wanted:
        return []
    columns = [states_for(w, w.places(tuning)) for w in wanted]
    best = columns[0].cost
    back: list[np.ndarray] = []
    for i in range(1, len(columns)):
        total = best[:, None] + transition_costs(columns[i - 1], columns[i], wanted[i - 1], wanted[i])
        if i >= 2 and all(struck_together(wanted[i - k].onset, wanted[i].onset) for k in (1, 2)):
            total = total + _third_voice(columns, back, i)
        back.append(np.argmin(total, axis=0))
        best = np.min(total, axis=0) + columns[i].cost
    k = int(np.argmin(best))
    path = [k]
    for pointers in reversed(back):
        k = int(pointers[k])
        path.append(k)
    path.reverse()
    return [Placed(int(c.string[k]), int(c.fret[k]), int(c.position[k])) for c, k in zip(columns, path, strict=True)]


def _third_voice(columns: list[States], back: list[np.ndarray], i: int) -> np.ndarray:
    """Keeps the third of three notes struck together off the first one's string."""
    first = columns[i - 2].string[back[-1]]
    return np.where(first[:, None] == columns[i].string[None, :], 1e5, 0.0)


def old_search(wanted: Sequence[Wanted], tuning: Tuning) -> list[tuple[int, int]]:
    """String and fret of every note, each passage from rest to rest as it was."""
    out: list[tuple[int, int]] = []
    rest: list[Wanted] = []
    for w in [*wanted, None]:
        if rest and (w is None or w.onset - rest[-1].end > _PASSAGE_REST):
            out += [(p.string, p.fret) for p in place(rest, tuning)]
            rest = []
        if w is not None:
            rest.append(w)
    return out
