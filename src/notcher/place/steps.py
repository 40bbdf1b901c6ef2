"""What it is worth to go from one strike to the next: the hand's way, strings crossed, legato, slides, taps."""

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.columns import Column
from notcher.place.wanted import Wanted
from notcher.place.weights import NOTHING, Index, at
from notcher.score.note import Attack

# Frets the hand moves, by how hard it is: 0, 1, 2, 3, 4-5, 6-8, more.
_MOVE = np.array([0, 1, 2, 3, 4, 4, 5, 5, 5] + [6] * 20)
# Positions 1-2, 3-4, 5-6, 7-9, 10-12, 13-15, 16-18, 19 and on.
_REGION = np.array([0, 0, 0, 1, 1, 2, 2, 3, 3, 3, 4, 4, 4, 5, 5, 5, 6, 6, 6] + [7] * 10)
_STAYS = 8
_QUICK_S, _REST_S, _LONG_S = 0.22, 0.15, 0.5
# Seconds by which a note sounds on beyond the next one's onset that lies on another string.
_RINGS_ON_S = 0.06
BY_HAND = (Attack.HAMMER, Attack.PULL, Attack.SLIDE)
_STEADY, _QUICK, _AFTER_A_REST = 0, 1, 2
_OPEN_SLIDE = -8.0


@dataclass(frozen=True, slots=True)
class Between:
    """What lies between two strikes besides their places: tempo (steady, quick, after a rest), whether a phrase begins,
    how the second is reached, whether either is tapped, the pitch's direction and interval in semitones."""

    tempo: int
    new_phrase: bool
    attack: Attack
    from_tap: bool
    to_tap: bool
    interval: int

    @classmethod
    def of(cls, before: Wanted, after: Wanted) -> "Between":
        """Between the last note of one strike and the first of the next."""
        since = after.onset - before.onset
        tempo = _STEADY
        if since < _QUICK_S:
            tempo = _QUICK
        elif after.onset - before.end > _REST_S or before.end - before.onset > _LONG_S:
            tempo = _AFTER_A_REST
        interval = after.pitch - before.pitch
        # What still sounds lies on another string: it is not what was hammered, pulled or slid from.
        rings_on = after.attack in BY_HAND and before.end - after.onset > _RINGS_ON_S
        attack = Attack.PICK if rings_on else after.attack
        return cls(
            tempo, before.phrase != after.phrase, attack, before.attack is Attack.TAP,
            after.attack is Attack.TAP, max(-12, min(12, interval)),
        )  # fmt: skip


def region(position: Index) -> Index:
    """Which part of the neck a position lies in, 0 to 7."""
    return np.asarray(_REGION[position], dtype=np.intp)


def step_terms(a: Column, b: Column, between: Between) -> Index:
    """Numbers of the weights of every step from a way of one strike to a way of the next, shape (k, n_a, n_b)."""
    return _step_terms(a, b, between)


def _step_terms(a: Column, b: Column, x: Between) -> Index:
    position_a, position_b = a.position[:, None], b.position[None, :]
    string_b, fret_b = b.string[:, 0][None, :], b.fret[:, 0][None, :]
    string_a, fret_a = _left(a, b, x)
    way = position_b - position_a
    moved, crossed = np.abs(way), np.abs(string_b - string_a)
    move = _MOVE[moved]
    arrives = np.where(moved > 1, _REGION[position_b], _STAYS)
    if x.new_phrase:
        return _stacked(
            at("phrase_shift", move), at("phrase_strings", np.minimum(crossed, 3)), at("phrase_arrive", arrives)
        )
    some, over = (moved > 0).astype(np.intp), (crossed > 0).astype(np.intp)
    terms: list[Index] = []
    if x.from_tap or x.to_tap:
        terms += [at("tap", some, np.minimum(crossed, 2)), at("shift", move)]
        if x.from_tap and x.attack is Attack.PULL:
            terms.append(at("tap_left", over))
    elif x.attack is Attack.SLIDE:
        along = ((way == fret_b - fret_a) & (crossed == 0)).astype(np.intp)
        terms += [at("slide", along, over), at("slide_shift", move)]
    else:
        opens = ((fret_a == 0) | (fret_b == 0)).astype(np.intp)
        terms += [
            at("shift", move), at("shift_tempo", some + (moved > 2), x.tempo),
            at("shift_sign", np.sign(way) * int(np.sign(x.interval)) + 1),
            at("open_shift", opens, np.minimum(moved, 2)),
            at("arrive", arrives),
        ]  # fmt: skip
        if x.attack in (Attack.HAMMER, Attack.PULL):
            terms.append(at("legato", over, some))
    terms += [at("strings", np.minimum(crossed, 4)), at("interval", min(abs(x.interval), 6), np.minimum(crossed, 2))]
    if x.interval == 0:
        terms.append(at("again", over))
    if a.string.shape[1] == b.string.shape[1] > 1:
        same = (a.string[:, None, :] == b.string[None, :, :]).all(axis=2)
        terms.append(at("parallel", same.astype(np.intp)))
    under_a, under_b = fret_a - position_a, fret_b - position_b
    rolled = ((under_a == under_b) & (crossed == 1) & (fret_a > 0) & (fret_b > 0)).astype(np.intp)
    terms.append(at("roll", rolled, np.where(rolled, np.clip(under_b, 0, 2), 0)))
    return _stacked(*terms)


def _left(a: Column, b: Column, x: Between) -> tuple[Index, Index]:
    """String and fret that each step of two strikes leaves, shape (n_a, n_b) or (n_a, 1): of several struck together
    the last, but what is hammered, pulled or slid to leaves the one on its own string."""
    last = a.string.shape[1] - 1
    if last == 0 or x.attack not in BY_HAND:
        return a.string[:, -1][:, None], a.fret[:, -1][:, None]
    same = a.string[:, None, :] == b.string[:, 0][None, :, None]
    which = np.where(same.any(axis=2), same.argmax(axis=2), last)
    rows = np.arange(len(a.string))[:, None]
    return a.string[rows, which], a.fret[rows, which]


def _stacked(*terms: Index) -> Index:
    return np.stack(np.broadcast_arrays(*terms)) if terms else np.zeros((1, 1, 1), dtype=np.intp) + NOTHING


class Steps:
    """Scores of steps under some weights; the same step of two strikes alike is worked out once."""

    def __init__(self, weights: NDArray[np.float64], most: int = 3000) -> None:
        self._weights = weights
        self._scores = functools.lru_cache(maxsize=most)(self._score)

    def __call__(self, a: Column, b: Column, between: Between) -> NDArray[np.float64]:
        """Score of every step, shape (n_a, n_b)."""
        return self._scores(_Keyed(a), _Keyed(b), between)

    def _score(self, a: "_Keyed", b: "_Keyed", between: Between) -> NDArray[np.float64]:
        total = np.asarray(self._weights[step_terms(a.column, b.column, between)].sum(axis=0), dtype=np.float64)
        if between.attack is Attack.SLIDE and not between.new_phrase:
            # Nobody slides to or from a string that no finger holds.
            opens = (_left(a.column, b.column, between)[1] == 0) | (b.column.fret[:, 0][None, :] == 0)
            total = total + np.where(opens, _OPEN_SLIDE, 0.0)
        return total


class _Keyed:
    """A column as a key: two that offer the same places are one."""

    __slots__ = ("column",)

    def __init__(self, column: Column) -> None:
        self.column = column

    def __hash__(self) -> int:
        return hash(self.column.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Keyed) and self.column.key == other.column.key
