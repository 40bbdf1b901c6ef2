"""Which finger of the fretting hand takes each note, and where the hand is, once strings and frets are settled.

All weights are costs. Their kinds and first values are common practice, no source; they were fitted further on the
half of benchmarks/passages.py that is for fitting (docs/MEASUREMENTS.md: how well they do on the other). What they
mean: a finger for each fret from the first finger's on; the third, with two behind it, pushes a string far; one finger
slides, two hammer and pull, and the hand stays meanwhile; a finger that lies flat takes neighbouring strings of one
fret; a finger that goes along its string with the hand is a guide; the thumb, from behind the neck, takes the thickest
string where the fingers hold others. A finger that the person said is kept.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.place.columns import LAST_POSITION
from notcher.place.search import best_path
from notcher.place.wanted import Wanted
from notcher.score.note import Attack, struck_together
from notcher.score.playing import Hand
from notcher.score.tuning import FEWEST_STRINGS

Place = tuple[int, int]

THUMB = 0
"""Of the fretting hand, as a finger's number."""
_FREE = -1
_FINGERS = (1, 2, 3, 4)
# The thumb reaches from a fret behind the first finger to one before it, and is no first choice.
_THUMBS, _THUMB_REACH = 3.0, (-2, 1)


@dataclass(frozen=True, slots=True)
class Costs:
    """What a school dislikes, and how much.

    little: the little finger; off: each fret a finger lies off its own; back: each of them towards the nut; loose: each
    finger before the one that is used; shift, a_fret: a shift, and each fret of it; ease_s: silence that halves it;
    along: the share of a shift that is left where a finger goes along its string by as much as the hand; far, small:
    bends of more than a semitone and of less, by finger; shaken: vibrato with the little finger; again: one finger on
    two frets of two strings, one after the other; guided: of one string; other: another finger on the same place;
    jumps: one finger on strings that do not lie side by side; rolled: on those that do; held: a finger taken off, or
    the hand moved, while what it holds still rings on another string; legato: hammered or pulled with the same finger,
    the wrong way round, or across a shift; slid: a slide that changes fingers.
    """

    little: float = 0.15
    off: float = 1.5
    back: float = 1.0
    loose: float = 0.3
    shift: float = 0.7
    a_fret: float = 0.4
    ease_s: float = 0.35
    along: float = 0.3
    far: tuple[float, ...] = (9.0, 4.0, 1.5, 0.0, 2.0)
    small: tuple[float, ...] = (9.0, 0.4, 0.2, 0.0, 1.1)
    shaken: float = 0.4
    again: float = 1.8
    guided: float = 0.9
    other: float = 1.5
    jumps: float = 1.0
    rolled: float = 0.2
    held: float = 4.0
    legato: float = 6.0
    slid: float = 4.0


COSTS = {
    Hand.PER_FRET: Costs(),
    Hand.STRONG_THREE: Costs(little=1.6, off=1.0, shift=0.6),
    Hand.STRETCH: Costs(little=0.3, off=0.7, shift=1.4),
}
TOO_DEAR, _GOING, _RINGS_ON_S = 50.0, 0.3, 0.06


@dataclass(frozen=True, slots=True)
class Fingered:
    """position: fret of the first finger; finger: 1 to 4, THUMB, or None for an open string or a tap."""

    position: int
    finger: int | None


def finger(wanted: Sequence[Wanted], places: Sequence[Place], hand: Hand = Hand.PER_FRET) -> list[Fingered]:
    """The easiest fingers for notes whose places are settled, in time order."""
    costs = COSTS[hand]
    groups = _strikes(wanted)
    strikes = [[(wanted[i], places[i]) for i in g] for g in groups]
    states = [_states([w for w, _ in s], [p for _, p in s], costs) for s in strikes]
    own = [-np.array([cost for _, _, cost in column]) for column in states]
    steps = [
        -_steps(a, b, g, h, costs)
        for (a, b), (g, h) in zip(itertools.pairwise(states), itertools.pairwise(strikes), strict=True)
    ]
    out: list[Fingered | None] = [None] * len(wanted)
    for group, column, k in zip(groups, states, best_path(own, steps) if own else [], strict=True):
        position, fingers, _ = column[k]
        for i, f in zip(group, fingers, strict=True):
            # What the person said stands, even where no hand could do it.
            said = wanted[i].finger
            out[i] = Fingered(position, None if f == _FREE else f if said is None else said)
    return [f for f in out if f is not None]


def can_hold(notes: Sequence[Wanted], places: Sequence[Place]) -> bool:
    """Whether one hand can take what is struck together."""
    return len(places) < 2 or _found(notes, places, COSTS[Hand.PER_FRET]) != []


_State = tuple[int, tuple[int, ...], float]


def _strikes(wanted: Sequence[Wanted]) -> list[list[int]]:
    groups: list[list[int]] = []
    for i, w in enumerate(wanted):
        if groups and struck_together(wanted[groups[-1][0]].onset, w.onset):
            groups[-1].append(i)
        else:
            groups.append([i])
    return groups


def _states(notes: Sequence[Wanted], places: Sequence[Place], costs: Costs) -> list[_State]:
    """(position, a finger for each note, cost) of every way to take a strike."""
    found = _found(notes, places, costs)
    # A finger that the person said is taken where a hand can; the notes around settle to it.
    said = [
        state for state in found
        if all(w.finger in (None, f) for w, f in zip(notes, state[1], strict=True) if f != _FREE)
    ]  # fmt: skip
    return said or found or [_as_it_comes(places)]


def _as_it_comes(places: Sequence[Place]) -> _State:
    """Fingers where no hand could do it, so that what lies around them still gets its own."""
    lowest = min((f for _, f in places if f), default=1)
    return lowest, tuple(min(4, max(1, f - lowest + 1)) if f else _FREE for _, f in places), 0.0


def _found(notes: Sequence[Wanted], places: Sequence[Place], costs: Costs) -> list[_State]:
    """Every way that a hand can."""
    fretted = [f for (_, f), w in zip(places, notes, strict=True) if f > 0 and w.attack is not Attack.TAP]
    if not fretted:
        return [(p, (_FREE,) * len(notes), 0.0) for p in range(1, LAST_POSITION + 1)]
    found: list[_State] = []
    for position in range(max(1, min(fretted) - 4), min(fretted) + 2):
        choices = [
            _choices(w, p) for p, w in zip(places, notes, strict=True)
        ]  # fmt: skip
        for fingers in itertools.islice(itertools.product(*choices), 256):
            cost = sum(
                own_cost(w, fret - position, f, position, costs)
                for w, (_, fret), f in zip(notes, places, fingers, strict=True) if f != _FREE
            )  # fmt: skip
            cost += _shape_cost(places, fingers)
            if cost < TOO_DEAR:
                found.append((position, fingers, cost))
    return found


def _choices(wanted: Wanted, place: Place) -> Sequence[int]:
    """The fingers that could take a note."""
    string, fret = place
    if fret == 0 or wanted.attack is Attack.TAP:
        return (_FREE,)
    if wanted.finger == THUMB:
        return (THUMB,)
    # Round the neck it comes to the thickest string alone, and pushes none far.
    round_the_neck = string >= FEWEST_STRINGS and not wanted.bend_cents
    return (*_FINGERS, THUMB) if round_the_neck else _FINGERS


def own_cost(wanted: Wanted, away: int, finger_: int, position: int, costs: Costs) -> float:
    """Of one finger, `away` frets over the first finger's."""
    if finger_ == THUMB:
        return _THUMBS if _THUMB_REACH[0] <= away <= _THUMB_REACH[1] else TOO_DEAR
    off = away - (finger_ - 1)
    if abs(off) > 2:
        return TOO_DEAR
    # High on the neck frets are close: one more under the hand costs little.
    cost = costs.off * abs(off) * (1.0 if position < 10 else 0.7)
    if off < 0:
        cost += costs.back * abs(off)
    if finger_ == 4:
        cost += costs.little
    cost += costs.loose * (finger_ - 1)
    if wanted.bend_cents > 100:
        cost += costs.far[finger_]
    elif wanted.bend_cents:
        cost += costs.small[finger_]
    if wanted.vibrato and finger_ == 4:
        cost += costs.shaken
    return cost


def _shape_cost(places: Sequence[Place], fingers: Sequence[int]) -> float:
    """Of a hand that holds several strings: fingers in the order of frets, one on two frets impossible, a bar only
    where strings lie side by side."""
    cost = 0.0
    for (s, f), (t, g) in itertools.combinations(
        [(p, x) for p, x in zip(places, fingers, strict=True) if x != _FREE], 2
    ):  # fmt: skip
        if THUMB in (f, g):
            cost += TOO_DEAR if f == g else 0.0
        elif f == g:
            cost += TOO_DEAR if s[1] != t[1] else 0.4 * (abs(s[0] - t[0]) - 1) + (0.5 if f > 1 else 0.2)
        elif (s[1] - t[1]) * (f - g) < 0:
            cost += TOO_DEAR
        elif s[1] == t[1] and (s[0] - t[0]) * (f - g) > 0:
            cost += 1.0
    return cost


def _steps(
    a: Sequence[_State], b: Sequence[_State], before: Sequence[tuple[Wanted, Place]],
    after: Sequence[tuple[Wanted, Place]], costs: Costs,
) -> NDArray[np.float64]:  # fmt: skip
    """Cost of every step from a strike to the next, shape (n_a, n_b)."""
    p, q = np.array([s[0] for s in a])[:, None], np.array([s[0] for s in b])[None, :]
    rest = max(0.0, after[0][0].onset - before[-1][0].end)
    ease = 1.0 / (1.0 + rest / costs.ease_s)
    # What goes on along a string says most; else the last note that was struck and the first.
    pairs = [
        (i, j) for i, (_, (s, _)) in enumerate(before) for j, (_, (t, _)) in enumerate(after) if s == t
    ] or [(len(before) - 1, 0)]  # fmt: skip
    total: NDArray[np.float64] = np.zeros((len(a), len(b)))
    for i, j in pairs:
        rings = before[i][0].end - after[j][0].onset > _RINGS_ON_S
        f, g = np.array([s[1][i] for s in a])[:, None], np.array([s[1][j] for s in b])[None, :]
        total = total + _step(p, q, f, g, (before[i][1], after[j]), ease, costs, rings=rings)
    return total / len(pairs)


_Ints = NDArray[np.int64]


def _step(
    p: _Ints, q: _Ints, f: _Ints, g: _Ints, notes: tuple[Place, tuple[Wanted, Place]], ease: float, costs: Costs, *,
    rings: bool,
) -> NDArray[np.float64]:  # fmt: skip
    """Cost of going from one note to another: p, q the positions, f, g the fingers. rings: the first still sounds as
    the second begins."""
    from_, (after, to) = notes
    moved = np.abs(q - p)
    both = (f != _FREE) & (g != _FREE)
    same = both & (f == g)
    along = same & (from_[0] == to[0]) & (q - p == to[1] - from_[1])
    shift = np.where(moved > 0, costs.shift + costs.a_fret * moved, 0.0) * np.where(along, costs.along, 1.0)
    if after.attack is Attack.SLIDE and from_[0] == to[0]:
        return np.asarray(0.2 * shift + np.where(both & (f != g), costs.slid, 0.0))
    cost = shift * ease
    if rings and from_[0] != to[0] and from_[1]:
        # A shape is held while it is picked.
        cost = cost + costs.held * ((moved > 0) | (same & (from_[1] != to[1])))
    if from_[1] == to[1]:
        if from_[0] == to[0]:
            return np.asarray(cost + np.where(both & (f != g), costs.other, 0.0))
        beside = abs(from_[0] - to[0]) == 1
        return np.asarray(cost + np.where(same, costs.rolled if beside else costs.jumps, 0.0))
    # As the hand goes elsewhere any finger may be the next.
    going = np.where(moved > 0, _GOING, 1.0) if from_[0] != to[0] else 1.0
    cost = cost + np.where(same, (costs.guided if from_[0] == to[0] else costs.again) * ease * going, 0.0)
    if after.attack in (Attack.HAMMER, Attack.PULL) and from_[0] == to[0]:
        fingers = both & (f != THUMB) & (g != THUMB)
        crossed = fingers & ((to[1] - from_[1]) * (g - f) < 0)
        # The hand stays while a finger is put down or lifted.
        cost = cost + costs.legato * (same.astype(float) + crossed + 0.5 * (both & (moved > 0)))
    return np.asarray(cost)
