"""The contour brought into line with the notes that were read from it: where it followed a partial, or a sum of two
strings, it is put on the string that sounds."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import Ear, heard_at
from notcher.listen.frames.spectrum import HOP

# Cents a contour may lie from its note, beside its bend and vibrato.
_NEAR_CENTS = 70.0
# Cents from a fundamental to its partials that a contour strays to.
_PARTIALS_CENTS = 1200.0 * np.log2(np.array([2.0, 3.0, 4.0, 5.0, 6.0, 8.0]))
# Cents: farther than any bend goes.
_FAR_CENTS = 2000.0


def reconciled(trace: Trace, notes: Sequence[HeardNote], offset_cents: float, ear: Ear) -> Trace:
    """The trace with each frame that fits no sounding note, but lies a partial away from the one that began first of
    those, moved to that one, where the ear hears that no less than what the trace has."""
    cents = trace.cents.copy()
    fits = ~np.isfinite(cents)
    first = np.full(len(cents), np.nan)
    for n in sorted(notes, key=lambda n: (n.onset, n.pitch)):
        a, b = int(np.ceil(n.onset / HOP)), min(len(cents), int(n.end / HOP) + 1)
        if b <= a:
            continue
        level = np.full(b - a, 100.0 * n.pitch + offset_cents)
        low = high = 0.0
        if n.bend is not None:
            t = np.arange(a, b) * HOP - n.onset
            level += np.interp(t, [p[0] for p in n.bend.points], [p[1] for p in n.bend.points])
            values = [p[1] for p in n.bend.points]
            low, high = min(values), max(values)
        slack = _NEAR_CENTS + (n.vibrato.extent_cents * 2 if n.vibrato else 0.0)
        part = cents[a:b] - 100.0 * n.pitch - offset_cents
        fits[a:b] |= (part > low - slack) & (part < high + slack)
        free = np.isnan(first[a:b])
        first[a:b][free] = level[free]
    away = np.abs(cents - first)
    partial = np.min(np.abs(away[:, None] - _PARTIALS_CENTS[None, :]), axis=1) < _NEAR_CENTS
    times = HOP * np.arange(len(cents), dtype=np.float64)
    heard = heard_at(ear, times, first / 100) >= heard_at(ear, times, cents / 100)
    astray = ~fits & np.isfinite(first) & (partial | (away > _FAR_CENTS)) & heard
    cents[astray] = first[astray]
    return replace(trace, cents=cents)
