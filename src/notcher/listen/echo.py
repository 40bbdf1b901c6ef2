"""Echoes of a delay pedal: notes that come again, fainter, always the same time later. They are no notes of the player.

The time is found from all pairs of a note and a fainter one on the same pitch after it; a delay shows as many pairs
with one and the same distance.
"""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.contour import Trace
from notcher.listen.segments import Segment

# Seconds of a delay pedal's usual settings (common practice, no source).
_SHORTEST_S, _LONGEST_S = 0.12, 1.3
# dB by which a repeat is fainter than what it repeats, from and to.
_FAINTER_DB, _FAINTEST_DB = 5.0, 26.0
# Cents within which two notes are of one pitch, and seconds within which two delays are one.
_SAME_CENTS = 30.0
_WITHIN_S = 0.012
# Repeats, and their share of all fainter pairs, from which there is a pedal: three are no chance.
_LEAST_PAIRS, _LEAST_SHARE = 3, 0.35
# Seconds around the moment it would repeat, and the share of that strike's flux below which it is no strike of its
# own.
_STRIKE_WITHIN_S, _WEAKER = 0.02, 0.75


def without_echoes(trace: Trace, segments: list[Segment]) -> list[Segment]:
    """The segments with echoes taken out, where there is a delay; a strike that is only the echo of an earlier one no
    longer cuts the note it falls in."""
    faint = _echo_like(trace, segments)
    delay = _usual(faint)
    if delay is None:
        return segments
    echoes = {j for j, distances in faint.items() if any(abs(d - delay) <= _WITHIN_S for d in distances)}
    onsets = np.array([s.onset for s in segments])
    out: list[Segment] = []
    for j, s in enumerate(segments):
        if j in echoes:
            continue
        struck = np.flatnonzero(np.abs(onsets[:j] - (s.onset - delay)) < _STRIKE_WITHIN_S)
        weaker = any(0 < s.flux < _WEAKER * segments[int(i)].flux for i in struck)
        if s.cause == "strike" and weaker and out and out[-1].end == s.start:
            out[-1] = replace(out[-1], end=s.end)
            continue
        out.append(s)
    return out


def _echo_like(trace: Trace, segments: list[Segment]) -> dict[int, list[float]]:
    """For each segment that may be an echo, the distances in seconds to the louder notes of its pitch before it."""
    level = [_level(trace.level, s) for s in segments]
    pitch = [_level(trace.cents, s) for s in segments]
    found: dict[int, list[float]] = {}
    for j, s in enumerate(segments):
        if s.cause == "strike":
            continue
        for i in range(j - 1, -1, -1):
            distance = s.onset - segments[i].onset
            if distance > _LONGEST_S:
                break
            fainter = level[i] - level[j]
            same = abs(pitch[i] - pitch[j]) < _SAME_CENTS
            if distance >= _SHORTEST_S and same and _FAINTER_DB <= fainter <= _FAINTEST_DB:
                found.setdefault(j, []).append(distance)
    return found


def _level(column: NDArray[np.float64], s: Segment) -> float:
    return float(np.median(column[s.start : s.end]))


def _usual(faint: dict[int, list[float]]) -> float | None:
    """The distance that most of the faint notes share, or None."""
    distances = np.array([d for ds in faint.values() for d in ds])
    if len(faint) < _LEAST_PAIRS:
        return None
    near = (np.abs(distances[:, None] - distances[None, :]) <= _WITHIN_S).sum(axis=1)
    k = int(np.argmax(near))
    if near[k] < max(_LEAST_PAIRS, _LEAST_SHARE * len(faint)):
        return None
    return float(np.median(distances[np.abs(distances - distances[k]) <= _WITHIN_S]))
