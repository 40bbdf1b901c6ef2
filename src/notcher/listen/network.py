"""The pitch network: one robust guess each 16 ms, with a confidence."""

import functools
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.decode import FloatArray

NETWORK_RATE = 16000
_PREFERRED_PEAK = 0.5


@dataclass(frozen=True, eq=False)
class PitchGuess:
    """times (s), hz and confidence (0 to 1), each shape (n_frames,)."""

    times: NDArray[np.float64]
    hz: NDArray[np.float64]
    confidence: NDArray[np.float64]


@functools.cache
def _network() -> Any:
    from swift_f0 import SwiftF0

    return SwiftF0(threads=2, spin=False)


def guess_pitch(mono: FloatArray, *, lowest_hz: float = 60.0) -> PitchGuess:
    """Run the network over mono sound at RATE, shape (n,). Loudness is brought to a common level first."""
    import soxr

    peak = float(np.max(np.abs(mono), initial=0.0))
    if peak < 1e-6 or len(mono) < RATE // 20:
        return PitchGuess(np.zeros(0), np.zeros(0), np.zeros(0))
    sound = soxr.resample(mono * (_PREFERRED_PEAK / peak), RATE, NETWORK_RATE).astype(np.float32)
    result = _network().detect(sound, NETWORK_RATE, fmin=lowest_hz)
    return PitchGuess(result.timestamps, result.pitch_hz, result.confidence)
