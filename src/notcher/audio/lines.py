"""What a lead plays as lines of pitch over time, for taking it out of the mix."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio.tone import cents_of, struck_pitch
from notcher.audio.wiener import Lines
from notcher.score.note import LEGATO
from notcher.score.pitch import midi_to_hz
from notcher.score.project import Contour, Project

STEP = 0.005
"""Seconds between a line's values."""
# Cents within which the contour is this note's own, and share of a note's values from which it is.
_OWN_CENTS, _OWN = 90.0, 0.5


@dataclass(frozen=True, slots=True)
class Sounded:
    """A note as it sounds. onset, end: seconds; midi: its struck pitch, with the recording's offset; points: seconds
    from the onset and cents above that, in between on straight lines; struck: whether it begins with a stroke."""

    onset: float
    end: float
    midi: float
    points: Sequence[tuple[float, float]] = ()
    struck: bool = True

    def hz(self, times: NDArray[np.float64]) -> NDArray[np.float64]:
        """Its frequency at times in seconds of the recording. Both of shape (n,)."""
        cents = np.zeros(len(times))
        if self.points:
            cents = np.interp(times - self.onset, [p[0] for p in self.points], [p[1] for p in self.points])
        return np.asarray(440.0 * 2.0 ** ((self.midi - 69.0 + cents / 100.0) / 12.0))


def lines_of(notes: Iterable[Sounded], contour: NDArray[np.float64]) -> Lines:
    """The lines of notes: where the contour holds a note's own pitch it is taken, and the others sound beside it.

    contour: cents above MIDI 0 each STEP from 0, NaN where nothing sounds. contour: shape (n,)."""
    n = len(contour)
    main = np.where(np.isfinite(contour), 440.0 * 2.0 ** ((np.nan_to_num(contour) - 6900.0) / 1200.0), 0.0)
    columns, strokes = [main], []
    for note in notes:
        first, last = max(0, round(note.onset / STEP)), min(n, round(note.end / STEP))
        if note.struck:
            strokes.append(note.onset)
        if last <= first:
            continue
        hz = note.hz(np.arange(first, last, dtype=np.float64) * STEP)
        away = np.abs(1200 * np.log2(np.maximum(main[first:last], 1.0) / hz))
        if np.mean(away < _OWN_CENTS) >= _OWN:
            continue
        free = next((c for c in columns[1:] if not c[first:last].any()), None)
        if free is None:
            columns.append(free := np.zeros(n))
        free[first:last] = hz
    return Lines(np.stack(columns, axis=1), STEP, np.array(sorted(strokes)))


def lines_of_project(project: Project, duration: float) -> Lines:
    """The lines of what stands in a project, over so many seconds."""
    rows = []
    for note in project.notes:
        times = np.arange(0.0, note.duration, STEP)
        points = tuple(zip(times.tolist(), cents_of(note, times).tolist(), strict=True))
        hz = midi_to_hz(struck_pitch(note, project), offset_cents=project.offset_cents)
        midi = 69.0 + 12.0 * float(np.log2(hz / 440.0))
        rows.append(Sounded(note.onset, note.end, midi, points, note.attack not in LEGATO))
    return lines_of(rows, _cents_of(project.contour, duration))


def _cents_of(contour: Contour | None, duration: float) -> NDArray[np.float64]:
    out = np.full(max(1, int(duration / STEP)), np.nan)
    if contour is None or not contour.decicents:
        return out
    values = np.array(contour.decicents, float) / 10.0
    times = contour.start + contour.hop * np.arange(len(values))
    at = np.round(times / STEP).astype(int)
    known = (values >= 0) & (at >= 0) & (at < len(out))
    out[at[known]] = values[known]
    return out
