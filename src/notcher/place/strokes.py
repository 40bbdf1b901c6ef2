"""Which way the pick goes for each note, proposed by a school; what the person said of a note stands, and the strokes
around settle to it.

All weights are costs and common practice, no source: strokes go down and up in turn, and begin anew, downwards, after a
breath; on a beat one picks down rather than up; strings struck together, and a rake, take one stroke; where the next
string lies the way the pick goes, economy goes on through it, and so does every school in a run of single notes over
three strings or more that is too fast to turn at each (a sweep).
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from notcher.place.search import best_path
from notcher.score.note import Attack, Mark, Note, strikes
from notcher.score.playing import Picking
from notcher.score.tempo import TempoMap

SWEPT_S = 0.2
"""From one note to the next: slower than that one stroke is no help (common practice, no source)."""
_BREATH_S = 0.5
_FEWEST_SWEPT = 3
_AGAIN, _AGAIN_SWEPT, _TURN_SWEPT, _TURN_ECONOMY = 2.0, 0.0, 1.5, 0.7
_SKIP_ECONOMY = 0.6
_UP_FIRST, _UP_ON_BEAT, _UP_ON_HALF, _DOWN_OFF, _UP_TOGETHER = 0.4, 0.7, 0.35, 0.2, 0.8
_AGAINST, _UP_IN_DOWN = 100.0, 5.0
# How far an onset may lie from a part of the beat to count as on it, in beats.
_ON = 0.09


class Stroke(StrEnum):
    """Towards the thinner strings, or towards the thicker ones."""

    DOWN = "down"
    UP = "up"


MARK_OF = {Stroke.DOWN: Mark.DOWN_STROKE, Stroke.UP: Mark.UP_STROKE}
"""The mark by which the person says a stroke."""


@dataclass(frozen=True, slots=True)
class Stroked:
    """stroke: which way; said: it is the person's word; swept: it goes on from the note before without turning."""

    stroke: Stroke
    said: bool
    swept: bool


def picked(note: Note) -> bool:
    """Whether the pick strikes it."""
    if Mark.REPICKED in note.marks:
        return True
    return note.attack in (Attack.PICK, Attack.RAKE) and Mark.LEFT_HAND not in note.marks


def said_of(note: Note) -> Stroke | None:
    """The person's word, None where there is none."""
    return next((stroke for stroke, mark in MARK_OF.items() if mark in note.marks), None)


def strokes(
    notes: Sequence[Note], school: Picking = Picking.ALTERNATE, tempo: TempoMap | None = None
) -> dict[str, Stroked]:  # fmt: skip
    """A stroke for every note that is picked, by its id. notes: in time order. tempo: where the beat is known."""
    groups = strikes(n for n in notes if picked(n))
    if not groups:
        return {}
    sweeps = _sweeps(groups)
    own = [-np.array([_own(g, way, school, tempo) for way in Stroke]) for g in groups]
    own[0] = own[0] - np.array([0.0, _UP_FIRST])
    steps = [
        -np.array([[_step(a, b, x, y, school, k in sweeps) for y in Stroke] for x in Stroke])
        for k, (a, b) in enumerate(itertools.pairwise(groups))
    ]
    ways = [list(Stroke)[k] for k in best_path(own, steps)]
    out: dict[str, Stroked] = {}
    for k, (group, way) in enumerate(zip(groups, ways, strict=True)):
        swept = k > 0 and way is ways[k - 1] and _goes_on(groups[k - 1], group, way)
        for n in group:
            out[n.id] = Stroked(way, said_of(n) is not None, swept)
    return out


def _own(group: Sequence[Note], way: Stroke, school: Picking, tempo: TempoMap | None) -> float:
    cost = 0.0
    for n in group:
        said = said_of(n)
        cost += _AGAINST * (said is not None and said is not way)
        if n.attack is Attack.RAKE and n.raked_from not in (None, n.string):
            along = Stroke.DOWN if n.raked_from > n.string else Stroke.UP
            cost += _AGAINST / 2 * (along is not way)
        elif n.attack is Attack.RAKE:
            cost += _UP_TOGETHER * (way is Stroke.UP)
    if way is Stroke.UP:
        cost += _UP_IN_DOWN * (school is Picking.DOWN) + _UP_TOGETHER * (len(group) > 1)
    return cost + (_by_beat(group[0].onset, way, tempo) if tempo is not None else 0.0)


def _by_beat(onset: float, way: Stroke, tempo: TempoMap) -> float:
    """The hand goes with the beat: down on it and on its half, up between them."""
    part = tempo.beat_at(onset) % 1.0
    if min(part, 1 - part) < _ON:
        return _UP_ON_BEAT * (way is Stroke.UP)
    if abs(part - 0.5) < _ON:
        return _UP_ON_HALF * (way is Stroke.UP)
    if min(abs(part - 0.25), abs(part - 0.75)) < _ON:
        return _DOWN_OFF * (way is Stroke.DOWN)
    return 0.0


def _step(a: Sequence[Note], b: Sequence[Note], x: Stroke, y: Stroke, school: Picking, sweep: bool) -> float:
    if school is Picking.DOWN:
        return 0.0
    gap = b[0].onset - a[0].onset
    if b[0].onset - max(n.end for n in a) > _BREATH_S or gap > 2 * _BREATH_S:
        return _UP_FIRST * (y is Stroke.UP)
    again = x is y
    if sweep:
        along = Stroke.DOWN if b[0].string < a[0].string else Stroke.UP
        return _AGAIN_SWEPT if again and y is along else _TURN_SWEPT if not again else _AGAIN
    if school is Picking.ECONOMY and len(a) == len(b) == 1 and a[0].string != b[0].string:
        if again and _goes_on(a, b, y):
            return _AGAIN_SWEPT + _SKIP_ECONOMY * (abs(a[0].string - b[0].string) - 1)
        return _AGAIN if again else _TURN_ECONOMY
    # With time to spare the hand may come back.
    return _AGAIN * min(1.0, 0.25 / gap) if again else 0.0


def _goes_on(a: Sequence[Note], b: Sequence[Note], way: Stroke) -> bool:
    """Whether the pick that struck `a` meets `b` as it goes on the same way, soon enough to be one stroke."""
    if len(a) != 1 or len(b) != 1 or b[0].onset - a[0].onset > 2 * SWEPT_S:
        return False
    across = a[0].string - b[0].string
    return across > 0 if way is Stroke.DOWN else across < 0


def _sweeps(groups: Sequence[Sequence[Note]]) -> frozenset[int]:
    """The numbers of the steps (from a group to the next) that belong to a fast run of single notes over three strings
    or more, one string after the other."""
    ways: list[int] = []
    for a, b in itertools.pairwise(groups):
        across = a[0].string - b[0].string if len(a) == len(b) == 1 else 0
        ways.append(across if abs(across) == 1 and b[0].onset - a[0].onset <= SWEPT_S else 0)
    found: set[int] = set()
    for way, run in itertools.groupby(range(len(ways)), key=lambda k: ways[k]):
        steps = list(run)
        if way and len(steps) + 1 >= _FEWEST_SWEPT:
            found.update(steps)
    return frozenset(found)
