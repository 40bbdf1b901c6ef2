"""The lead taken out of the mix by its place in the stereo image and by its band.

Each cell of the spectrogram is kept as far as left and right agree in size and phase (centre), or as one side
outweighs the other: the idea of azimuth masks (Barry, Lawlor, Coyle 2004, "Sound source separation: azimuth
discrimination and resynthesis"), with soft edges.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.decode import FloatArray
from notcher.score.errors import ScoreError
from notcher.score.project import LEAD_CHOICES

_WINDOW = 4096
_HOP = 1024
_LOW_HZ = 150.0
_LOW_HZ_ALONE = 60.0
_HIGH_HZ = 8000.0


def is_fake_stereo(samples: FloatArray) -> bool:
    """Whether both channels carry the same sound (or there is one only), so that place tells nothing."""
    if samples.shape[0] < 2:
        return True
    side, mid = samples[0] - samples[1], samples[0] + samples[1]
    return float(np.mean(side**2)) < 1e-5 * float(np.mean(mid**2)) + 1e-14


def isolate(samples: FloatArray, choice: str) -> FloatArray:
    """The lead as mono.

    samples: shape (1 or 2, n) at RATE. choice: mix, centre, left or right ('auto' is settled by listen).
    Returns shape (n,). Mono and fake stereo come back filtered only. Raises ScoreError for another choice.
    """
    if choice not in LEAD_CHOICES or choice == "auto":
        raise ScoreError(f"the lead is isolated as mix, centre, left or right, got '{choice}'")
    if samples.shape[0] == 1 or is_fake_stereo(samples):
        return _band(samples.mean(axis=0, dtype=np.float32), _LOW_HZ_ALONE)
    if choice == "mix":
        return _band(samples.mean(axis=0, dtype=np.float32), _LOW_HZ)
    left, right = _stft(samples[0]), _stft(samples[1])
    power = np.abs(left) ** 2 + np.abs(right) ** 2 + 1e-12
    if choice == "centre":
        agreement = 2.0 * np.real(left * np.conj(right)) / power
        kept = (left + right) / 2.0 * np.clip((agreement - 0.6) / 0.3, 0.0, 1.0)
    else:
        balance = (np.abs(left) ** 2 - np.abs(right) ** 2) / power * (1.0 if choice == "left" else -1.0)
        kept = (left if choice == "left" else right) * np.clip((balance - 0.1) / 0.5, 0.0, 1.0)
    return _band(_istft(kept, samples.shape[1]), _LOW_HZ)


def rest(samples: FloatArray, choice: str) -> FloatArray:
    """What is left when the lead is taken out, shape like samples: for hearing what the mask took."""
    lead = isolate(samples, choice)
    return samples - lead[None, :]


def _window() -> NDArray[np.float32]:
    return np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(_WINDOW) / _WINDOW)).astype(np.float32)


def _stft(mono: FloatArray) -> NDArray[np.complex64]:
    padded = np.pad(mono, (_WINDOW, _WINDOW + (-len(mono)) % _HOP))
    frames = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::_HOP]
    from scipy import fft

    return np.asarray(fft.rfft(frames * _window(), axis=1), dtype=np.complex64)


def _istft(spectrum: NDArray[np.complex64], length: int) -> FloatArray:
    from scipy import fft

    frames = fft.irfft(spectrum, axis=1).astype(np.float32) * _window()
    out = np.zeros((len(frames) + _WINDOW // _HOP, _HOP), np.float32)
    for k in range(_WINDOW // _HOP):
        out[k : k + len(frames)] += frames[:, k * _HOP : (k + 1) * _HOP]
    # Squared square-root Hann windows a quarter apart add up to 2.
    return out.reshape(-1)[_WINDOW : _WINDOW + length] / 2.0


def _band(mono: FloatArray, low_hz: float) -> FloatArray:
    from scipy import signal

    sections = signal.butter(4, [low_hz, _HIGH_HZ], "bandpass", fs=RATE, output="sos")
    return np.asarray(signal.sosfilt(sections, mono), dtype=np.float32)


def isolate_between(samples: FloatArray, start: float, end: float, choice: str) -> FloatArray:
    """The lead between two times in seconds, shape (1, n), isolated with some context so that pieces join."""
    context = 0.25
    low = max(0.0, start - context)
    part = samples[:, round(low * RATE) : round((end + context) * RATE)]
    wanted = max(0, round(end * RATE) - round(start * RATE))
    if part.shape[1] == 0:
        return np.zeros((1, wanted), np.float32)
    skip = round(start * RATE) - round(low * RATE)
    out = isolate(part, choice)[skip : skip + wanted]
    return np.pad(out, (0, wanted - len(out)))[None, :]
