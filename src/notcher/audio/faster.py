"""A recording as it sounds when it is played faster, and so higher, as a tape would be."""

from dataclasses import replace

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray, Stored

# Samples to either side that the resampling's filter needs around a piece.
_MARGIN = 2048


class _Faster:
    """Samples of another recording, of which `factor` go into each."""

    def __init__(self, audio: Audio, factor: float) -> None:
        self._audio, self._factor = audio, factor
        channels, n = audio.kept.shape
        self.shape = (channels, int(n / factor))

    def read(self, low: int, high: int) -> FloatArray:
        """Samples low to high (not included), shape (channels, n); resampled by soxr."""
        import soxr

        low, high = min(low, self.shape[1]), min(high, self.shape[1])
        first = max(0, low - _MARGIN)
        at = round(first * self._factor)
        part = self._audio.between(at / RATE, (high + _MARGIN) * self._factor / RATE)
        sound = soxr.resample(np.ascontiguousarray(part.T), RATE * self._factor, RATE).T
        return np.ascontiguousarray(sound[:, low - first : high - first], np.float32)


def faster(audio: Audio, factor: float) -> Audio:
    """The recording played `factor` times as fast (1 to 4), read where it is wanted."""
    kept: Stored = _Faster(audio, factor)
    return replace(audio, kept=kept)
