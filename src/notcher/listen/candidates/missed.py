"""Notes that the ear heard begin and the contour does not show: strings beside it, and strokes on a pitch that it holds
already."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.shape import read_shape
from notcher.listen.candidates.struck_together import string_beside
from notcher.listen.frames.bands import STEP
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE, PITCHES, Begun, Ear, begun
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.measured import Measured, SecondString
from notcher.score.note import LEGATO, Attack

# Likelihood from which a beginning is looked at.
LEAST = 0.1
# Seconds and semitones within which a beginning is a note that is known already.
_SAME_S, _SAME_STEPS = 0.05, 0.8
# Semitones within which the contour is on a beginning's pitch; seconds after it at which it is looked at.
_ON_IT_STEPS, _AFTER_S = 0.7, (0.03, 0.08)
# Seconds after a beginning at which its string is first heard clearly (likelihood, of 255), half semitones around it.
_FIRST_S, _CLEAR, _FIRST_REACH = 0.025, 110, 3
# Seconds a note needs before and after a beginning for being cut there.
_CUT_S = 0.04


@dataclass(frozen=True, slots=True)
class Candidate:
    """A note that may be one. begun: what the ear heard of it, None where it heard nothing; cuts: the note that it cuts
    in two, and what is left of that, where it lies on the contour. pushed: how likely its string is pushed while
    another is held, None where it is not."""

    note: HeardNote
    begun: Begun | None = None
    cuts: tuple[HeardNote, HeardNote] | None = None
    pushed: float | None = None


def starting_pitch(note: HeardNote) -> float:
    """The MIDI pitch (offset taken out) that sounds as a note begins."""
    raised = note.bend.points[0][1] / 100.0 if note.bend is not None and note.bend.points else 0.0
    return note.pitch + raised


def with_missed(frames: Frames, trace: Trace, notes: Sequence[HeardNote], offset_cents: float) -> list[Candidate]:
    """All that may be notes: those that are known, each with what the ear heard of it, and those only the ear heard."""
    heard = begun(frames.ear, LEAST)
    known: dict[int, Begun] = {}
    left: list[Begun] = []
    for b in heard:
        pitch = b.midi - offset_cents / 100.0
        near = [
            i
            for i, n in enumerate(notes)
            if abs(n.onset - b.time) <= _SAME_S and abs(starting_pitch(n) - pitch) <= _SAME_STEPS
        ]
        if not near:
            left.append(b)
            continue
        i = min(near, key=lambda i: abs(notes[i].onset - b.time))
        if i not in known or known[i].likely < b.likely:
            known[i] = b
    out = [Candidate(n, known.get(i)) for i, n in enumerate(notes)]
    times = [b.time for b in heard]
    for b in left:
        following = min((t for t in times if t > b.time + _SAME_S), default=float("inf"))
        found = _on_the_contour(trace, notes, b, offset_cents) or _beside_it(frames, trace, b, following, offset_cents)
        if found is not None:
            out.append(found)
    return sorted(out, key=lambda c: (c.note.onset, -c.note.pitch))


def _on_the_contour(trace: Trace, notes: Sequence[HeardNote], b: Begun, offset_cents: float) -> Candidate | None:
    """A beginning on the pitch the contour holds there."""
    pitch = b.midi - offset_cents / 100.0
    at = round(b.time / HOP)
    after = trace.cents[at + round(_AFTER_S[0] / HOP) : at + round(_AFTER_S[1] / HOP)]
    after = after[np.isfinite(after)]
    if not len(after) or abs((float(np.median(after)) - offset_cents) / 100.0 - pitch) > _ON_IT_STEPS:
        return None
    host = next(
        (n for n in reversed(notes) if n.onset + _CUT_S < b.time < n.end - _CUT_S and n.evidence.other is None), None
    )
    upto = host.end if host is not None else _run_end(trace, at, notes)
    found = _read(trace, b.time, upto, offset_cents)
    if found is None:
        return None
    attack = Attack.PICK if b.struck >= b.fingered else Attack.HAMMER
    before = next((n for n in reversed(notes) if n.onset < b.time - _CUT_S and n.end > b.time - 2 * _CUT_S), None)
    if attack is Attack.HAMMER and before is not None and before.pitch > found.pitch:
        attack = Attack.PULL
    note = replace(found, attack=attack, confidence=round(b.likely, 2))
    if host is None:
        return Candidate(note, b)
    rest = _read(trace, host.onset, b.time, offset_cents)
    shorter = replace(
        host, end=round(b.time, 4), bend=rest.bend if rest else None, vibrato=rest.vibrato if rest else None,
        pitch=rest.pitch if rest and host.attack not in LEGATO else host.pitch,
    )  # fmt: skip
    return Candidate(note, b, (host, shorter))


def _run_end(trace: Trace, at: int, notes: Sequence[HeardNote]) -> float:
    """Seconds at which the contour falls silent, leaps, or a note begins that is known."""
    cents = trace.cents[at + 4 :]
    moved = np.abs(np.diff(cents, prepend=cents[:1])) > 60
    stops = np.flatnonzero(~np.isfinite(cents) | moved)
    end = (at + 4 + (int(stops[0]) if stops.size else len(cents))) * HOP
    return min([end, *(n.onset for n in notes if n.onset > at * HOP + _CUT_S)])


def _read(trace: Trace, start: float, end: float, offset_cents: float) -> HeardNote | None:
    """A note as the contour has it between two times in seconds."""
    first, last = round(start / HOP) + 2, round(end / HOP)
    cents = trace.cents[first:last]
    known = np.isfinite(cents)
    if last - first < 6 or known.mean() < 0.7:
        return None
    at = np.arange(len(cents))
    cents = np.interp(at, at[known], cents[known]) - offset_cents
    shape = read_shape(cents, lead_in=2 * HOP)
    bend = shape.bend
    if bend is not None:
        bend = replace(bend, points=tuple(p for p in bend.points if p[0] <= end - start + 1e-6))
    return HeardNote(
        round(start, 4), round(end, 4), shape.pitch, Attack.PICK, bend, shape.vibrato, frozenset(), 0.5,
        Measured(base_error_cents=round(shape.base_error, 1)),
    )  # fmt: skip


def _first_pitch(ear: Ear, b: Begun) -> float:
    """The MIDI pitch on which a string is first heard: one that is pushed at once is told by where it soon is."""
    k, middle = round((b.time + _FIRST_S) / STEP), round((b.midi - LOWEST) * PER_SEMITONE)
    low, high = max(0, middle - _FIRST_REACH), min(PITCHES, middle + _FIRST_REACH + 1)
    if k >= len(ear) or high - low < 3:
        return b.midi
    around = ear.sounds[k, low:high].astype(float)
    peak = int(np.argmax(around))
    near = slice(max(0, peak - 1), peak + 2)
    if around[peak] < _CLEAR:
        return b.midi
    at = float(around[near] @ np.arange(low, high)[near]) / float(around[near].sum())
    return at / PER_SEMITONE + LOWEST


def _beside_it(frames: Frames, trace: Trace, b: Begun, until: float, offset_cents: float) -> Candidate | None:
    """A beginning on another pitch than the contour's."""
    pitch = round(_first_pitch(frames.ear, b) - offset_cents / 100.0)
    at = round(b.time / HOP)
    around = trace.cents[at + 12 : at + 20]
    around = around[np.isfinite(around)]
    known = (float(np.median(around)) - offset_cents) / 100.0 if len(around) else None
    note = string_beside(
        frames, b.time, pitch, known, offset_cents, until=until, heard=SecondString(round(b.likely, 2), 1.0)
    )
    return Candidate(replace(note, confidence=round(b.likely, 2)), b) if note is not None else None
