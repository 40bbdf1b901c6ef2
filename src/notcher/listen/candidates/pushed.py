"""Strings that are pushed while another is held: unison bends, which meet the held string, oblique bends, which do not,
and both strings of a double stop pushed at once.

The contour follows one string, and what is heard beside it is soon lost as it moves. So the other way round: at each
stroke every bend that a lower or equal string may make is laid over what the ear heard (a path that rests, rises and
rests, against one that stays), the best is measured, and one question is asked of it ("pushed", models/classifier.py;
fitted by benchmarks/fit_pushed.py).
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.frames.bands import STEP
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE, PITCHES, Ear
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import Features, classifier
from notcher.score.note import Attack, Bend, BendKind

FROM = 0.5
"""Chance from which a string is pushed."""
_TOLD = 3
# Seconds within which strings are struck together, and those that a held string sounds at least.
_TOGETHER_S, _HELD_S = 0.04, 0.06
# Semitones of the bends that are tried, seconds they rest first, and seconds they rise (hands take 0.05 to 0.6 s:
# common practice, no source).
_GOALS = (1.0, 1.5, 2.0, 3.0, 4.0)
_RESTS_S = (0.02, 0.04, 0.07, 0.1, 0.14, 0.19, 0.25, 0.33)
_RISES_S = (0.05, 0.09, 0.14, 0.2, 0.28, 0.38, 0.55)
# Goals at which a held string makes it a unison bend.
_UNISON_GOALS = (1, 2, 3)
# Seconds after the stroke from which the ear is asked, and for how long at most and at least.
_FROM_S, _LONGEST_S, _SHORTEST_S = 0.01, 1.2, 0.16
# Likelihood that something is struck from which what came before is over, and seconds before which that is not looked
# for.
_STRUCK, _SOONEST_S = 0.5, 0.14
# Frames at the goal at least.
_LEAST_AT_GOAL = 4
# Likelihood of the fretted pitch just after the stroke under which nothing is asked, and the frames that are looked at.
_EARLY, _EARLY_FRAMES = 0.12, 8
# Likelihoods of a string on a bend's goal, sounding in so many frames from the stroke on and struck, from which it is
# held there while the other is pushed up to it.
_AT_ONCE, _SOON_FRAMES = 0.5, 5
# Frames that the base must be heard again, and the top no more, for a bend that is let down.
_LET_DOWN = 6


@dataclass(frozen=True, eq=False)
class _Paths:
    """Every bend that is tried, as rows of the ear away from the fret. rows: shape (h, n); rests, rises: seconds, and
    goal: semitones, of each, shape (h,); which: of _GOALS it is."""

    rows: NDArray[np.int64]
    rests: NDArray[np.float64]
    rises: NDArray[np.float64]
    goals: NDArray[np.float64]
    which: NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class _Way:
    """Where a pushed string was meanwhile: seconds from and to, and MIDI pitches above and up to which."""

    start: float
    end: float
    above: float
    up_to: float

    def has(self, c: Candidate) -> bool:
        """Whether a candidate is only a piece of it."""
        unstruck = c.cuts is None and c.pushed is None and (c.begun is None or c.begun.struck < _STRUCK)
        return unstruck and self.start <= c.note.onset <= self.end and self.above < c.note.pitch <= self.up_to


@dataclass(frozen=True, slots=True)
class _Push:
    """The best bend at a stroke: semitones, seconds at which it begins and arrives, and what was measured of it."""

    goal: float
    leaves: float
    arrives: float
    let_down: float | None
    features: Features


def with_pushed(frames: Frames, candidates: Sequence[Candidate], offset_cents: float) -> list[Candidate]:
    """The candidates, those that are pushed strings bent, and pushed strings that were none yet among them; in time
    order. offset_cents: the tuning's."""
    out: list[Candidate] = []
    ways: list[_Way] = []
    for stroke in _strokes(candidates):
        for pitch in _asked_at(stroke):
            stroke, way = _asked(frames, stroke, pitch, offset_cents)
            ways += [way] if way is not None else []
        out += stroke
    # What was found of a pushed string on its way is no note.
    kept = [c for c in out if not any(way.has(c) for way in ways)]
    return sorted(kept, key=lambda c: (c.note.onset, -c.note.pitch))


def _strokes(candidates: Sequence[Candidate]) -> list[list[Candidate]]:
    """What begins together."""
    out: list[list[Candidate]] = []
    for c in candidates:
        if out and c.note.onset - out[-1][0].note.onset < _TOGETHER_S:
            out[-1].append(c)
        else:
            out.append([c])
    return out


def _asked_at(stroke: Sequence[Candidate]) -> list[int]:
    """The fretted pitches (MIDI) of which it is asked whether their string is pushed."""
    held = [c.note for c in stroke if c.note.bend is None and c.note.end - c.note.onset > _HELD_S]
    beside = {c.note.pitch for c in stroke if len({n.pitch for n in held} | {c.note.pitch}) > 1}
    met = {n.pitch - goal for n in held for goal in _UNISON_GOALS}
    followed = {c.note.pitch for c in stroke if c.note.bend is not None}
    return sorted(beside | met | followed)


def _asked(
    frames: Frames, stroke: list[Candidate], pitch: int, offset_cents: float
) -> tuple[list[Candidate], _Way | None]:
    """What begins at a stroke, after it was asked whether the string on a pitch is pushed; and its way, where it is."""
    own = [c for c in stroke if c.note.pitch == pitch]
    others = [c for c in stroke if c.note.pitch != pitch]
    for c in own:
        if c.note.bend is not None and c.note.evidence.other is None:
            return _met_by_the_contour(frames.ear, stroke, c, others, offset_cents), None
    onset = min(c.note.onset for c in (own or others))
    push = _measured(frames, own, others, onset, pitch, offset_cents)
    if push is None:
        return stroke, None
    chance = classifier("pushed").chance(push.features, time=onset, pitch=float(pitch))
    if chance < FROM:
        return stroke, None
    unison = _met(others, pitch, push.goal)
    last = [c.note.end for c in (own if unison is None else (*own, unison))]
    end = max([*last, _heard_until(frames.ear, onset, pitch + push.goal + offset_cents / 100)])
    why = classifier("pushed").because(push.features, yes=True, most=_TOLD)
    # One that was not found by itself was struck by the same stroke.
    evidence = (own or others)[0].note.evidence
    note = HeardNote(
        round(onset, 4), round(end, 4), pitch, Attack.PICK, _bend(push, end - onset, unison=unison is not None), None,
        frozenset(), round(chance, 2), replace(evidence, legato=None, reached=why, jump_cents=0.0, glide_s=0.0),
    )  # fmt: skip
    begun = next((c.begun for c in own if c.begun is not None), None)
    rest = [_held(c, end) if c is unison else c for c in others]
    way = _Way(onset + _TOGETHER_S, onset + push.arrives + _TOGETHER_S, pitch, pitch + push.goal + 0.5)
    return [Candidate(note, begun, pushed=round(chance, 3)), *rest], way


def _held(c: Candidate, end: float) -> Candidate:
    """The string that a unison bend meets, which sounds as long."""
    evidence = replace(c.note.evidence, unison=True)
    return replace(c, note=replace(c.note, end=max(c.note.end, round(end, 4)), evidence=evidence))


def _met_by_the_contour(
    ear: Ear, stroke: list[Candidate], c: Candidate, others: Sequence[Candidate], offset_cents: float
) -> list[Candidate]:
    """What begins at a stroke. A bend that the contour followed whole is a unison bend where it meets a string struck
    with it, whether that was found already or is only heard on the goal before the bend is there."""
    n, bend = c.note, c.note.bend
    if bend is None or bend.kind is not BendKind.BEND or bend.target_cents / 100 not in _UNISON_GOALS:
        return stroke
    goal = n.pitch + bend.target_cents // 100
    met = _met(others, n.pitch, bend.target_cents / 100)
    if met is None:
        midi, first = goal + offset_cents / 100, round((n.onset + _FROM_S) / STEP)
        row = round((midi - LOWEST) * PER_SEMITONE)
        at_once = float(ear.sounds[first : first + _SOON_FRAMES, row].max(initial=0)) / 255.0
        if at_once < _AT_ONCE or _near(ear.struck, n.onset, midi) < _AT_ONCE:
            return stroke
        evidence = replace(n.evidence, jump_cents=0.0, glide_s=0.0, unison=True)
        held = replace(n, pitch=goal, bend=None, vibrato=None, attack=Attack.PICK, evidence=evidence)
        upper = Candidate(held, pushed=round(at_once, 3))
    else:
        upper = _held(met, met.note.end)
    bent = replace(c, note=replace(n, bend=replace(bend, kind=BendKind.UNISON)))
    return [upper, bent, *(o for o in stroke if o is not c and o is not met)]


def _met(others: Sequence[Candidate], pitch: int, goal: float) -> Candidate | None:
    """The held string that a bend meets."""
    return next((c for c in others if c.note.bend is None and c.note.pitch == pitch + goal), None)


def _measured(
    frames: Frames, own: Sequence[Candidate], others: Sequence[Candidate], onset: float, pitch: int, offset_cents: float
) -> _Push | None:
    """The bend that fits best, None where nothing sounds on the fret or there is no time for one."""
    ear, midi = frames.ear, pitch + offset_cents / 100
    first = round((onset + _FROM_S) / STEP)
    base = round((midi - LOWEST) * PER_SEMITONE)
    last = min(len(ear), first + round(_LONGEST_S / STEP), _next_stroke(ear, first))
    if base < 1 or base >= PITCHES - 1 or last - first < round(_SHORTEST_S / STEP):
        return None
    sounds = ear.sounds[first:last].astype(np.float32) / 255.0
    if float(sounds[:_EARLY_FRAMES, base - 1 : base + 2].max()) < _EARLY:
        return None
    fit = _fitted(sounds, base, others, pitch)
    if fit is None:
        return None
    upper = np.clip(base + round(PER_SEMITONE * fit.goal) + np.array([-1, 0, 1]), 0, PITCHES - 1)
    until = min(last, first + round(fit.arrives / STEP) + 6)
    features = {
        **fit.features, "on the fret at first": float(sounds[:_EARLY_FRAMES, base - 1 : base + 2].max()),
        "meets a held string": float(_met(others, pitch, fit.goal) is not None),
        "struck": _near(ear.struck, onset, midi),
        "struck at the goal": float(ear.struck[first + 6 : until, upper].max(initial=0)) / 255.0,
        "fingered at the goal": float(ear.fingered[first + 6 : until, upper].max(initial=0)) / 255.0,
        "goal sounds at once": float(sounds[:_EARLY_FRAMES, upper].max()), "heard by itself": float(bool(own)),
        "seconds": min(1.5, max((c.note.end - c.note.onset for c in own), default=0.0)),
        "likely begun": max((c.begun.likely for c in own if c.begun is not None), default=0.0),
        "nearest string": float(min(12, min((abs(c.note.pitch - pitch) for c in others), default=0))),
        "together": float(len(others)), "time to the next stroke": len(sounds) * STEP, "pitch": float(pitch),
        "alone": float(frames.alone),
    }  # fmt: skip
    return replace(fit, features=features, let_down=_let_down(sounds, base, fit.goal, fit.arrives))


def _fitted(sounds: NDArray[np.float32], base: int, others: Sequence[Candidate], pitch: int) -> _Push | None:
    """The path that what sounds says most for, against staying on the fret. sounds: likelihoods from just after the
    stroke on, shape (n, PITCHES); base: the fret's row."""
    n, paths = len(sounds), _paths()
    at, arrives = np.arange(n) * STEP + _FROM_S, paths.rests + paths.rises
    before = at[None] < arrives[:, None]
    fits = ((~before).sum(axis=1) >= _LEAST_AT_GOAL) & (base + PER_SEMITONE * paths.goals < PITCHES)
    if not fits.any():
        return None
    on_it = sounds[np.arange(n), np.clip(base + paths.rows[:, :n], 0, PITCHES - 1)]
    stays = np.broadcast_to(sounds[:, base], on_it.shape)
    rising = (at[None] >= paths.rests[:, None]) & before
    pre, top, stay = _mean(on_it, before), _mean(on_it, ~before), _mean(stays, ~before)
    way, left = _mean(on_it, rising), _mean(stays, rising)
    # Where a held string sounds on the goal, that it does says nothing.
    held = np.array([_met(others, pitch, goal) is not None for goal in _GOALS])[paths.which]
    score = np.where(fits, pre + np.where(held, 0.5, top) + way - stay - 0.5 * left, -9.0)
    k = int(np.argmax(score))
    features = {
        "on the bend's way": float(pre[k]), "on it while it rises": float(way[k]), "at the goal": float(top[k]),
        "on the fret while it rises": float(left[k]), "on the fret after it": float(stay[k]),
        "fit of the bend": float(score[k]), "bend's steps": float(paths.goals[k]),
        "least on the bend's way": float(np.min(on_it[k][before[k]], initial=1.0)),
        "rests first": float(paths.rests[k]), "rises for": float(paths.rises[k]),
    }  # fmt: skip
    return _Push(float(paths.goals[k]), float(paths.rests[k]), float(arrives[k]), None, features)


def _mean(of: NDArray[np.float32], where: NDArray[np.bool_]) -> NDArray[np.float64]:
    return np.asarray((of * where).sum(axis=1) / np.maximum(where.sum(axis=1), 1), np.float64)


@functools.cache
def _paths() -> _Paths:
    at = np.arange(round(_LONGEST_S / STEP)) * STEP + _FROM_S
    tried = [(g, s, r) for g in _GOALS for s in _RESTS_S for r in _RISES_S]
    rows = [np.round(PER_SEMITONE * g * np.clip((at - s) / r, 0.0, 1.0)).astype(np.int64) for g, s, r in tried]
    goals, rests, rises = (np.array(column) for column in zip(*tried, strict=True))
    return _Paths(np.array(rows), rests, rises, goals, np.array([_GOALS.index(g) for g, _, _ in tried]))


def _next_stroke(ear: Ear, first: int) -> int:
    """The frame at which something is struck next."""
    start = first + round(_SOONEST_S / STEP)
    struck = np.flatnonzero(ear.struck[start : first + round(_LONGEST_S / STEP)].max(axis=1, initial=0) > 255 * _STRUCK)
    return start + int(struck[0]) - 2 if struck.size else len(ear)


def _near(plane: NDArray[np.uint8], time: float, midi: float) -> float:
    k, row = round(time / STEP), round((midi - LOWEST) * PER_SEMITONE)
    return float(plane[max(0, k - 4) : k + 5, max(0, row - 1) : row + 2].max(initial=0)) / 255.0


def _let_down(sounds: NDArray[np.float32], base: int, goal: float, arrives: float) -> float | None:
    """Seconds after the stroke at which the bend is let down again, None where it is not."""
    first = round(arrives / STEP) + 2
    top = min(PITCHES - 1, base + round(PER_SEMITONE * goal))
    down = sounds[first:, base] > sounds[first:, top] + 0.1
    stretch = np.convolve(down.astype(int), np.ones(_LET_DOWN, int), "valid") if len(down) >= _LET_DOWN else np.zeros(0)
    full = np.flatnonzero(stretch == _LET_DOWN)
    return (first + int(full[0])) * STEP if full.size else None


def _heard_until(ear: Ear, onset: float, midi: float) -> float:
    """Seconds at which a pitch that was reached is heard no more."""
    row, k = round((midi - LOWEST) * PER_SEMITONE), round((onset + _SHORTEST_S) / STEP)
    quiet = np.flatnonzero(
        ear.sounds[k : k + round(2 * _LONGEST_S / STEP), max(0, row - 1) : row + 2].max(axis=1, initial=0) < 64
    )
    return (k + int(quiet[0])) * STEP if quiet.size else onset + _SHORTEST_S


def _bend(push: _Push, lasts: float, *, unison: bool) -> Bend:
    """The bend of a note that lasts so many seconds: what would come after its end is at its end."""
    top = 100.0 * push.goal
    points = [(0.0, 0.0), (push.leaves, 0.0), (push.arrives, top)]
    kind = BendKind.UNISON if unison else BendKind.BEND
    if push.let_down is not None and not unison and push.let_down > push.arrives:
        kind = BendKind.BEND_RELEASE
        points += [(max(push.arrives, push.let_down - 0.1), top), (push.let_down, 0.0)]
    elif lasts > push.arrives:
        points.append((lasts, top))
    return Bend(kind, round(top / 50) * 50, tuple((round(min(t, lasts), 3), cents) for t, cents in points))
