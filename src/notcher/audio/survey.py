"""What a whole recording is like, found in one pass over it: the ground for choosing how to listen."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import cancels, mixed_down
from notcher.audio.recording import Audio, FloatArray

_WINDOW = 4096
_BASS_HZ = (35.0, 78.0)
_LEAD_HZ = (160.0, 2500.0)
_BASS_DB = -22.0
_STEP = RATE // 10


@dataclass(frozen=True, slots=True)
class Survey:
    """flat: both channels carry the same sound, or there is one only; inverted: right is left upside down; bass:
    whether a bass or bass drum plays along (with none, low notes may be the lead's); levels: mean power of each tenth
    of a second from `start` seconds on."""

    flat: bool
    inverted: bool
    bass: bool
    start: float
    levels: tuple[float, ...]

    def loudest(self, seconds: float) -> tuple[float, float]:
        """Start and end, in seconds, of the loudest stretch so long; all there is where that is shorter."""
        n = round(seconds * RATE / _STEP)
        if len(self.levels) <= n:
            return self.start, self.start + (len(self.levels) + 1) * _STEP / RATE
        at = int(np.argmax(np.convolve(self.levels, np.ones(n), "valid"))) * _STEP / RATE
        return self.start + at, self.start + at + seconds


def survey(audio: Audio, start: float = 0.0, end: float | None = None) -> Survey:
    """Look at a recording between two times in seconds, piece by piece."""
    side, mid, n = 0.0, 0.0, 0
    levels: list[float] = []
    spectrum = np.zeros(_WINDOW // 2 + 1)
    for piece in audio.pieces(start, end):
        if len(piece) == 2:
            side += float(np.sum((piece[0] - piece[1]) ** 2))
            mid += float(np.sum((piece[0] + piece[1]) ** 2))
        n += piece.shape[1]
        whole = piece[:, : piece.shape[1] // _STEP * _STEP].reshape(len(piece), -1, _STEP)
        levels += (np.einsum("ijk,ijk->j", whole, whole) / (len(piece) * _STEP)).tolist()
        spectrum += _spectrum(mixed_down(piece))
    flat = audio.channels < 2 or side < 1e-5 * mid + 1e-14 * n
    inverted = audio.channels == 2 and cancels(mid, side)
    hz = np.fft.rfftfreq(_WINDOW, 1 / RATE)
    low, high = (float(spectrum[(hz >= a) & (hz <= b)].sum()) + 1e-15 for a, b in (_BASS_HZ, _LEAD_HZ))
    # Too short for one window: no bass could be told from a low note.
    bass = bool(spectrum.any() and 10 * np.log10(low / high) > _BASS_DB)
    return Survey(flat, inverted, bass, start, tuple(levels))


def _spectrum(mono: FloatArray) -> NDArray[np.float64]:
    """Power summed over adjoining windows, shape (bins,): Welch's mean, but in whole arrays, as scipy's own goes window
    by window."""
    from scipy import fft

    rows = mono[: len(mono) // _WINDOW * _WINDOW].reshape(-1, _WINDOW)
    window = np.hanning(_WINDOW).astype(np.float32)
    return np.asarray((np.abs(fft.rfft(rows * window)) ** 2).sum(axis=0), dtype=np.float64)
