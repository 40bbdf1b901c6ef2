"""Techniques that several notes are together, or that a note shows in how it ends: trills, tremolo picking, bends muted
at the top."""

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.note import Attack, BendKind, Mark

# Seconds between notes of a trill and of tremolo picking at most: slower, they are notes that are counted (common
# practice, no source).
_TURN_S, _STROKE_S = 0.135, 0.165
# Seconds within which notes are strings struck together.
_APART_S = 0.025
# Notes that make one, semitones between a trill's two, and the share of it that the fretting hand plays.
_TURNS, _STROKES, _WIDEST_TRILL, _BY_HAND = 5, 6, 5, 0.6
# A stroke's time against the others' of its run.
_EVEN = 1.6
# Seconds of silence after a bend that was stopped at the top, those before and after its end that are compared, and dB
# by which the sound falls there.
_REST_S, _LOUD_S, _GONE_S, _FALLS_DB = 0.07, (0.08, 0.03), (0.05, 0.1), 12.0
# Share of its peak at which a string is still up.
_UP = 0.7


def with_figures(frames: Frames, notes: Sequence[HeardNote]) -> list[HeardNote]:
    """The notes with what they are together. notes: in time order; a trill and tremolo picking are written at the first
    of theirs."""
    out = list(notes)
    for first in _trills(out):
        out[first] = replace(out[first], marks=out[first].marks | {Mark.TRILL})
    for first in _tremolos(out):
        out[first] = replace(out[first], marks=out[first].marks | {Mark.TREMOLO})
    for i, n in enumerate(out):
        following = min((m.onset for m in out[i + 1 : i + 8] if m.onset > n.onset + HOP), default=float("inf"))
        if n.bend is not None and n.bend.kind is BendKind.BEND and _stopped(frames, n, following):
            out[i] = replace(n, bend=replace(n.bend, kind=BendKind.MUTED))
    return out


def _trills(notes: Sequence[HeardNote]) -> list[int]:
    """Indices of the first notes of trills: two pitches in quick turns, hammered and pulled."""
    out: list[int] = []
    i = 0
    while i + _TURNS <= len(notes):
        j = i + 1
        while j < len(notes) and _turns(notes, i, j):
            j += 1
        by_hand = sum(n.attack in (Attack.HAMMER, Attack.PULL) for n in notes[i + 1 : j])
        if j - i >= _TURNS and by_hand >= _BY_HAND * (j - i - 1):
            out.append(i)
            i = j
        else:
            i += 1
    return out


def _turns(notes: Sequence[HeardNote], first: int, i: int) -> bool:
    """Whether note i goes on what began with the first: back to the pitch of the one before last, in time."""
    step = abs(notes[i].pitch - notes[i - 1].pitch)
    soon = _APART_S < notes[i].onset - notes[i - 1].onset <= _TURN_S
    back = i - first < 2 or notes[i].pitch == notes[i - 2].pitch
    return soon and back and 0 < step <= _WIDEST_TRILL and notes[i - 1].bend is None


def _tremolos(notes: Sequence[HeardNote]) -> list[int]:
    """Indices of the first notes of tremolo picking: one pitch struck again and again, evenly."""
    out: list[int] = []
    i = 0
    while i + _STROKES <= len(notes):
        j = i + 1
        while j < len(notes) and _struck_again(notes[i:j], notes[j]):
            j += 1
        if j - i >= _STROKES:
            out.append(i)
            i = j
        else:
            i += 1
    return out


def _struck_again(run: Sequence[HeardNote], n: HeardNote) -> bool:
    apart = n.onset - run[-1].onset
    if not _APART_S < apart <= _STROKE_S:
        return False
    usual = float(np.median([b.onset - a.onset for a, b in itertools.pairwise(run)] or [apart]))
    even = 1 / _EVEN < apart / usual < _EVEN
    return n.pitch == run[0].pitch and n.attack is Attack.PICK and even


def _stopped(frames: Frames, n: HeardNote, following: float) -> bool:
    """Whether a bent note falls silent while it is up."""
    assert n.bend is not None
    peak = n.bend.peak_cents
    if peak is None or n.bend.points[-1][1] < _UP * peak:
        return False
    loud = frames.energy if frames.alone else frames.trace.level
    at = round(n.end / HOP)
    before = loud[max(0, at - round(_LOUD_S[0] / HOP)) : max(1, at - round(_LOUD_S[1] / HOP))]
    after = loud[at + round(_GONE_S[0] / HOP) : at + round(_GONE_S[1] / HOP)]
    if following - n.end < _REST_S or not len(before) or not len(after):
        return False
    return float(np.median(before) - np.median(after)) > _FALLS_DB
