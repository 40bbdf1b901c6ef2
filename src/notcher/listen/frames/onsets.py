"""Where strings are struck: the flux of the log spectrum, deaf to bends and vibrato.

After Böck and Widmer 2013, "Maximum filter vibrato suppression for onset detection": each band is compared with the
largest of its neighbours two frames before, so that a partial which only wanders does not count as new.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.listen.frames.spectrum import HOP, LOW_RATE

# Samples at LOW_RATE: 23 ms, as short as the bands below allow.
_WINDOW = 512
# Quarter tones: a bend goes slowly through them, a strike fills them at once.
_BANDS_PER_OCTAVE = 24
# Hz in which a pick is heard: over the bass, under hiss.
_LOW_HZ, _HIGH_HZ = 180.0, 9000.0
# Frames: 15 ms, over which a pick's noise rises.
_LAG = 3
# Frames at a time, so that memory stays bounded: 40 s.
_BLOCK = 8000
ONSET_LAG = 0.006
"""Seconds by which the flux's peak comes after the strike."""
# A recording with hardly a strike in it (one long note) has no busy level; wandering partials must not become its unit.
_FAINTEST_UNIT = 0.12


def onset_strength(mono: FloatArray) -> NDArray[np.float64]:
    """Flux each HOP seconds of mono sound at RATE, shape (n_frames,), in units of its own busy level (about 0 to 3)."""
    import soxr
    from scipy import fft, ndimage

    n = int(len(mono) / RATE / HOP)
    if n <= _LAG:
        return np.zeros(n)
    low = soxr.resample(mono, RATE, LOW_RATE).astype(np.float32)
    padded = np.pad(low, (_WINDOW, _WINDOW))
    views = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)
    centres = np.round(np.arange(n) * HOP * LOW_RATE).astype(np.int64) + _WINDOW // 2
    hann = np.hanning(_WINDOW).astype(np.float32)
    bank = _band_matrix()
    bands = np.empty((n, bank.shape[1]), np.float32)
    for first in range(0, n, _BLOCK):
        magnitude = np.abs(fft.rfft(views[centres[first : first + _BLOCK]] * hann, axis=1))
        bands[first : first + _BLOCK] = magnitude @ bank
    loud = float(np.percentile(bands.max(axis=1), 95)) + 1e-9
    log = np.log10(1.0 + 300.0 * bands / loud)
    before = ndimage.maximum_filter1d(log, 3, axis=1)
    flux = np.zeros(n)
    flux[_LAG:] = np.maximum(log[_LAG:] - before[:-_LAG], 0.0).mean(axis=1)
    return flux / max(float(np.percentile(flux, 98)), _FAINTEST_UNIT)


def _band_matrix() -> NDArray[np.float32]:
    """Triangular bands, a quarter tone apart where the bins allow it; shape (bins, bands)."""
    bins = np.arange(_WINDOW // 2 + 1) * LOW_RATE / _WINDOW
    octaves = np.log2(_HIGH_HZ / _LOW_HZ)
    centres = _LOW_HZ * 2.0 ** (np.arange(int(octaves * _BANDS_PER_OCTAVE)) / _BANDS_PER_OCTAVE)
    nearest = np.unique(np.round(centres / (LOW_RATE / _WINDOW)).astype(int))
    bank = np.zeros((len(bins), len(nearest)), np.float32)
    for i, b in enumerate(nearest):
        low = nearest[i - 1] if i else b - 1
        high = nearest[i + 1] if i + 1 < len(nearest) else b + 1
        bank[low : b + 1, i] = np.linspace(0, 1, b - low + 1)
        bank[b : high + 1, i] = np.linspace(1, 0, high - b + 1)
    return bank


def peaks(strength: NDArray[np.float64], *, threshold: float, apart: float = 0.05) -> NDArray[np.int64]:
    """Frames at which the strength stands out by `threshold` over its median within 150 ms, `apart` s between them.
    strength: one a frame, shape (n,)."""
    from scipy import ndimage, signal

    floor = ndimage.median_filter(strength, size=int(0.3 / HOP) | 1, mode="nearest")
    found, _ = signal.find_peaks(strength - floor, height=threshold, distance=max(1, round(apart / HOP)))
    return np.asarray(found, dtype=np.int64)
