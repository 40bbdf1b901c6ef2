"""What becomes of a bend when its note is moved, cut or copied: its shape keeps its place in what was heard, and a slow
bend arrives where it did."""

import itertools
from dataclasses import replace

from notcher.score.bend_goal import reached_by
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, BendKind, Note
from notcher.score.pitch import nearest_quarter
from notcher.score.project import Project

_FLAT_CENTS = 25.0
_UP = 0.6
"""Share of its peak from which on a string counts as up."""
_SHORTEST_RISE_S = 0.02
_TOGETHER_S, _UNISON_CENTS = 0.06, 80.0


def shifted(bend: Bend | None, shift: float, duration: float) -> Bend | None:
    """The bend of a note whose onset moved by some seconds and that lasts so long now. What was measured, and the
    moment at which one written by hand arrives, keep their place in the recording."""
    if bend is None:
        return None
    kept = tuple((t - shift, c) for t, c in bend.points if 0.0 <= t - shift <= duration)
    return replace(bend, points=kept, rise=_rise(None if bend.rise is None else bend.rise - shift))


def scaled(bend: Bend | None, share: float) -> Bend | None:
    """The bend of a note that lasts `share` as long, at its own pace."""
    if bend is None:
        return None
    points = tuple((round(t * share, 4), c) for t, c in bend.points)
    return replace(bend, points=points, rise=_rise(None if bend.rise is None else bend.rise * share))


def decided(old: Bend | None, kind: BendKind, target_cents: int, *, rise: float | None = None) -> Bend:
    """A bend of a kind and interval in the place of another: what was measured of that stays, and when it arrives,
    unless rise says it."""
    return replace(
        old or Bend(kind, target_cents), kind=kind, target_cents=target_cents,
        rise=rise if rise is not None else old.rise if old is not None else None,
    )  # fmt: skip


def cut(bend: Bend | None, at: float, duration: float) -> tuple[Bend | None, Bend | None]:
    """The bends of the two parts of a note that lasts some seconds and is cut at `at` seconds from its onset; the
    second part is picked again."""
    if bend is None:
        return None, None
    if bend.points:
        return refit(shifted(bend, 0.0, at)), refit(shifted(bend, at, duration - at))
    # Written by hand: its plain shape is cut, and nothing is kept of it that nobody measured.
    shape = bend.written_shape(duration)
    here = _at(shape, at)
    first = (*((t, c) for t, c in shape if t < at), (at, here))
    second = ((0.0, here), *((t - at, c) for t, c in shape if t > at))
    return _by_hand(bend, first), _by_hand(bend, second)


def _by_hand(bend: Bend, shape: tuple[tuple[float, float], ...]) -> Bend | None:
    fitted = refit(replace(bend, points=shape, rise=None))
    if fitted is None:
        return None
    cents = [c for _, c in shape]
    kind = fitted.kind
    if _FLAT_CENTS < cents[0] < max(cents) - _FLAT_CENTS and cents[-1] >= max(cents) - 1:
        kind = BendKind.STAGGERED
    top = next(t for t, c in shape if c >= max(cents) - 1)
    slow = bend.rise is not None and kind in (BendKind.BEND, BendKind.BEND_RELEASE, BendKind.STAGGERED)
    return replace(fitted, kind=kind, points=(), rise=_rise(top) if slow else None)


def _at(shape: tuple[tuple[float, float], ...], time: float) -> float:
    for (a, low), (b, high) in itertools.pairwise(shape):
        if a <= time <= b:
            return low if b == a else low + (high - low) * (time - a) / (b - a)
    return shape[-1][1]


def _rise(seconds: float | None) -> float | None:
    return None if seconds is None or seconds < _SHORTEST_RISE_S else round(seconds, 4)


def refit(bend: Bend | None) -> Bend | None:
    """A bend whose points were cut, its kind and interval read anew from what is left; None where nothing is."""
    if bend is None or not bend.points:
        return bend
    cents = [c for _, c in bend.points]
    peak = max(cents)
    if peak < _FLAT_CENTS:
        return None
    start_up, end_up = cents[0] > peak * _UP, cents[-1] > peak * _UP
    kind = {
        (False, True): BendKind.CURL if bend.kind is BendKind.CURL else BendKind.BEND,
        (False, False): BendKind.BEND_RELEASE,
        (True, True): BendKind.HOLD,
        (True, False): BendKind.PRE_BEND_RELEASE,
    }[(start_up, end_up)]
    return replace(bend, kind=kind, target_cents=min(600, max(50, nearest_quarter(peak))))


def arrival_and_hold(bend: Bend) -> tuple[float, float]:
    """Seconds from the onset until a measured bend first has nine tenths of its goal and keeps near it, and for how
    long it does; a vibrato is no part of it. Raises ScoreError for a bend that was not measured."""
    if not bend.points:
        raise ScoreError("this bend was not measured")
    found = reached_by(bend.points)
    return found.arrives, found.held


def unison_partner(note: Note, project: Project) -> Note | None:
    """The unbent note on a thinner string that a bend is pushed up to, or None where there is none."""
    if note.bend is None or note.bend.starts_raised:
        return None
    goal = 100.0 * note.pitch(project.tuning) + note.bend.target_cents
    near = project.notes_between(note.onset - _TOGETHER_S, note.onset + _TOGETHER_S)
    fits = [
        n for n in near
        if n.string < note.string and n.bend is None and abs(100 * n.pitch(project.tuning) - goal) < _UNISON_CENTS
    ]  # fmt: skip
    return max(fits, key=lambda n: n.string, default=None)
