"""The ways to play one strike: places for its notes under one hand, and what each is worth by itself."""

import functools
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.wanted import Wanted
from notcher.place.weights import NOTHING, Index, at
from notcher.score.note import Attack, struck_together
from notcher.score.tuning import Tuning

LAST_POSITION = 19
# Frets from the first finger to the last; one more from this position on, where frets are closer.
_SPAN, _WIDER_FROM = 4, 10
# Joint places of a strike beyond which only the likeliest single places are combined.
_MOST_JOINT = 400
# An open string beside a fret this high is no chord that a hand makes.
_HIGH_BESIDE_OPEN = 5


@dataclass(frozen=True, eq=False, slots=True)
class Column:
    """All ways to play one strike of m notes, one row a way. string, fret: shape (n, m); position: fret of the first
    finger, shape (n,); terms: numbers of weights, and values: what they are multiplied with, both shape (k, n).

    key: what decides steps to and from it, for reuse. choices: for each note the places it has, and which: the number
    of its place in each way, shape (n, m); joint: a number that ways with the same places share, shape (n,).
    """

    string: Index
    fret: Index
    position: Index
    terms: Index
    values: NDArray[np.float64]
    key: tuple[object, ...]
    choices: tuple[tuple[tuple[int, int], ...], ...]
    which: Index
    joint: Index

    def worth(self, weights: NDArray[np.float64]) -> NDArray[np.float64]:
        """Score of each way by itself, shape (n,)."""
        return np.asarray((weights[self.terms] * self.values).sum(axis=0), dtype=np.float64)


def strikes(wanted: Sequence[Wanted]) -> list[list[int]]:
    """Numbers of notes that are struck together, in time order; a new phrase begins a strike of its own."""
    groups: list[list[int]] = []
    for i, w in enumerate(wanted):
        first = wanted[groups[-1][0]] if groups else None
        if first is not None and struck_together(first.onset, w.onset) and first.phrase == w.phrase:
            groups[-1].append(i)
        else:
            groups.append([i])
    return groups


def column(notes: Sequence[Wanted], tuning: Tuning) -> Column:
    """The ways to play notes struck together."""
    asked = tuple(
        (tuple(w.places(tuning)), w.attack is Attack.TAP, min(w.bend_cents, 200) // 50, w.vibrato) for w in notes
    )
    return _column(asked)


_Asked = tuple[tuple[tuple[int, int], ...], bool, int, bool]
# Takes the numbers of a term's weights, and what they are multiplied with.
_AddTerm = Callable[..., None]


@functools.lru_cache(maxsize=4096)
def _column(asked: tuple[_Asked, ...]) -> Column:
    rows = _rows(asked)
    string = np.array([[s for s, _ in places] for places, _ in rows], dtype=np.intp)
    fret = np.array([[f for _, f in places] for places, _ in rows], dtype=np.intp)
    position = np.array([p for _, p in rows], dtype=np.intp)
    terms: list[Index] = []
    values: list[NDArray[np.float64]] = []

    def add(numbers: Index, by: NDArray[np.float64] | float = 1.0) -> None:
        terms.append(np.broadcast_to(numbers, position.shape))
        values.append(np.broadcast_to(np.asarray(by, dtype=np.float64), position.shape))

    for j, (_, tapped, bend, vibrato) in enumerate(asked):
        _note_terms(add, string[:, j], fret[:, j], position, tapped=tapped, cents=50 * bend, vibrato=vibrato)
    add(at("pos"), (position - 9) / 5)
    add(at("pos2"), ((position - 9) / 5) ** 2)
    for j in range(1, len(asked)):
        add(at("together", np.minimum(np.abs(string[:, j] - string[:, j - 1]), 4)))
    if len(asked) > 1:
        beside = (fret == 0).any(axis=1) & (fret.max(axis=1) > _HIGH_BESIDE_OPEN)
        add(np.where(beside, at("together_open"), NOTHING))
        stretch = np.where(fret > 0, fret - position[:, None], 0)
        far = (stretch.max(axis=1) > _SPAN + 1) | (stretch.min(axis=1) < 0)
        add(np.where(far, at("together_far"), NOTHING))
    key = tuple((places, tapped) for places, tapped, _, _ in asked)
    choices = tuple(places for places, _, _, _ in asked)
    which = np.array(
        [[choices[j].index(place) for j, place in enumerate(places)] for places, _ in rows], dtype=np.intp
    )  # fmt: skip
    joint = np.ravel_multi_index(tuple(which.T), tuple(len(c) for c in choices)).astype(np.intp)
    return Column(string, fret, position, np.array(terms), np.array(values), key, choices, which, joint)


def _rows(asked: Sequence[_Asked]) -> list[tuple[tuple[tuple[int, int], ...], int]]:
    """(places, position) of every way: on different strings and under one hand, where that can be."""
    choices = [places for places, _, _, _ in asked]
    joint = list(itertools.islice(itertools.product(*choices), _MOST_JOINT))
    apart = [places for places in joint if len({s for s, _ in places}) == len(places)] or joint
    taps = [tapped for _, tapped, _, _ in asked]
    held = [(places, p) for places in apart for p in _positions(places, taps)]
    # What no hand can hold lies somewhere all the same, and is dear.
    return held or [(places, max(1, min((f for _, f in places if f), default=1))) for places in apart]


def _positions(places: tuple[tuple[int, int], ...], taps: Sequence[bool]) -> range | list[int]:
    """Where the hand may be for places that are taken together."""
    fretted = [f for (_, f), tapped in zip(places, taps, strict=True) if f > 0 and not tapped]
    if not fretted:
        return range(1, LAST_POSITION + 1)
    low, high = max(fretted), min(fretted)
    return [p for p in range(max(1, low - _SPAN - 1), high + 1) if low - p <= _SPAN + (p >= _WIDER_FROM)]


def _note_terms(
    add: _AddTerm, string: Index, fret: Index, position: Index, *, tapped: bool, cents: int, vibrato: bool
) -> None:
    fretted = (fret > 0).astype(float)
    thick = np.minimum(string, 6) - 1
    add(at("f1"), fretted * (fret - 10) / 5)
    add(at("f2"), fretted * ((fret - 10) / 5) ** 2)
    add(at("f3"), np.maximum(0, fret - 17) / 3)
    add(at("lowfret"), fretted * np.maximum(0, 5 - fret) / 3)
    add(at("string", thick))
    add(at("hi4"), (string >= 4) * np.maximum(0, fret - 12) / 3)
    is_open = fret == 0
    add(np.where(is_open, at("open"), NOTHING))
    if cents or vibrato:
        add(np.where(is_open, at("openbad"), NOTHING))
    under = ~is_open & (not tapped)
    away = np.clip(fret - position, 0, 5)
    add(np.where(under, at("off", np.where(away == 4, 4 + (position >= _WIDER_FROM), np.where(away == 5, 6, away))),
                 NOTHING))  # fmt: skip
    near = np.minimum(away, 3)
    if cents > 100:
        which = np.array([0, 1, 1, 2, 3, 3])[thick]
        add(at("bigb_string", which))
        add(np.where(under, at("bigb_off", near), NOTHING))
        add(at("bigb_near"), np.maximum(0, 7 - fret) / 3)
    elif cents:
        add(np.where(under, at("smallb_off", near), NOTHING))
        add(np.where(string >= 4, at("smallb_thick"), NOTHING))
