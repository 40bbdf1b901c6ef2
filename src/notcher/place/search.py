"""The one search for places: the whole solo at once, forward and backward over every way to play every strike.

For each note the likeliest place is taken, positions summed (posterior decoding, after Bahl and others 1974), which
agrees with instructors more often than the single best way. What the solo does elsewhere with the same pitch counts as
memory; what is settled is fixed in all of this.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.columns import column, strikes
from notcher.place.steps import Between, Steps, region
from notcher.place.wanted import Wanted
from notcher.place.weights import at, fitted
from notcher.score.tuning import Tuning

Place = tuple[int, int]
_PASSES = 2
# Of the logarithm of a place's share among all places of its pitch: in other phrases, more once some are confirmed, and
# around the note within its own.
_ELSEWHERE, _ELSEWHERE_CONFIRMED, _NEAR = 0.3, 0.4, 0.3
_NEAR_NOTES, _NEAR_FADES = 10, 0.8
_SMOOTH_ELSEWHERE, _SMOOTH_NEAR = 1.0, 0.5
_CONFIRMED_COUNTS = 2.0


@dataclass(frozen=True, slots=True)
class Found:
    """A note's place, the position of the hand, and how likely that place is against the others, 0 to 1."""

    string: int
    fret: int
    position: int
    sure: float


class Lattice:
    """Every way to play some notes, and what all of it is worth under the weights."""

    def __init__(self, wanted: Sequence[Wanted], tuning: Tuning, weights: NDArray[np.float64] | None = None) -> None:
        self.wanted, self.tuning = wanted, tuning
        self._weights = fitted() if weights is None else weights
        self.groups = strikes(wanted)
        self.columns = [column([wanted[i] for i in g], tuning) for g in self.groups]
        steps = _steps_for(self._weights)
        self.between = [
            Between.of(wanted[a[-1]], wanted[b[0]]) for a, b in itertools.pairwise(self.groups)
        ]  # fmt: skip
        self.steps = [
            steps(a, b, x) for (a, b), x in zip(itertools.pairwise(self.columns), self.between, strict=True)
        ]  # fmt: skip
        self._likely = [np.exp(s - s.max()) for s in self.steps]
        self._choices: list[tuple[Place, ...]] = [()] * len(wanted)
        for group, col in zip(self.groups, self.columns, strict=True):
            for j, i in enumerate(group):
                self._choices[i] = col.choices[j]
        self._own = [c.worth(self._weights) for c in self.columns]
        if self._own:
            self._own[0] = self._own[0] + self._weights[at("first", region(self.columns[0].position))]
        self.memory: list[NDArray[np.float64]] = [np.zeros(len(c.position)) for c in self.columns]

    @property
    def worth(self) -> list[NDArray[np.float64]]:
        """Each strike's ways by themselves, with what is remembered."""
        return [own + more for own, more in zip(self._own, self.memory, strict=True)]

    # -- sums ----------------------------------------------------------------------------------------------------

    def posteriors(self) -> list[NDArray[np.float64]]:
        """How likely each way of each strike is, by forward and backward sums; each adds up to 1."""
        worth = [np.exp(w - w.max()) for w in self.worth]
        steps = self._likely
        forward = [worth[0] / worth[0].sum()]
        for step, own in zip(steps, worth[1:], strict=True):
            ahead = (forward[-1] @ step) * own
            forward.append(ahead / max(ahead.sum(), 1e-300))
        back = np.ones(len(worth[-1]))
        out = [forward[-1]]
        for k in range(len(steps) - 1, -1, -1):
            back = steps[k] @ (worth[k + 1] * back)
            back = back / max(back.sum(), 1e-300)
            both = forward[k] * back
            out.append(both / max(both.sum(), 1e-300))
        return out[::-1]

    def shares(self, posteriors: Sequence[NDArray[np.float64]]) -> list[NDArray[np.float64]]:
        """For each note how likely each of its places is, in the order of its strike's choices."""
        out: list[NDArray[np.float64]] = [np.zeros(0)] * len(self.wanted)
        for group, col, p in zip(self.groups, self.columns, posteriors, strict=True):
            for j, i in enumerate(group):
                out[i] = np.asarray(np.bincount(col.which[:, j], weights=p, minlength=len(col.choices[j])), float)
        return out

    # -- memory --------------------------------------------------------------------------------------------------

    def remember(self, shares: Sequence[NDArray[np.float64]]) -> None:
        """Give places that the same pitch has elsewhere in the solo a share of memory."""
        bonus = self._bonus(shares)
        for k, (group, col) in enumerate(zip(self.groups, self.columns, strict=True)):
            more = np.zeros(len(col.position))
            for j, i in enumerate(group):
                if len(bonus[i]) > 1:
                    more += bonus[i][col.which[:, j]]
            self.memory[k] = more

    def _bonus(self, shares: Sequence[NDArray[np.float64]]) -> list[NDArray[np.float64]]:
        everywhere: dict[int, dict[Place, float]] = {}
        within: dict[tuple[int, int], dict[Place, float]] = {}
        alike: dict[tuple[int, int], list[int]] = {}
        for i, (w, share) in enumerate(zip(self.wanted, shares, strict=True)):
            counts = _CONFIRMED_COUNTS if w.confirmed else 1.0
            alike.setdefault((w.phrase, w.pitch), []).append(i)
            for table in (everywhere.setdefault(w.pitch, {}), within.setdefault((w.phrase, w.pitch), {})):
                for place, p in zip(self._choices[i], share.tolist(), strict=True):
                    table[place] = table.get(place, 0.0) + counts * p
        weight = _ELSEWHERE_CONFIRMED if any(w.confirmed for w in self.wanted) else _ELSEWHERE
        out: list[NDArray[np.float64]] = []
        for i, w in enumerate(self.wanted):
            places = self._choices[i]
            if len(places) == 1:
                out.append(np.zeros(1))
                continue
            own, all_ = within[w.phrase, w.pitch], everywhere[w.pitch]
            other = np.array([all_.get(p, 0.0) - own.get(p, 0.0) for p in places])
            near = self._near(i, alike[w.phrase, w.pitch], shares)
            out.append(weight * _log_share(other, _SMOOTH_ELSEWHERE) + _NEAR * _log_share(near, _SMOOTH_NEAR))
        return out

    def _near(self, i: int, alike: Sequence[int], shares: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
        """How much notes of the same pitch around one lie on each of its places, the nearer the more."""
        places = self._choices[i]
        near = np.zeros(len(places))
        for k in alike:
            if k == i or abs(k - i) > _NEAR_NOTES:
                continue
            fades = _NEAR_FADES ** abs(k - i)
            if self._choices[k] == places:
                near += fades * shares[k]
            else:
                theirs = dict(zip(self._choices[k], shares[k].tolist(), strict=True))
                near += fades * np.array([theirs.get(p, 0.0) for p in places])
        return near

    def solve(self) -> list[dict[Place, float]]:
        """For each note how likely each of its places is, with what the solo does elsewhere remembered."""
        shares = self.shares(self.posteriors())
        for _ in range(_PASSES):
            self.remember(shares)
            shares = self.shares(self.posteriors())
        return [dict(zip(c, p.tolist(), strict=True)) for c, p in zip(self._choices, shares, strict=True)]

    def likeliest(self) -> list[int]:
        """For each strike the likeliest way, as the number of its row: places first, positions summed over them."""
        out = []
        for col, p in zip(self.columns, self.posteriors(), strict=True):
            # A number for each joint place.
            joint = np.ravel_multi_index(tuple(col.which.T), tuple(len(c) for c in col.choices))
            sums = np.bincount(joint, weights=p)
            out.append(int(np.argmax(np.where(joint == int(np.argmax(sums)), p, -1.0))))
        return out


_STEPS: dict[int, Steps] = {}


def _steps_for(weights: NDArray[np.float64]) -> Steps:
    """Scores of steps are kept from one search to the next, for the weights in use only."""
    key = id(weights)
    if key not in _STEPS:
        _STEPS.clear()
        _STEPS[key] = Steps(weights)
    return _STEPS[key]


def _log_share(masses: NDArray[np.float64], smooth: float) -> NDArray[np.float64]:
    """Logarithm of each place's smoothed share against an even one."""
    even = len(masses)
    return np.asarray(np.log(even * (masses + smooth) / (masses.sum() + even * smooth)), dtype=np.float64)


def search(wanted: Sequence[Wanted], tuning: Tuning, weights: NDArray[np.float64] | None = None) -> list[Found]:
    """A place for every note, in time order; [] for none.

    Pitches outside the neck are put an octave or more into it. What no hand can hold is placed all the same.
    """
    if not wanted:
        return []
    lattice = Lattice(wanted, tuning, weights)
    shares = lattice.solve()
    rows = lattice.likeliest()
    positions = hand_through(lattice, rows)
    out: list[Found | None] = [None] * len(wanted)
    for group, col, row, position in zip(lattice.groups, lattice.columns, rows, positions, strict=True):
        for j, i in enumerate(group):
            string, fret = int(col.string[row, j]), int(col.fret[row, j])
            out[i] = Found(string, fret, position, round(min(1.0, shares[i][string, fret]), 4))
    return [found for found in out if found is not None]


def hand_through(lattice: Lattice, rows: Sequence[int]) -> list[int]:
    """The hand's positions along the best way through places that are settled, one for each strike."""
    keep = [
        np.flatnonzero((col.string == col.string[row]).all(axis=1) & (col.fret == col.fret[row]).all(axis=1))
        for col, row in zip(lattice.columns, rows, strict=True)
    ]
    worth = [w[k] for w, k in zip(lattice.worth, keep, strict=True)]
    steps = [s[np.ix_(a, b)] for s, (a, b) in zip(lattice.steps, itertools.pairwise(keep), strict=True)]
    path = best_path(worth, steps)
    return [int(col.position[k[i]]) for col, k, i in zip(lattice.columns, keep, path, strict=True)]


def best_path(worth: Sequence[NDArray[np.float64]], steps: Sequence[NDArray[np.float64]]) -> list[int]:
    """The single best way: numbers of ways, one for each strike (Viterbi 1967)."""
    best, back = worth[0], []
    for step, own in zip(steps, worth[1:], strict=True):
        total = best[:, None] + step
        back.append(np.argmax(total, axis=0))
        best = total.max(axis=0) + own
    path = [int(np.argmax(best))]
    for pointers in reversed(back):
        path.append(int(pointers[path[-1]]))
    return path[::-1]
