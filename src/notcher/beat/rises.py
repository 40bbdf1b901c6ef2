"""Where a recording grows louder, band by band and every two milliseconds: what beats and bars are read from.

A rise is dated by the middle of its slope in short windows of energy, so that what begins at once is found within 3 ms.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import mixed_down
from notcher.audio.recording import Audio
from notcher.stopping import look_for_stop

HOP = 88
STEP_S = HOP / RATE
"""Seconds between two values."""
# Hz between which each band lies, steps over which its energy is taken (a kick drum's waves are long), and order of its
# filter: low drums and bass, snare and chords, attacks, cymbals.
_BANDS = ((None, 140.0, 8, 2), (140.0, 700.0, 4, 1), (700.0, 3000.0, 3, 1), (3000.0, 12000.0, 3, 1))
LOW, MIDDLE = 0, 1
"""Numbers of the bands of low and of middle drums."""
# Steps over which a rise is taken (10 ms), and share of a band's mean energy from which energy counts.
_RISE, _FLOOR = 5, 0.02
# Seconds over which the level is taken that rises are measured by, and its least share of the level of all.
_LEVEL_S, _LEAST_LEVEL = 6.0, 0.25
# Hz and samples of what tells chords apart, and seconds of one reading.
_CHORD_HZ, _CHORD_WINDOW, CHORD_STEP_S = (65.0, 1200.0), 8192, 4410 / RATE
_PITCH_CLASSES = 12


@dataclass(frozen=True, eq=False)
class Rises:
    """bands: rise of the logarithm of each band's energy every STEP_S, shape (4, n); whole: all bands, by the level
    around, shape (n,); chroma: amplitudes of pitch classes every CHORD_STEP_S, shape (m, 12)."""

    bands: NDArray[np.float64]
    whole: NDArray[np.float64]
    chroma: NDArray[np.float64]

    @property
    def duration(self) -> float:
        """Seconds."""
        return len(self.whole) * STEP_S


def rises(audio: Audio) -> Rises:
    """The rises of a recording. Raises CancelledError when asked to stop."""
    energy, chroma = _measured(audio)
    bands = np.array([_rise(row) for row in energy])
    return Rises(bands, levelled(bands.sum(axis=0)), chroma)


def levelled(strength: NDArray[np.float64]) -> NDArray[np.float64]:
    """A strength by its level around, shape (n,): soft passages count as loud ones do."""
    from scipy import ndimage

    level = np.sqrt(ndimage.uniform_filter1d(strength**2, round(_LEVEL_S / STEP_S), mode="nearest"))
    return np.asarray(strength / (np.maximum(level, _LEAST_LEVEL * np.sqrt(np.mean(strength**2))) + 1e-9))


def _measured(audio: Audio) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Energy of each band, shape (4, n), and chroma, shape (m, 12), piece by piece, so that memory stays bounded."""
    from scipy import ndimage, signal

    filters = [
        signal.butter(order, high, fs=RATE, output="sos")
        if low is None
        else signal.butter(order, [low, high], "bandpass", fs=RATE, output="sos")
        for low, high, _, order in _BANDS
    ]
    states = [np.zeros((len(f), 2)) for f in filters]
    chords = _Chroma()
    energy: list[list[NDArray[np.float64]]] = [[] for _ in _BANDS]
    left = np.zeros(0, np.float32)
    for piece in audio.pieces():
        look_for_stop()
        left = np.concatenate([left, mixed_down(piece)])
        whole = len(left) // HOP * HOP
        mono, left = left[:whole], left[whole:]
        chords.add(mono)
        for k, (sections, rows) in enumerate(zip(filters, energy, strict=True)):
            heard, states[k] = signal.sosfilt(sections, mono, zi=states[k])
            rows.append(np.mean(np.square(np.asarray(heard, np.float64)).reshape(-1, HOP), axis=1))
    smooth = [
        ndimage.uniform_filter1d(np.concatenate(rows) if rows else np.zeros(0), width)
        for rows, (_, _, width, _) in zip(energy, _BANDS, strict=True)
    ]
    return np.array(smooth), chords.rows()


def _rise(energy: NDArray[np.float64]) -> NDArray[np.float64]:
    out = np.zeros(len(energy))
    if len(energy) > _RISE:
        loud = np.log1p(energy / (_FLOOR * np.mean(energy) + 1e-12))
        half = _RISE // 2
        out[half : half + len(energy) - _RISE] = np.maximum(0.0, loud[_RISE:] - loud[:-_RISE])
    return out


class _Chroma:
    """Amplitudes of pitch classes, from sound given in pieces."""

    def __init__(self) -> None:
        self._step = round(CHORD_STEP_S * RATE)
        self._kept = np.zeros(_CHORD_WINDOW // 2, np.float32)
        self._window = np.hanning(_CHORD_WINDOW).astype(np.float32)
        hertz = np.fft.rfftfreq(_CHORD_WINDOW, 1 / RATE)
        used = (hertz >= _CHORD_HZ[0]) & (hertz <= _CHORD_HZ[1])
        classes = np.round(12 * np.log2(np.maximum(hertz, 1.0) / 440.0)).astype(int) % _PITCH_CLASSES
        self._fold = np.zeros((len(hertz), _PITCH_CLASSES), np.float32)
        self._fold[np.flatnonzero(used), classes[used]] = 1.0
        self._rows: list[NDArray[np.float64]] = []

    def add(self, mono: NDArray[np.float32]) -> None:
        """The next piece."""
        self._kept = np.concatenate([self._kept, mono])
        count = max(0, (len(self._kept) - _CHORD_WINDOW) // self._step + 1)
        if count:
            framed = np.lib.stride_tricks.sliding_window_view(self._kept, _CHORD_WINDOW)[:: self._step][:count]
            self._rows.append(np.sqrt(np.abs(np.fft.rfft(framed * self._window, axis=1))) @ self._fold)
            self._kept = self._kept[count * self._step :]

    def rows(self) -> NDArray[np.float64]:
        """All there are, shape (m, 12)."""
        return np.concatenate(self._rows) if self._rows else np.zeros((0, _PITCH_CLASSES))
