"""The measured pitch of a note, read from the project's contour."""

import numpy as np
from numpy.typing import NDArray

from notcher.score.note import Note
from notcher.score.project import Contour, Project

Array = NDArray[np.float64]
_FARTHEST = 650.0
# No hand bends or shakes a string by more than this from one frame to the next.
_LEAP = 70.0
_EDGE_FRAMES = 12


class Curve:
    """A project's contour as an array, for many questions in a row."""

    def __init__(self, contour: Contour | None) -> None:
        self._start, self._hop = (contour.start, contour.hop) if contour else (0.0, 0.005)
        raw = np.array(contour.decicents if contour else (), dtype=np.float64)
        self._cents: Array = np.where(raw < 0, np.nan, raw / 10.0)

    def between(self, start: float, end: float) -> tuple[Array, Array]:
        """Times in seconds and cents above MIDI 0 (NaN where nothing sounds) from start to end, shapes (n,)."""
        first = max(0, int(np.ceil((start - self._start) / self._hop)))
        last = max(first, int(np.floor((end - self._start) / self._hop)) + 1)
        cents = self._cents[first:last]
        times = self._start + self._hop * np.arange(first, first + len(cents), dtype=np.float64)
        return times, cents

    def above(self, note: Note, project: Project) -> tuple[Array, Array]:
        """Times and cents above a note's fretted pitch, the recording's offset taken out; NaN where it is not heard.

        Where another string was the louder one, the contour is too far away to be this note and is left out.
        """
        t, cents = self.between(note.onset, note.end)
        relative = cents - 100.0 * note.pitch(project.tuning) - project.offset_cents
        with np.errstate(invalid="ignore"):
            return t, _without_edges(np.where(np.abs(relative) > _FARTHEST, np.nan, relative))

    def pitch_at(self, time: float, project: Project) -> int | None:
        """The MIDI pitch heard around a time, or None where nothing sounds."""
        _, cents = self.between(time, time + 0.08)
        heard = cents[~np.isnan(cents)]
        return round((float(np.median(heard)) - project.offset_cents) / 100.0) if len(heard) else None


def _without_edges(cents: Array) -> Array:
    """Takes away the neighbours' pitch at a note's ends: short runs cut off from the rest by a leap."""
    leaps = np.flatnonzero(np.abs(np.diff(np.nan_to_num(cents, nan=1e6))) > _LEAP) + 1
    edges = [0, *leaps.tolist(), len(cents)]
    if len(edges) < 3:
        return cents
    kept = cents.copy()
    if edges[1] < min(_EDGE_FRAMES, len(cents) // 3):
        kept[: edges[1]] = np.nan
    if len(cents) - edges[-2] < min(_EDGE_FRAMES, len(cents) // 3):
        kept[edges[-2] :] = np.nan
    return kept
