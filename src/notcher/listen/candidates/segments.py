"""Cuts the contour into stretches of one note each: at silences, at pitch jumps, at slides, and where a string is
struck again.

What tells two notes from a bent one is how the pitch goes between them. A finger put down or lifted moves it at once:
within two frames, with hardly any movement before and after. A pushed string goes smoothly through everything
between. A finger that slides stops at every fret on its way. (Measured on the development phrases: frames spent
between 15 and 85 % of the way, 0 to 3 for fingers, 6 and more for bends and slides; mean distance from whole
semitones on the way, 20 to 36 cents for bends, 2 to 18 for slides.)
"""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.contour import Trace, runs
from notcher.listen.frames.ear import Ear, begun_near
from notcher.listen.frames.onsets import ONSET_LAG, peaks
from notcher.listen.frames.spectrum import HOP
from notcher.models.classifier import classifier

# Cents: more than a bend goes at once, less than a half step.
JUMP_CENTS = 70.0
# Cents a frame from which the pitch moves, and frames within which a leap is done: 40 ms.
_FRAME_CENTS, _AT_ONCE = 7.0, 8
# Frames beside a leap that are looked at.
_SIDE = 3
# What moves beside a leap, against the leap: less for a half step, which a quick bend resembles more.
_SIDE_SHARE, _SIDE_SHARE_HALF_STEP, _HALF_STEP = 0.5, 0.25, 150.0
# Cents in 40 ms from which a slide moves on; on a fret it rests.
_MOVES_CENTS = 40.0
# Frames a slide may halt on a fret.
_SAME_MOVE = 6
# Cents a slide goes at least, and that no bend goes beyond: two and three quarter steps.
_SLIDE_CENTS, _WIDEST_BEND = 90.0, 560.0
# Cents from the frets within which a slide halts; a bend passes them by.
_ON_FRETS_CENTS = 20.0
# Cents, times the bend's fastest, seconds since the strike, cents off the frets: a slide whose frets are blurred.
_FAR_CENTS, _FAST, _LATER_S, _BLURRED_CENTS = 280.0, 3.0, 0.3, 32.0
# Frames (55 ms) between two leaps one way that are one leap in two steps: fingers are not faster.
_FASTEST_FINGERS = 11
# Frames (40 ms) under which there is no note.
_SHORTEST = 8
# Cents to a second or third partial that a note is taken for, and seconds it is so at most.
_OCTAVE_CENTS, _OCTAVE_S = (1200.0, 1902.0), 0.35
# Seconds within which a strike begins a note whose pitch is found so much later.
_NEAR_ONSET = 0.045
# Seconds by which a pitch may be found after its strike from silence.
_LATE_PITCH = 0.12
# Flux from which there may be a strike.
_STRIKE = 0.3
# Frames (100 ms) around a boundary that are looked at.
_JUST_BEFORE = 20
# Frames (85 ms) to either side between which the level may dip.
_DIP_FRAMES = 17
# Likelihood from which a note is struck anew, more within so many seconds of its beginning.
_PICK, _PICK_SO_SOON, _SOON_S = 0.5, 0.7, 0.12
# Frames (80 ms) of silence that do not end a note nobody struck again.
_SAME_NOTE_GAP = 16
# Seconds and cents of a slide from nowhere into a note.
_SLIDE_IN_S, _SLIDE_IN_CENTS = 0.13, 230.0
# Flux from which a slide's goal was picked again; share of its way on which the finger rested.
_PICKED_AGAIN, _RESTED = 1.0, 0.5


@dataclass(frozen=True, slots=True)
class Segment:
    """Frames [start, end) of one note, and how it began.

    cause: 'rest' (out of silence), 'jump' (the pitch leapt), 'slide' (it went there fret by fret), 'strike' (struck
    while sounding). jump_cents: size of the leap into it; glide: seconds the leap took; flux: strength of the strike, 0
    for none; dip: how far the sound dropped just before, dB. onset: seconds, finer than the frame where a strike was
    found. slid_in: whether it begins with a slide from nowhere.
    """

    start: int
    end: int
    cause: str
    onset: float
    jump_cents: float = 0.0
    glide: float = 0.0
    flux: float = 0.0
    dip: float = 0.0
    slid_in: bool = False


@dataclass(frozen=True, slots=True)
class _Move:
    """The pitch going from one level to another: frames [start, end], cents, and whether at once or fret by fret."""

    start: int
    end: int
    cents: float
    at_once: bool


def segment(
    trace: Trace, flux: NDArray[np.float64], energy: NDArray[np.float64], ear: Ear, *, alone: bool
) -> tuple[Trace, list[Segment]]:
    """Cut a trace into segments, in time order; returns it with the gaps within notes filled, and the segments.

    flux: onset strength; energy: of the lead in dB; each shape (n_frames,). ear: what it heard begin. alone: whether
    nothing else plays, so that every strike is the lead's.
    """
    struck = peaks(flux, threshold=_STRIKE)
    found: list[Segment] = []
    for start, end in runs(np.isfinite(trace.cents)):
        found += _cut_run(trace, flux, energy, ear, struck, start, end, alone)
    return _joined(trace, _with_strikes(_tidied(trace, found), flux, energy, struck))


def _cut_run(
    trace: Trace, flux: NDArray[np.float64], energy: NDArray[np.float64], ear: Ear, struck: NDArray[np.int64],
    start: int, end: int, alone: bool,
) -> list[Segment]:  # fmt: skip
    cuts: dict[int, tuple[str, float, float]] = {}
    for move in _moves(trace.cents[start:end]):
        cause = "jump" if move.at_once else "slide"
        cuts[start + move.end] = (cause, move.cents, 0.0 if move.at_once else (move.end - move.start) * HOP)
    for struck_at in struck[(struck > start + 6) & (struck < end - 6)]:
        k = int(struck_at)
        if all(abs(k - c) * HOP > _NEAR_ONSET for c in cuts) and (
            not _in_a_dip(trace.cents[start:end], k - start)
            and _picked(trace, flux, energy, ear, struck, k, start, alone=alone)
        ):
            cuts[k] = ("strike", 0.0, 0.0)
    edges = [start, *sorted(cuts), end]
    out: list[Segment] = []
    for a, b in itertools.pairwise(edges):
        cause, size, length = cuts.get(a, ("rest", 0.0, 0.0))
        out.append(Segment(a, b, cause, a * HOP, size, length))
    return out


def _moves(cents: NDArray[np.float64]) -> list[_Move]:
    """Where the pitch goes to another fret, at once or by sliding; bends and vibrato are none."""
    n = len(cents)
    if n <= 2 * _SIDE + 3:
        return []
    found: list[_Move] = []
    for a, b in _moving(np.diff(cents)):
        low, high = a, min(n - 1, b)
        total = cents[high] - cents[low]
        aside = abs(cents[low] - cents[max(0, low - _SIDE)]) + abs(cents[min(n - 1, high + _SIDE)] - cents[high])
        still = _SIDE_SHARE if abs(total) > _HALF_STEP else _SIDE_SHARE_HALF_STEP
        if b - a <= _AT_ONCE and abs(total) >= JUMP_CENTS and aside < still * abs(total):
            biggest = max(range(low, high), key=lambda i: abs(cents[i + 1] - cents[i]))
            before, after = cents[max(0, low - 3) : low + 1], cents[high : high + 4]
            found.append(_Move(low, biggest + 1, float(np.median(after) - np.median(before)), True))
    return _chained(sorted([*found, *_slides(cents, [m.end for m in found])], key=lambda m: m.end))


def _moving(change: NDArray[np.float64]) -> list[tuple[int, int]]:
    """(start, end) of each run of frames in which the pitch goes one way faster than _FRAME_CENTS; a frame's halt
    within it does not end it."""
    out: list[tuple[int, int]] = []
    for way in (1.0, -1.0):
        parts: list[tuple[int, int]] = []
        for a, b in runs(way * change > _FRAME_CENTS):
            if parts and a - parts[-1][1] <= 1:
                parts[-1] = (parts[-1][0], b)
            else:
                parts.append((a, b))
        out += parts
    return sorted(out)


def _chained(moves: list[_Move]) -> list[_Move]:
    """Steps in one direction that follow faster than fingers can are the frets a slide passes."""
    out: list[_Move] = []
    for m in moves:
        if out and m.cents * out[-1].cents > 0 and m.end - out[-1].end <= _FASTEST_FINGERS:
            before = out.pop()
            m = _Move(before.start, m.end, before.cents + m.cents, False)
        out.append(m)
    return out


def _slides(cents: NDArray[np.float64], jumps: list[int]) -> list[_Move]:
    """Moves that stop at frets on their way."""
    n = len(cents)
    moving = np.zeros(n)
    moving[2:-2] = cents[4:] - cents[:-4]
    for k in jumps:
        moving[max(0, k - 3) : k + 3] = 0.0
    parts: list[tuple[int, int]] = []
    for a, b in runs(np.abs(moving) > _MOVES_CENTS):
        same = bool(parts) and a - parts[-1][1] <= _SAME_MOVE and moving[a] * moving[parts[-1][0]] > 0
        if same and not any(parts[-1][1] <= k <= a for k in jumps):
            parts[-1] = (parts[-1][0], b)
        else:
            parts.append((a, b))
    out = []
    for a, b in parts:
        low, high = max(0, a - 1), min(n - 1, b)
        total = float(np.median(cents[high : high + 5]) - np.median(cents[max(0, low - 4) : low + 1]))
        way = (cents[low : high + 1] - np.median(cents[max(0, low - 4) : low + 1])) * np.sign(total)
        inner = way[(way > 20) & (way < abs(total) - 20)]
        off_frets = float(np.mean(np.abs(inner - 100 * np.round(inner / 100)))) if len(inner) else 50.0
        # Far and fast, and well after the note began: a finger sliding, though the halts are blurred.
        since = low - max((k for k in jumps if k <= low), default=0)
        fast = abs(total) / ((high - low) * HOP * 1000)
        blurred = abs(total) >= _FAR_CENTS and fast > _FAST and since * HOP > _LATER_S and off_frets < _BLURRED_CENTS
        if abs(total) >= _SLIDE_CENTS and (off_frets < _ON_FRETS_CENTS or abs(total) > _WIDEST_BEND or blurred):
            out.append(_Move(low, high, total, False))
    return out


def _picked(
    trace: Trace, flux: NDArray[np.float64], energy: NDArray[np.float64], ear: Ear, struck: NDArray[np.int64], k: int,
    start: int, *, alone: bool,
) -> bool:  # fmt: skip
    """Whether a strike on an unchanged pitch is a pick: how sharp it is, how far the sound drops before it and rises
    after it, how far the pitch moves, and whether a stronger strike was just before. start: frame from which the
    pitch sounds."""
    before, after = trace.level[max(0, k - 6) : k + 1], trace.level[k + 1 : k + 9]
    grown = float(np.max(after) - np.min(before)) if len(after) else 0.0
    rise = float(np.median(energy[k + 2 : k + 10]) - np.median(energy[max(0, k - 14) : max(1, k - 3)]))
    since = struck[(struck < k) & (struck >= k - _JUST_BEFORE)]
    earlier = float(np.max(flux[since])) if since.size else 0.0
    around = trace.cents[max(start, k - 8) : k + 8]
    moved = float(np.ptp(around[np.isfinite(around)]))
    begun, fingered, anywhere = begun_near(ear, k * HOP, float(np.nanmedian(around)) / 100)
    features = {
        "flux": float(flux[k]), "dip": dip_db(energy, k), "grown": grown, "rise": rise, "flux before": earlier,
        "moved": min(moved, 300.0), "since": min((k - start) * HOP, 2.0), "alone": float(alone), "struck": begun,
        "fingered": fingered, "struck anywhere": anywhere,
    }  # fmt: skip
    # A pick's own ringing in, while the string is pushed at once, is not another pick.
    soon = (k - start) * HOP < _SOON_S
    return classifier("strike").chance(features, time=k * HOP) > (_PICK_SO_SOON if soon else _PICK)


def _in_a_dip(cents: NDArray[np.float64], k: int) -> bool:
    """Whether the pitch is just down and coming back by itself, as with a bar: nobody picks there."""
    if not _DIP_FRAMES <= k < len(cents) - _DIP_FRAMES:
        return False
    before, after = float(np.max(cents[k - _DIP_FRAMES : k])), float(np.max(cents[k + 1 : k + _DIP_FRAMES]))
    deep = min(before, after) - float(np.min(cents[k - 2 : k + 4]))
    return abs(before - after) < 25 and 45 < deep < 260 and float(np.max(np.abs(np.diff(cents[k - 8 : k + 9])))) < 45


def dip_db(energy: NDArray[np.float64], k: int) -> float:
    """How far the sound drops just before frame k, in dB: a picked string is stopped for a moment, a hammered one is
    not. energy: dB, shape (n_frames,)."""
    k = min(k, len(energy) - 1)
    before, around = energy[max(0, k - 16) : max(1, k - 6)], energy[max(0, k - 6) : k + 5]
    return float(np.median(before) - np.min(around)) if len(before) and len(around) else 0.0


def _tidied(trace: Trace, found: list[Segment]) -> list[Segment]:
    """Puts slivers back: a glitch into the note around it, a passing step into the note it leads to."""
    out: list[Segment] = []
    for s in found:
        previous = out[-1] if out else None
        touching = previous is not None and previous.end == s.start
        if previous is not None and touching and s.cause in ("jump", "slide") and _sliver(previous):
            before = out[-2] if len(out) > 1 and out[-2].end == previous.start else None
            if before is not None and abs(_level_of(trace, before) - _level_of(trace, s)) < JUMP_CENTS:
                out[-2:] = [replace(before, end=s.end)]
            else:
                out[-1] = replace(
                    s, start=previous.start, cause=previous.cause, onset=previous.onset,
                    jump_cents=previous.jump_cents + s.jump_cents,
                    glide=previous.glide + (s.start - previous.start) * HOP,
                )  # fmt: skip
            continue
        out.append(s)
    kept: list[Segment] = []
    for s in out:
        if _sliver(s):
            if kept and kept[-1].end == s.start:
                kept[-1] = replace(kept[-1], end=s.end)
            continue
        kept.append(s)
    return kept


def _sliver(s: Segment) -> bool:
    return s.end - s.start < _SHORTEST


def _level_of(trace: Trace, s: Segment) -> float:
    return float(np.median(trace.cents[s.start : s.end]))


def _with_strikes(
    found: list[Segment], flux: NDArray[np.float64], energy: NDArray[np.float64], struck: NDArray[np.int64]
) -> list[Segment]:
    """Gives each segment the strike near its start, and moves its onset there."""
    out: list[Segment] = []
    for s in found:
        # Out of silence the pitch is heard later than the pick: muted and low strings need up to a tenth of a second.
        before = _LATE_PITCH if s.cause == "rest" else _NEAR_ONSET
        since = out[-1].end if out else 0
        away = (struck - s.start) * HOP
        near = struck[(away >= -before) & (away <= _NEAR_ONSET) & (struck > since - 6)]
        if near.size:
            k = int(near[np.argmax(flux[near])])
            at = max(0.0, k * HOP - ONSET_LAG)
            earliest = out[-1].onset + 0.02 if out else 0.0
            s = replace(s, flux=float(flux[k]), onset=max(at, earliest))
        out.append(replace(s, dip=dip_db(energy, round(s.onset / HOP))))
    return out


def _joined(trace: Trace, found: list[Segment]) -> tuple[Trace, list[Segment]]:
    """Puts together what is one note: a gap in the contour with no strike after it, an unstruck leap to a partial and
    back, and a slide in from nowhere."""
    out: list[Segment] = []
    cents = trace.cents.copy()
    found = _without_partials(cents, found)
    for s in found:
        previous = out[-1] if out else None
        if previous is not None:
            gap = s.start - previous.end
            away = abs(
                float(np.median(cents[s.start : s.start + 5]) - np.median(cents[previous.end - 5 : previous.end]))
            )
            if s.cause == "rest" and s.flux == 0 and gap <= _SAME_NOTE_GAP and away < 60:
                out[-1] = replace(previous, end=s.end)
                line = np.interp(np.arange(gap), [-1, gap], [cents[previous.end - 1], cents[s.start]])
                cents[previous.end : s.start] = line
                continue
            if _slid_in(cents, previous, s):
                if _from_a_fret(cents, previous, s):
                    out.append(replace(s, cause="slide", flux=0.0))
                    continue
                out[-1] = replace(s, cause=previous.cause, onset=previous.onset, flux=previous.flux, dip=previous.dip,
                                  jump_cents=previous.jump_cents, glide=0.0, slid_in=True)  # fmt: skip
                continue
        out.append(s)
    return replace(trace, cents=cents), out


def _slid_in(cents: NDArray[np.float64], first: Segment, s: Segment) -> bool:
    """Whether the pitch only came up to this note in the segment before it, which began as a note does: from far enough
    below, and without resting anywhere."""
    if (s.start - first.start) * HOP > _SLIDE_IN_S or first.end != s.start or s.jump_cents <= 0:
        return False
    if s.cause == "slide" and first.cause != "jump" and s.jump_cents >= _SLIDE_IN_CENTS:
        return True
    began = first.cause == "rest" or first.flux > _STRIKE
    way = cents[first.start : s.start]
    goal = float(np.median(cents[s.start : s.end][:_JUST_BEFORE]))
    rested = max(float(np.mean(np.abs(way - v) < 25)) for v in way)
    return began and s.flux < _PICKED_AGAIN and goal - float(way[0]) >= _SLIDE_IN_CENTS and rested < _RESTED


def _from_a_fret(cents: NDArray[np.float64], first: Segment, s: Segment) -> bool:
    """Whether a slide at a note's start came from a fret close by, a grace note, rather than from nowhere: by the first
    pitch that is held for two frames."""
    way, goal = cents[first.start : s.start], float(np.median(cents[s.start : s.end][:_JUST_BEFORE]))
    held = np.flatnonzero(np.abs(np.diff(way)) < 12)
    return bool(held.size) and 150 < goal - float(way[held[0] + 1]) < _SLIDE_IN_CENTS


def _without_partials(cents: NDArray[np.float64], found: list[Segment]) -> list[Segment]:
    """Where the contour leaps an octave or twelfth up with no strike and soon back, it followed a partial for a moment;
    cents is corrected in place."""
    out: list[Segment] = []
    for s in found:
        partial = out[-1] if out else None
        base = out[-2] if len(out) > 1 else None
        if partial is not None and base is not None and base.end == partial.start and partial.end == s.start:
            up = min(_OCTAVE_CENTS, key=lambda c: abs(partial.jump_cents - c))
            back = abs(partial.jump_cents - up) < 25 and abs(partial.jump_cents + s.jump_cents) < 40
            if back and partial.flux == 0 and s.flux == 0 and (partial.end - partial.start) * HOP < _OCTAVE_S:
                cents[partial.start : partial.end] -= up
                out[-2:] = [replace(base, end=s.end)]
                continue
        out.append(s)
    return out
