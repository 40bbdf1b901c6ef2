"""Several places for one phrase, the likeliest first, each clearly another one."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.search import Lattice, Place
from notcher.place.wanted import Wanted
from notcher.score.tuning import Tuning

_LEAST_OTHERWISE = 0.5
# Frets the hand may go farther up and down within an offer than in the likeliest: one that leaves the phrase's reach is
# no place for it.
_FARTHER = 5
# Frets the hand goes up and down within an offer from which that names no position any more.
_NO_POSITION = 7


@dataclass(frozen=True, slots=True)
class Offer:
    """places: of the phrase's notes, in order; positions: of the hand, for each note; score: against other offers."""

    places: tuple[Place, ...]
    positions: tuple[int, ...]
    score: float


def offers(
    wanted: Sequence[Wanted],
    tuning: Tuning,
    phrase: Sequence[int],
    *,
    most: int = 3,
    weights: NDArray[np.float64] | None = None,
) -> list[Offer]:
    """Places for a phrase of a solo, at most so many: through each place of each of its notes the best way, kept where
    it differs from all that are offered before in half or more of the notes. phrase: numbers of its notes. weights:
    shape (SIZE,), of place/weights.py, None for those that ship."""
    if not phrase:
        return []
    lattice = Lattice(wanted, tuning, weights)
    lattice.solve()
    return offered(lattice, phrase, most=most)


def offered(
    lattice: Lattice, phrase: Sequence[int], *, most: int, now: tuple[Place, ...] = ()
) -> list[Offer]:  # fmt: skip
    """As `offers`, of a solo that is solved already. now: where the phrase lies; that is offered first where it is
    given and can be played."""
    inside = set(phrase)
    at = [k for k, group in enumerate(lattice.groups) if group[0] in inside]
    first, last = at[0], at[-1]
    # What the solo does elsewhere is no reason here: another place is what is asked for.
    worth = [w.copy() for w in lattice.own[first : last + 1]]
    worth[0] = worth[0] + lattice.ahead[first] - lattice.ahead[first].max()
    worth[-1] = worth[-1] + lattice.behind[last] - lattice.behind[last].max()
    steps = lattice.steps[first:last]
    ahead, pointers = [worth[0]], []
    for step, own in zip(steps, worth[1:], strict=True):
        total = ahead[-1][:, None] + step
        pointers.append(np.argmax(total, axis=0))
        ahead.append(total.max(axis=0) + own)
    behind, returns = [np.zeros(len(worth[-1]))], []
    for step, own in zip(reversed(steps), reversed(worth[1:]), strict=True):
        total = step + (own + behind[-1])[None, :]
        returns.append(np.argmax(total, axis=1))
        behind.append(total.max(axis=1))
    behind, returns = behind[::-1], returns[::-1]
    candidates: dict[tuple[Place, ...], tuple[float, tuple[int, ...]]] = {}
    for k, column in enumerate(lattice.columns[first : last + 1]):
        through = ahead[k] + behind[k]
        for row in _best_of_each_place(column.string, column.fret, through):
            path = _path(pointers, returns, k, row)
            places, positions = _laid_out(lattice, first, path)
            if places not in candidates or candidates[places][0] < through[row]:
                candidates[places] = float(through[row]), positions
    ordered = sorted(candidates.items(), key=lambda item: (item[0] != now, -item[1][0]))
    chosen: list[Offer] = []
    for places, (score, positions) in ordered:
        if len(chosen) == most:
            break
        if chosen and _reach(positions) > min(_NO_POSITION, _reach(chosen[0].positions) + _FARTHER):
            continue
        if all(_otherwise(places, other.places) for other in chosen):
            chosen.append(Offer(places, positions, score))
    return chosen


def _best_of_each_place(string: NDArray[np.intp], fret: NDArray[np.intp], through: NDArray[np.float64]) -> list[int]:
    """The best row for every place of a strike."""
    best: dict[tuple[int, ...], int] = {}
    for row in np.argsort(-through).tolist():
        best.setdefault((*string[row].tolist(), *fret[row].tolist()), row)
    return list(best.values())


def _path(pointers: Sequence[NDArray[np.intp]], returns: Sequence[NDArray[np.intp]], k: int, row: int) -> list[int]:
    """The best way through a row of one strike: back to the phrase's beginning and on to its end."""
    path = [row]
    for step in reversed(pointers[:k]):
        path.insert(0, int(step[path[0]]))
    for step in returns[k:]:
        path.append(int(step[path[-1]]))
    return path


def _laid_out(lattice: Lattice, first: int, path: Sequence[int]) -> tuple[tuple[Place, ...], tuple[int, ...]]:
    places: dict[int, Place] = {}
    positions: dict[int, int] = {}
    for k, row in enumerate(path, first):
        column = lattice.columns[k]
        for j, i in enumerate(lattice.groups[k]):
            places[i] = int(column.string[row, j]), int(column.fret[row, j])
            positions[i] = int(column.position[row])
    return tuple(places[i] for i in sorted(places)), tuple(positions[i] for i in sorted(positions))


def _reach(positions: Sequence[int]) -> int:
    return max(positions) - min(positions)


def _otherwise(a: Sequence[Place], b: Sequence[Place]) -> bool:
    return sum(p != q for p, q in zip(a, b, strict=True)) >= _LEAST_OTHERWISE * len(a)
