"""What the ear is given: how loud each band is, band by quarter semitone, in a long window that parts strings and in a
short one that parts strokes."""

import functools
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.listen.frames.spectrum import LOW_RATE

STEP = 0.01
"""Seconds between frames."""
LOWEST, BANDS_PER_SEMITONE, BANDS = 23.0, 4, 401
"""MIDI of the first band, how close they lie, and how many there are: up to 10 kHz."""
# Samples at LOW_RATE: 186 and 46 ms.
WINDOWS = (4096, 1024)
# Frames at a time, so that memory stays bounded.
_BLOCK = 2000
# Against the loud, what is heard at all; and the level that counts as loud in silence.
_RANGE, _SILENCE = 300.0, 1e-3


def bands_of(mono: FloatArray) -> NDArray[np.float32]:
    """Levels of mono sound at RATE, logarithms of about 0 to 2.6, shape (n_frames, 2, BANDS); frames STEP apart from
    0."""
    import soxr
    from scipy import fft

    sound = soxr.resample(mono, RATE, LOW_RATE).astype(np.float32)
    n = int(len(mono) / RATE / STEP)
    out = np.zeros((n, len(WINDOWS), BANDS), np.float32)
    for which, window in enumerate(WINDOWS):
        padded = np.pad(sound, (window // 2, window))
        frames = np.lib.stride_tricks.sliding_window_view(padded, window)
        starts = np.minimum(np.round(np.arange(n) * STEP * LOW_RATE).astype(int), len(frames) - 1)
        hann = np.hanning(window).astype(np.float32) * (2.0 / window)
        for first in range(0, n, _BLOCK):
            rows = slice(first, min(n, first + _BLOCK))
            power = np.abs(fft.rfft(frames[starts[rows]] * hann, axis=1)) ** 2
            out[rows, which] = np.sqrt(power @ _bank(window))
    loud = max(float(np.percentile(out.max(axis=(1, 2)), 95)), _SILENCE) if n else 1.0
    return np.asarray(np.log10(1.0 + _RANGE / loud * out), dtype=np.float32)


@functools.cache
def _bank(window: int) -> Any:
    """Triangles around each band, as wide as a bin or the bands' distance; sparse, shape (bins, BANDS)."""
    from scipy import sparse

    hz = 440.0 * 2 ** ((LOWEST + np.arange(BANDS) / BANDS_PER_SEMITONE - 69) / 12)
    bin_hz = LOW_RATE / window
    reach = np.maximum(bin_hz, hz * (2 ** (1 / 12 / BANDS_PER_SEMITONE) - 1))
    at = np.arange(window // 2 + 1)[:, None] * bin_hz
    weight = np.clip(1.0 - np.abs(at - hz[None, :]) / reach[None, :], 0.0, None)
    return sparse.csr_array(weight.astype(np.float32))
