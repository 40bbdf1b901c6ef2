"""The one search for places: the whole solo at once, forward and backward over every way to play every strike.

For each note the likeliest place is taken, positions summed (posterior decoding, after Bahl and others 1974), which
agrees with instructors more often than the single best way. What the solo does elsewhere with the same pitch counts as
memory; what is settled is fixed in all of this.
"""

import functools
import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.columns import Column, column, strikes
from notcher.place.steps import Between, Steps, region
from notcher.place.wanted import Wanted
from notcher.place.weights import at, fitted
from notcher.score.tuning import Tuning

Place = tuple[int, int]
_PASSES = 2
# Of the logarithm of a place's share among all places of its pitch: in other phrases, around the note within its own,
# and among what is confirmed in its own, however far away.
_ELSEWHERE, _NEAR, _CONFIRMED_HERE = 0.3, 0.3, 1.0
_NEAR_NOTES, _NEAR_FADES = 10, 0.8
_SMOOTH_ELSEWHERE, _SMOOTH_NEAR, _SMOOTH_CONFIRMED = 1.0, 0.5, 0.25
_CONFIRMED_COUNTS = 2.0
_LEAST, _MOST_KEPT, _SAME = 1e-300, 8192, 1e-12


@dataclass(frozen=True, slots=True)
class Found:
    """A note's place, the position of the hand, and how likely that place is against the others, 0 to 1."""

    string: int
    fret: int
    position: int
    sure: float


class Lattice:
    """Every way to play some notes, and what all of it is worth under the weights.

    All ways of all strikes stand one after another in flat arrays, and so do all places of all notes: a long solo is
    settled again after every word of the person, and a loop over notes would take most of that time.
    """

    def __init__(self, wanted: Sequence[Wanted], tuning: Tuning, weights: NDArray[np.float64] | None = None) -> None:
        self.wanted, self.tuning = wanted, tuning
        self._weights = fitted() if weights is None else weights
        self.groups = strikes(wanted)
        self.columns = [column([wanted[i] for i in g], tuning) for g in self.groups]
        kept = _kept_for(self._weights)
        self.between = [
            Between.of(wanted[a[-1]], wanted[b[0]]) for a, b in itertools.pairwise(self.groups)
        ]  # fmt: skip
        self.steps = [
            kept.steps(a, b, x) for (a, b), x in zip(itertools.pairwise(self.columns), self.between, strict=True)
        ]  # fmt: skip
        self._likely = [kept.likely(s) for s in self.steps]
        self._choices: list[tuple[Place, ...]] = [()] * len(wanted)
        for group, col in zip(self.groups, self.columns, strict=True):
            for j, i in enumerate(group):
                self._choices[i] = col.choices[j]
        self._rows = np.cumsum([0, *(len(c.position) for c in self.columns)])
        own = [kept.worth(c) for c in self.columns]
        if own:
            own[0] = own[0] + self._weights[at("first", region(self.columns[0].position))]
        self._own = np.concatenate(own) if own else np.zeros(0)
        self._memory = np.zeros(len(self._own))
        self._posteriors = np.zeros(len(self._own))
        self._places = _Places(self.groups, self.columns, self._choices, self._rows)

    @property
    def worth(self) -> list[NDArray[np.float64]]:
        """Each strike's ways by themselves, with what is remembered."""
        return np.split(self._own + self._memory, self._rows[1:-1])

    @functools.cached_property
    def own(self) -> list[NDArray[np.float64]]:
        """Each strike's ways by themselves, with nothing remembered."""
        return np.split(self._own, self._rows[1:-1])

    @functools.cached_property
    def ahead(self) -> list[NDArray[np.float64]]:
        """The best that leads to each way of each strike from the beginning, its own worth left out."""
        out = [np.zeros(len(self.own[0]))] if self.own else []
        for step, own in zip(self.steps, self.own[:-1], strict=True):
            out.append(((own + out[-1])[:, None] + step).max(axis=0))
        return out

    @functools.cached_property
    def behind(self) -> list[NDArray[np.float64]]:
        """The best that follows from each way of each strike to the end, its own worth left out."""
        out = [np.zeros(len(self.own[-1]))] if self.own else []
        for step, own in zip(reversed(self.steps), reversed(self.own[1:]), strict=True):
            out.append((step + (own + out[-1])[None, :]).max(axis=1))
        return out[::-1]

    # -- sums ----------------------------------------------------------------------------------------------------

    def posteriors(self) -> NDArray[np.float64]:
        """How likely each way of each strike is, by forward and backward sums, all strikes one after another; each
        strike's add up to 1."""
        total = self._own + self._memory
        most = np.maximum.reduceat(total, self._rows[:-1])
        flat = np.exp(total - np.repeat(most, np.diff(self._rows)))
        bounds = self._rows.tolist()
        worth = [flat[a:b] for a, b in itertools.pairwise(bounds)]
        steps, out, added = self._likely, np.empty(len(flat)), np.add.reduce
        ahead = worth[0] / worth[0].sum()
        out[: bounds[1]] = ahead
        for k, (step, own) in enumerate(zip(steps, worth[1:], strict=True), 1):
            ahead = (ahead @ step) * own
            ahead /= added(ahead) or _LEAST
            out[bounds[k] : bounds[k + 1]] = ahead
        back = np.ones(len(worth[-1]))
        for k in range(len(steps) - 1, -1, -1):
            back = steps[k] @ (worth[k + 1] * back)
            back /= added(back) or _LEAST
            out[bounds[k] : bounds[k + 1]] *= back
        sums = np.add.reduceat(out, self._rows[:-1])
        return np.asarray(out / np.repeat(np.where(sums > 0, sums, _LEAST), np.diff(self._rows)), np.float64)

    # -- memory --------------------------------------------------------------------------------------------------

    def _remember(self, shares: NDArray[np.float64]) -> None:
        """Give places that the same pitch has elsewhere in the solo a share of memory. shares: of each place of each
        note."""
        p = self._places
        confirmed = np.array([w.confirmed for w in self.wanted])[p.note]
        counted = shares * np.where(confirmed, _CONFIRMED_COUNTS, 1.0)
        everywhere, within = p.memory(self.wanted)
        other = _sums(everywhere, counted)[everywhere] - _sums(within, counted)[within]
        target, source, fades = p.around(self.wanted)
        near = _sums(target, fades * shares[source], len(shares))
        bonus = _ELSEWHERE * p.log_share(other, _SMOOTH_ELSEWHERE) + _NEAR * p.log_share(near, _SMOOTH_NEAR)
        if confirmed.any():
            here = _sums(within, np.where(confirmed, shares, 0.0))[within]
            bonus = bonus + _CONFIRMED_HERE * p.log_share(here, _SMOOTH_CONFIRMED)
        self._memory = _sums(p.row, bonus[p.choice], len(self._own))

    def run(self) -> NDArray[np.float64]:
        """Solve it, with what the solo does elsewhere remembered; how likely each place of each note is."""
        self._posteriors = self.posteriors()
        shares = self._places.shares(self._posteriors)
        for _ in range(_PASSES):
            self._remember(shares)
            self._posteriors = self.posteriors()
            shares = self._places.shares(self._posteriors)
        return shares

    def solve(self) -> list[dict[Place, float]]:
        """Solve it; for each note how likely each of its places is."""
        if not self.wanted:
            return []
        each = np.split(self.run(), self._places.first[1:-1])
        return [dict(zip(c, p.tolist(), strict=True)) for c, p in zip(self._choices, each, strict=True)]

    def likeliest(self) -> list[int]:
        """Of what is solved, each strike's likeliest way, by its row: places first, positions summed over them."""
        starts = self._rows[:-1]
        strike = np.repeat(np.arange(len(starts)), np.diff(self._rows))
        # A number for each joint place of each strike.
        sizes = np.array([int(c.joint.max()) + 1 for c in self.columns])
        offsets = np.cumsum([0, *sizes])[:-1]
        joint = np.concatenate([c.joint for c in self.columns]) + offsets[strike]
        sums = _sums(joint, self._posteriors)[joint]
        best = np.where(sums >= np.maximum.reduceat(sums, starts)[strike] * (1 - _SAME), self._posteriors, -1.0)
        rows = np.flatnonzero(best >= np.maximum.reduceat(best, starts)[strike])
        # The first of equal ones.
        _, first = np.unique(strike[rows], return_index=True)
        return [int(row) for row in rows[first] - starts]

    def laid_out(self, rows: Sequence[int]) -> list[Place]:
        """Each note's place where its strike is played in some way. rows: one a strike."""
        out: list[Place] = [(0, 0)] * len(self.wanted)
        for group, col, row in zip(self.groups, self.columns, rows, strict=True):
            for j, i in enumerate(group):
                out[i] = col.choices[j][col.which[row, j]]
        return out


class _Places:
    """The places of all notes of a lattice in one flat array. first: where each note's begin, shape (notes + 1,); note:
    whose each is; row, choice: for every way of every strike and each of its notes the way, and the place it takes."""

    def __init__(
        self, groups: Sequence[Sequence[int]], columns: Sequence[Column], choices: Sequence[tuple[Place, ...]],
        rows: NDArray[np.int64],
    ) -> None:  # fmt: skip
        self._choices = choices
        self.first = np.cumsum([0, *(len(c) for c in choices)])
        self.note = np.repeat(np.arange(len(choices)), np.diff(self.first))
        row, choice = [], []
        for group, col, begin in zip(groups, columns, rows.tolist(), strict=False):
            for j, i in enumerate(group):
                row.append(np.arange(begin, begin + len(col.position)))
                choice.append(self.first[i] + col.which[:, j])
        self.row = np.concatenate(row) if row else np.zeros(0, dtype=np.int64)
        self.choice = np.concatenate(choice) if choice else np.zeros(0, dtype=np.int64)
        self._memory: tuple[NDArray[np.int64], NDArray[np.int64]] | None = None
        self._around: tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]] | None = None

    def shares(self, posteriors: NDArray[np.float64]) -> NDArray[np.float64]:
        """How likely each place is, positions summed."""
        return _sums(self.choice, posteriors[self.row], int(self.first[-1]))

    def memory(self, wanted: Sequence[Wanted]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """For each place a number that the same place of the same pitch has everywhere, and one that it has within the
        phrase."""
        if self._memory is None:
            everywhere: dict[tuple[int, Place], int] = {}
            within: dict[tuple[int, int, Place], int] = {}
            numbers = [
                (everywhere.setdefault((w.pitch, p), len(everywhere)),
                 within.setdefault((w.phrase, w.pitch, p), len(within)))
                for w, places in zip(wanted, self._choices, strict=True) for p in places
            ]  # fmt: skip
            both = np.array(numbers, dtype=np.int64).reshape(-1, 2)
            self._memory = both[:, 0], both[:, 1]
        return self._memory

    def around(
        self, wanted: Sequence[Wanted]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:  # fmt: skip
        """Pairs of a place and the same place of a note of the same pitch near by in its phrase, and how much the
        latter counts: the nearer the more."""
        if self._around is None:
            target, source, fades = [], [], []
            alike: dict[tuple[int, int], list[int]] = {}
            for i, w in enumerate(wanted):
                before = alike.setdefault((w.phrase, w.pitch), [])
                for k in reversed(before):
                    if i - k > _NEAR_NOTES:
                        break
                    pairs = self._same(i, k)
                    target += [a for a, _ in pairs] + [b for _, b in pairs]
                    source += [b for _, b in pairs] + [a for a, _ in pairs]
                    fades += [_NEAR_FADES ** (i - k)] * (2 * len(pairs))
                before.append(i)
            self._around = np.array(target, np.int64), np.array(source, np.int64), np.array(fades, np.float64)
        return self._around

    def _same(self, i: int, k: int) -> list[tuple[int, int]]:
        a, b = int(self.first[i]), int(self.first[k])
        mine, theirs = self._choices[i], self._choices[k]
        if mine == theirs:
            return [(a + c, b + c) for c in range(len(mine))]
        return [(a + c, b + theirs.index(place)) for c, place in enumerate(mine) if place in theirs]

    def log_share(self, masses: NDArray[np.float64], smooth: float) -> NDArray[np.float64]:
        """Logarithm of each place's smoothed share of its note's against an even one; 0 where there is but one."""
        even = np.diff(self.first)[self.note]
        total = np.add.reduceat(masses, self.first[:-1])[self.note]
        logs = np.log(even * (masses + smooth) / (total + even * smooth))
        return np.asarray(np.where(even > 1, logs, 0.0), np.float64)


def _sums(numbers: NDArray[np.int64], values: NDArray[np.float64], least: int = 0) -> NDArray[np.float64]:
    """Values added up by their numbers, 0 to at least `least`."""
    return np.asarray(np.bincount(numbers, values, minlength=least), np.float64)


class _Kept:
    """What steps and columns are worth under some weights, kept from one search to the next."""

    def __init__(self, weights: NDArray[np.float64]) -> None:
        self.weights, self.steps = weights, Steps(weights)
        self._likely: dict[int, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
        self._worth: dict[int, tuple[Column, NDArray[np.float64]]] = {}

    def likely(self, step: NDArray[np.float64]) -> NDArray[np.float64]:
        """The exponentials of a step's scores, their greatest 1."""
        # The step is kept with it, so that its number stays its own.
        found = self._likely.get(id(step))
        if found is None or found[0] is not step:
            if len(self._likely) > _MOST_KEPT:
                self._likely.clear()
            found = self._likely[id(step)] = step, np.exp(step - step.max())
        return found[1]

    def worth(self, of: Column) -> NDArray[np.float64]:
        """A column's ways by themselves."""
        found = self._worth.get(id(of))
        if found is None or found[0] is not of:
            if len(self._worth) > _MOST_KEPT:
                self._worth.clear()
            found = self._worth[id(of)] = of, of.worth(self.weights)
        return found[1]


_KEPT: dict[int, _Kept] = {}


def _kept_for(weights: NDArray[np.float64]) -> _Kept:
    """For the weights in use only."""
    key = id(weights)
    if key not in _KEPT or _KEPT[key].weights is not weights:
        _KEPT.clear()
        _KEPT[key] = _Kept(weights)
    return _KEPT[key]


def places_of(wanted: Sequence[Wanted], tuning: Tuning) -> list[Place]:
    """As `search`, the places alone."""
    if not wanted:
        return []
    lattice = Lattice(wanted, tuning)
    lattice.run()
    return lattice.laid_out(lattice.likeliest())


def search(wanted: Sequence[Wanted], tuning: Tuning, weights: NDArray[np.float64] | None = None) -> list[Found]:
    """A place for every note, in time order; [] for none.

    Pitches outside the neck are put an octave or more into it. What no hand can hold is placed all the same. weights:
    shape (SIZE,), of place/weights.py, None for those that ship."""
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
    """The single best way: numbers of ways, one for each strike (Viterbi 1967). worth: of each way at each strike,
    shape (ways,); steps: from each way to each of the next strike, shape (ways, next ways), in the unit of worth."""
    best, back = worth[0], []
    for step, own in zip(steps, worth[1:], strict=True):
        total = best[:, None] + step
        back.append(np.argmax(total, axis=0))
        best = total.max(axis=0) + own
    path = [int(np.argmax(best))]
    for pointers in reversed(back):
        path.append(int(pointers[path[-1]]))
    return path[::-1]
