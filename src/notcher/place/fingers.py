"""Which finger of the fretting hand takes each note, and where the hand is, once strings and frets are settled.

All weights are costs and common practice, no source: a finger for each fret from the first finger's on; the third, with
two behind it, pushes a string far; one finger slides, two hammer and pull; a finger that lies flat takes neighbouring
strings of one fret. A finger that the person said is kept.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.columns import LAST_POSITION
from notcher.place.hand import Hand
from notcher.place.search import best_path
from notcher.place.wanted import Wanted
from notcher.score.note import Attack, struck_together

Place = tuple[int, int]


# What the little finger costs, what a fret off a finger's own costs, and what a shift costs, against a fret of it.
_LITTLE = {Hand.PER_FRET: 0.0, Hand.STRONG_THREE: 1.6, Hand.STRETCH: 0.2}
_STRETCHED = {Hand.PER_FRET: 1.5, Hand.STRONG_THREE: 1.0, Hand.STRETCH: 0.7}
_SHIFTS = {Hand.PER_FRET: 1.2, Hand.STRONG_THREE: 1.0, Hand.STRETCH: 1.8}
_SHIFT_A_FRET, _EASY_AFTER_S = 0.25, 0.35
# Bends by finger, for more than a semitone and for less.
_FAR_BEND = {1: 4.0, 2: 1.5, 3: 0.0, 4: 2.0}
_SMALL_BEND = {1: 0.4, 2: 0.2, 3: 0.0, 4: 0.6}
# One finger on two frets one after the other, without a slide; on two strings that do not lie side by side.
_SAME_FINGER, _JUMPS, _LEGATO_SAME, _SLIDE_OTHER = 3.0, 1.0, 6.0, 4.0
_DEAREST = 50.0


@dataclass(frozen=True, slots=True)
class Fingered:
    """position: fret of the first finger; finger: 1 to 4, 0 for an open string or a tap."""

    position: int
    finger: int


def finger(wanted: Sequence[Wanted], places: Sequence[Place], hand: Hand = Hand.PER_FRET) -> list[Fingered]:
    """The easiest fingers for notes whose places are settled, in time order."""
    groups = _strikes(wanted)
    states = [_states([wanted[i] for i in g], [places[i] for i in g], hand) for g in groups]
    own = [-np.array([cost for _, _, cost in column]) for column in states]
    steps = [
        -_steps(a, b, wanted[g[-1]], wanted[h[0]], places[g[-1]], places[h[0]], hand)
        for (a, b), (g, h) in zip(itertools.pairwise(states), itertools.pairwise(groups), strict=True)
    ]
    out: list[Fingered | None] = [None] * len(wanted)
    for group, column, k in zip(groups, states, best_path(own, steps) if own else [], strict=True):
        position, fingers, _ = column[k]
        for i, f in zip(group, fingers, strict=True):
            out[i] = Fingered(position, f)
    return [f for f in out if f is not None]


_State = tuple[int, tuple[int, ...], float]


def _strikes(wanted: Sequence[Wanted]) -> list[list[int]]:
    groups: list[list[int]] = []
    for i, w in enumerate(wanted):
        if groups and struck_together(wanted[groups[-1][0]].onset, w.onset):
            groups[-1].append(i)
        else:
            groups.append([i])
    return groups


def _states(notes: Sequence[Wanted], places: Sequence[Place], hand: Hand) -> list[_State]:
    """(position, a finger for each note, cost) of every way to take a strike."""
    fretted = [f for (_, f), w in zip(places, notes, strict=True) if f > 0 and w.attack is not Attack.TAP]
    if not fretted:
        return [(p, (0,) * len(notes), 0.0) for p in range(1, LAST_POSITION + 1)]
    found: list[_State] = []
    for position in range(max(1, min(fretted) - 4), min(fretted) + 2):
        choices = [
            [0] if f == 0 or w.attack is Attack.TAP else [1, 2, 3, 4]
            for (_, f), w in zip(places, notes, strict=True)
        ]  # fmt: skip
        for fingers in itertools.islice(itertools.product(*choices), 256):
            cost = sum(
                _own_cost(w, fret - position, f, position, hand)
                for w, (_, fret), f in zip(notes, places, fingers, strict=True) if f
            )  # fmt: skip
            cost += _shape_cost(places, fingers)
            if cost < _DEAREST:
                found.append((position, fingers, cost))
    # A finger that the person said is taken where a hand can; the notes around settle to it.
    said = [
        state for state in found
        if all(w.finger in (None, f) for w, f in zip(notes, state[1], strict=True) if f)
    ]  # fmt: skip
    return (
        said
        or found
        or [(max(1, min(fretted)), tuple(min(4, max(1, f - min(fretted) + 1)) if f else 0 for _, f in places), 0.0)]
    )


def _own_cost(wanted: Wanted, away: int, finger_: int, position: int, hand: Hand) -> float:
    """Of one finger, `away` frets over the first finger's."""
    off = away - (finger_ - 1)
    # High on the neck frets are close: one more under the hand costs little.
    cost = _STRETCHED[hand] * abs(off) * (1.0 if position < 10 else 0.7)
    if off < 0:
        cost += 1.0 * abs(off)
    if abs(off) > 2:
        return _DEAREST
    if finger_ == 4:
        cost += _LITTLE[hand]
    if wanted.bend_cents > 100:
        cost += _FAR_BEND[finger_]
    elif wanted.bend_cents:
        cost += _SMALL_BEND[finger_]
    if wanted.vibrato and finger_ == 4:
        cost += 0.8
    return cost


def _shape_cost(places: Sequence[Place], fingers: Sequence[int]) -> float:
    """Of a hand that holds several strings: fingers in the order of frets, one on two frets impossible, a bar only
    where strings lie side by side."""
    cost = 0.0
    for (s, f), (t, g) in itertools.combinations(
        [(p, x) for p, x in zip(places, fingers, strict=True) if x], 2
    ):  # fmt: skip
        if f == g:
            cost += _DEAREST if s[1] != t[1] else 0.4 * (abs(s[0] - t[0]) - 1) + (0.5 if f > 1 else 0.2)
        elif (s[1] - t[1]) * (f - g) < 0:
            cost += _DEAREST
        elif s[1] == t[1] and (s[0] - t[0]) * (f - g) > 0:
            cost += 1.0
    return cost


def _steps(
    a: Sequence[_State], b: Sequence[_State], before: Wanted, after: Wanted, from_: Place, to: Place, hand: Hand
) -> NDArray[np.float64]:
    """Cost of every step, shape (n_a, n_b)."""
    p, q = np.array([s[0] for s in a])[:, None], np.array([s[0] for s in b])[None, :]
    f, g = np.array([s[1][-1] for s in a])[:, None], np.array([s[1][0] for s in b])[None, :]
    moved = np.abs(q - p)
    ease = 1.0 / (1.0 + max(0.0, after.onset - before.end) / _EASY_AFTER_S)
    slid = after.attack is Attack.SLIDE and from_[0] == to[0]
    cost = np.where(moved > 0, _SHIFTS[hand] + _SHIFT_A_FRET * moved, 0.0) * (0.2 if slid else ease)
    both = (f > 0) & (g > 0)
    same = both & (f == g)
    if slid:
        return np.asarray(cost + np.where(both & (f != g), _SLIDE_OTHER, 0.0))
    if from_[1] != to[1]:
        cost = cost + np.where(same, _SAME_FINGER * ease, 0.0)
        if after.attack in (Attack.HAMMER, Attack.PULL) and from_[0] == to[0]:
            cost = cost + np.where(same, _LEGATO_SAME, 0.0)
            cost = cost + np.where(both & ((to[1] - from_[1]) * (g - f) < 0), _LEGATO_SAME, 0.0)
    elif from_[0] == to[0]:
        cost = cost + np.where(both & (f != g), 1.5, 0.0)
    else:
        cost = cost + np.where(same, 0.2 if abs(from_[0] - to[0]) == 1 else _JUMPS, 0.0)
    return np.asarray(cost)
