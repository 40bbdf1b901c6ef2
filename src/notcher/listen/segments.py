"""Cuts the contour into stretches of one note each: at silences, at pitch jumps, and where a string is struck again.

A bend moves the pitch by at most about 2.5 cents a millisecond; a finger put down or lifted moves it at once. That is
what tells a bent note from two notes (measured on the development phrases).
"""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.contour import Trace, runs
from notcher.listen.onsets import peaks
from notcher.listen.spectrum import HOP

JUMP_CENTS = 70.0
_JUMP_SPAN = 2
_SHORTEST = 8
_NEAR_ONSET = 0.045
_ONSET_LAG = 0.006
_LATE_PITCH = 0.12


@dataclass(frozen=True, slots=True)
class Segment:
    """Frames [start, end) of one note, and how it began.

    cause: 'rest' (out of silence), 'jump' (the pitch leapt), 'strike' (struck while sounding).
    jump_cents: size of the leap into it; glide: seconds the leap took; flux: strength of the strike, 0 for none.
    onset: seconds, finer than the frame where a strike was found.
    """

    start: int
    end: int
    cause: str
    onset: float
    jump_cents: float = 0.0
    glide: float = 0.0
    flux: float = 0.0


def segment(trace: Trace, flux: NDArray[np.float64], *, strike: float, rise_db: float) -> list[Segment]:
    """Cut a trace into segments, in time order.

    flux: onset strength, shape (n_frames,). strike: flux from which a struck string is believed.
    rise_db: how much the lead's own partials must grow at a strike on an unchanged pitch (0 where it plays alone).
    """
    struck = peaks(flux, threshold=strike)
    found: list[Segment] = []
    for start, end in runs(np.isfinite(trace.cents)):
        found += _cut_run(trace, flux, struck, start, end, rise_db)
    return _with_strikes(_tidied(trace, found), flux, struck)


def _cut_run(trace: Trace, flux: NDArray[np.float64], struck: NDArray[np.int64], start: int, end: int,
             rise_db: float) -> list[Segment]:  # fmt: skip
    cents = trace.cents[start:end]
    cuts: dict[int, tuple[str, float, float]] = {}
    for at, leap, frames in _jumps(cents):
        cuts[start + at] = ("jump", leap, frames * HOP)
    for struck_at in struck[(struck > start + 6) & (struck < end - 6)]:
        k = int(struck_at)
        if all(abs(k - c) * HOP > _NEAR_ONSET for c in cuts) and _grows(trace.level, k, rise_db):
            cuts[k] = ("strike", 0.0, 0.0)
    edges = [start, *sorted(cuts), end]
    out: list[Segment] = []
    for a, b in itertools.pairwise(edges):
        cause, size, length = cuts.get(a, ("rest", 0.0, 0.0))
        out.append(Segment(a, b, cause, a * HOP, size, length))
    return out


def _jumps(cents: NDArray[np.float64]) -> list[tuple[int, float, int]]:
    """(frame of arrival, cents, frames it took) of each leap; steps close together in one direction are one glide."""
    n = len(cents)
    if n <= 2 * _JUMP_SPAN + 1:
        return []
    change = np.zeros(n)
    change[_JUMP_SPAN:-_JUMP_SPAN] = cents[2 * _JUMP_SPAN :] - cents[: -2 * _JUMP_SPAN]
    single: list[tuple[int, float]] = []
    for a, b in runs(np.abs(change) > JUMP_CENTS):
        step = np.diff(cents[max(0, a - 1) : b + 1])
        at = max(0, a - 1) + int(np.argmax(np.abs(step))) + 1
        low, high = max(0, a - _JUMP_SPAN), min(n, b + _JUMP_SPAN)
        single.append((at, float(np.median(cents[b:high]) - np.median(cents[low : a + 1])) if high > b else 0.0))
    glides: list[tuple[int, float, int]] = []
    for at, size in single:
        if glides and (at - glides[-1][0]) * HOP <= 0.055 and np.sign(size) == np.sign(glides[-1][1]):
            before = glides.pop()
            glides.append((at, before[1] + size, before[2] + at - before[0]))
        else:
            glides.append((at, size, 0))
    return glides


def _grows(level: NDArray[np.float64], k: int, rise_db: float) -> bool:
    if rise_db <= 0:
        return True
    before, after = level[max(0, k - 6) : k + 1], level[k + 1 : k + 9]
    return len(after) > 0 and float(np.max(after) - np.min(before)) >= rise_db


def _tidied(trace: Trace, found: list[Segment]) -> list[Segment]:
    """Puts slivers back: a glitch into the note around it, a passing step into the note it leads to."""
    out: list[Segment] = []
    for s in found:
        previous = out[-1] if out else None
        touching = previous is not None and previous.end == s.start
        if previous is not None and touching and s.cause == "jump" and _sliver(previous):
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


def _with_strikes(found: list[Segment], flux: NDArray[np.float64], struck: NDArray[np.int64]) -> list[Segment]:
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
            at = max(0.0, k * HOP - _ONSET_LAG)
            earliest = out[-1].onset + 0.02 if out else 0.0
            out.append(replace(s, flux=float(flux[k]), onset=max(at, earliest)))
        else:
            out.append(s)
    return out
