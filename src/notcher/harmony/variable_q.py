"""A spectrum with bins at equal musical distances: the variable-Q transform.

After Schoerkhuber and Klapuri 2010, "Constant-Q transform toolbox for music processing" (octave by octave, each at half
the rate of the one above it), with bins that are wider than their share of an octave by a constant (Schoerkhuber et al.
2014, "A Matlab toolbox for efficient perfect reconstruction time-frequency transforms with log-frequency resolution").
It gives what librosa.vqt 0.11 gives (ISC licence), to a thousandth of the loudest bin, which a test holds it to: that
library brings 270 MB with it and compiles for most of a minute, for this one function.
"""

import functools
import math
from dataclasses import dataclass

import numpy as np
import soxr
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy import fft, signal, sparse

from notcher.audio.recording import FloatArray

# Equivalent noise bandwidth of a Hann window, in bins of its length (Harris 1978 has 1.5; this is of 16384 samples).
_HANN_BANDWIDTH = 1.50018310546875
# Share of a filter's whole magnitude in its smallest values, which are left out: they cost time and change nothing.
_LEFT_OUT = 0.01
# Frames that are transformed at a time, which bounds the memory.
_AT_ONCE = 4096


@dataclass(frozen=True, slots=True)
class Bins:
    """lowest_hz: of the first bin; count, per_octave: how many bins; wider_hz: by how much each is wider than its share
    of an octave."""

    lowest_hz: float
    count: int
    per_octave: int
    wider_hz: float = 0.0

    @property
    def hz(self) -> NDArray[np.float64]:
        """The middle of each, shape (count,)."""
        return self.lowest_hz * 2.0 ** (np.arange(self.count) / self.per_octave)

    @property
    def octaves(self) -> int:
        """How many there are, the last one begun or whole."""
        return math.ceil(self.count / self.per_octave)

    @property
    def _share(self) -> float:
        """Width of a bin as a share of its middle."""
        step = float(2.0 ** (2.0 / self.per_octave))
        return (step - 1) / (step + 1)

    def lengths(self, rate: float) -> NDArray[np.float64]:
        """Samples that each bin's filter takes at a rate in Hz, shape (count,)."""
        return np.asarray(rate / self._share / (self.hz + self.wider_hz / self._share))

    @property
    def highest_hz(self) -> float:
        """Up to which the highest filter reaches."""
        return float(self.hz[-1] * (1 + 0.5 * _HANN_BANDWIDTH * self._share) + 0.5 * self.wider_hz)


def variable_q(sound: FloatArray, rate: int, hop: int, bins: Bins) -> NDArray[np.float32]:
    """Magnitudes of each bin, a frame each `hop` samples from the first on. sound: shape (n,), at `rate` Hz.

    Returns shape (frames, bins.count). Raises ValueError where the highest bin does not lie below half the rate, or
    hop cannot be halved for each octave but the first.
    """
    if bins.highest_hz > rate / 2:
        raise ValueError(f"bins reach {bins.highest_hz:.0f} Hz, above half the rate of {rate} Hz; take fewer bins")
    halvings = (hop & -hop).bit_length() - 1
    if halvings < bins.octaves - 1:
        raise ValueError(f"a hop of {hop} cannot be halved for each of {bins.octaves} octaves; take a power of two")
    # As far down as the highest bin allows, before anything is computed.
    early = min(max(0, math.ceil(math.log2(rate / 2 / bins.highest_hz)) - 2), halvings - bins.octaves + 1)
    now, now_rate, now_hop = np.asarray(sound, np.float32), rate / 2**early, hop >> early
    if early:
        now = _slower(now, 2**early)
    out: list[NDArray[np.float32]] = []
    for octave in range(bins.octaves):
        filters, size = _filters(bins, octave, rate / 2**early, now_rate)
        out.append(_response(now, size, now_hop, filters))
        if octave < bins.octaves - 1:
            now, now_rate, now_hop = _slower(now, 2), now_rate / 2, now_hop // 2
    frames = min(len(part) for part in out)
    found = np.concatenate([part[:frames] for part in reversed(out)], axis=1)
    return np.asarray(found / np.sqrt(bins.lengths(rate / 2**early)), dtype=np.float32)


def _slower(sound: NDArray[np.float32], factor: int) -> NDArray[np.float32]:
    """At a rate that is lower by a factor, as loud per sample as before."""
    wanted = math.ceil(len(sound) / factor)
    made = soxr.resample(sound, factor, 1, quality="HQ")[:wanted]
    return np.asarray(np.pad(made, (0, wanted - len(made))) * math.sqrt(factor), dtype=np.float32)


def _response(sound: NDArray[np.float32], size: int, hop: int, filters: sparse.csr_array) -> NDArray[np.float32]:
    """What each filter finds in each frame, shape (frames, filters)."""
    windows = sliding_window_view(np.pad(sound, size // 2), size)[::hop]
    return np.concatenate([
        np.abs(filters @ fft.rfft(windows[k : k + _AT_ONCE], axis=1).T).T for k in range(0, len(windows), _AT_ONCE)
    ])  # fmt: skip


@functools.lru_cache(maxsize=64)
def _filters(bins: Bins, octave: int, top_rate: float, rate: float) -> tuple[sparse.csr_array, int]:
    """The spectra of one octave's filters, shape (filters, size / 2 + 1), and the size; octave 0 is the highest."""
    end = bins.count - octave * bins.per_octave
    which = slice(max(0, end - bins.per_octave), end)
    lengths = bins.lengths(rate)[which]
    size = 2 ** math.ceil(math.log2(lengths.max()))
    shapes = np.zeros((len(lengths), size), np.complex64)
    for row, hz, length in zip(shapes, bins.hz[which], lengths, strict=True):
        at = np.arange(-length // 2, length // 2)
        made = np.exp(2j * np.pi * hz / rate * at) * signal.get_window("hann", len(at))
        made /= np.abs(made).sum()
        first = (size - len(at)) // 2
        row[first : first + len(at)] = made * (length / size)
    spectra = fft.fft(shapes, axis=1)[:, : size // 2 + 1]
    sizes = np.abs(spectra)
    ordered = np.sort(sizes, axis=1)
    kept_from = np.argmin(np.cumsum(ordered / ordered.sum(axis=1, keepdims=True), axis=1) < _LEFT_OUT, axis=1)
    spectra[sizes < ordered[np.arange(len(ordered)), kept_from][:, None]] = 0
    return sparse.csr_array(np.asarray(spectra * math.sqrt(top_rate / rate), np.complex64)), size
