"""The measured pitch of a note, read from the project's contour."""

import numpy as np
from numpy.typing import NDArray

from notcher.score.note import Note
from notcher.score.project import Contour, Project
from notcher.score.versions import of_the_recording

Array = NDArray[np.float64]
Runs = list[list[tuple[float, float]]]
_FARTHEST = 650.0
# No hand bends or shakes a string by more than this from one frame to the next.
_LEAP = 70.0
_EDGE_FRAMES = 12
_TOLERANCE = 2.5


class Curve:
    """A project's contour as an array, for many questions in a row."""

    def __init__(self, contour: Contour | None) -> None:
        self._start, self._hop = (contour.start, contour.hop) if contour else (0.0, 0.005)
        raw = np.array(contour.decicents if contour else (), dtype=np.float64)
        self._kept: dict[str, tuple[Note, float, tuple[int, ...], Runs]] = {}
        self._cents: Array = np.where(raw < 0, np.nan, raw / 10.0)

    def between(self, start: float, end: float) -> tuple[Array, Array]:
        """Times in seconds and cents above MIDI 0 (NaN where nothing sounds) from start to end, shapes (n,)."""
        first = max(0, int(np.ceil((start - self._start) / self._hop)))
        last = max(first, int(np.floor((end - self._start) / self._hop)) + 1)
        cents = self._cents[first:last]
        times = self._start + self._hop * np.arange(first, first + len(cents), dtype=np.float64)
        return times, cents

    def above(self, note: Note, project: Project) -> tuple[Array, Array]:
        """Times and cents above a note's pitch without its bend, the recording's offset taken out; NaN: not heard.

        Where another string was the louder one, the contour is too far away to be this note and is left out; of a
        phrase that shows what was moved or copied here nothing was measured.
        """
        t, cents = self.between(note.onset, note.end)
        if not of_the_recording(project, note.onset):
            return t, np.full(len(t), np.nan)
        relative = cents - 100.0 * note.unbent_pitch(project.tuning) - project.offset_cents
        with np.errstate(invalid="ignore"):
            return t, _without_edges(np.where(np.abs(relative) > _FARTHEST, np.nan, relative))

    def outline(self, note: Note, project: Project) -> Runs:
        """The same as few points as draw it within _TOLERANCE cents: runs without a gap of (seconds, cents).

        Kept from one call to the next: views ask for the same notes many times a second.
        """
        kept = self._kept.get(note.id)
        if kept is not None and kept[0] is note and kept[1:3] == (project.offset_cents, project.tuning.pitches):
            return kept[3]
        t, cents = self.above(note, project)
        heard = np.concatenate(([0], np.isfinite(cents).astype(np.int8), [0]))
        edges = np.flatnonzero(np.diff(heard)).reshape(-1, 2)
        found = [simplified(t[a:b], cents[a:b], tolerance=_TOLERANCE) for a, b in edges if b - a > 1]
        self._kept[note.id] = (note, project.offset_cents, project.tuning.pitches, found)
        return found

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


def simplified(x: Array, y: Array, *, tolerance: float) -> list[tuple[float, float]]:
    """The fewest corners found by splitting at the worst point until y is nowhere further off than the tolerance.

    Ramer 1972, Douglas and Peucker 1973, with the distance taken along y. x, y: shape (n,), n >= 2, x rising.
    """
    corners = {0, len(x) - 1}
    open_pieces = [(0, len(x) - 1)]
    while open_pieces:
        a, b = open_pieces.pop()
        if b - a < 2:
            continue
        line = y[a] + (y[b] - y[a]) * (x[a : b + 1] - x[a]) / (x[b] - x[a])
        off = np.abs(y[a : b + 1] - line)
        worst = int(np.argmax(off))
        if off[worst] > tolerance:
            corners.add(a + worst)
            open_pieces += [(a, a + worst), (a + worst, b)]
    return [(float(x[k]), float(y[k])) for k in sorted(corners)]
