"""Strokes that no note explains: what may be dead strings."""

from collections.abc import Sequence

import numpy as np

from notcher.listen.candidates.delay_repeats import is_repeat
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.segments import dip_db
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.onsets import ONSET_LAG, peaks
from notcher.listen.frames.spectrum import HOP
from notcher.score.measured import Measured
from notcher.score.note import Attack

# Flux of a stroke, seconds from it within which a note begins that explains it, and those that one with none lasts.
_STROKE, _EXPLAINED_S, _THUD_S = 0.3, 0.045, 0.06
# What stands for the chance that it is a note, which nobody asked, when its sound is weighed.
_UNASKED = 0.3


def unexplained(frames: Frames, notes: Sequence[HeardNote], delay: float | None = None) -> list[HeardNote]:
    """Strokes with which no note begins, each as a short note of the pitch that was last heard. notes: in time order;
    delay: seconds after which what was played comes again."""
    onsets = np.array([n.onset for n in notes])
    out: list[HeardNote] = []
    for k in peaks(frames.flux, threshold=_STROKE).tolist():
        at = max(0.0, k * HOP - ONSET_LAG)
        if np.min(np.abs(onsets - at), initial=9.0) <= _EXPLAINED_S or is_repeat(at, onsets, delay):
            continue
        before = int(np.searchsorted(onsets, at)) - 1
        pitch = notes[max(0, before)].pitch
        measured = Measured(
            flux=round(float(frames.flux[k]), 2), dip_db=round(dip_db(frames.energy, k), 1), stroke=True
        )
        out.append(
            HeardNote(
                round(at, 4), round(at + _THUD_S, 4), pitch, Attack.PICK, None, None, frozenset(), _UNASKED, measured
            )
        )  # fmt: skip
    return out
