"""The lead taken out of the mix by its place in the stereo image and by its band.

Each cell of the spectrogram is kept as far as it fits a source at the lead's place between left and right: the idea of
azimuth masks (Barry, Lawlor, Coyle 2004, "Sound source separation: azimuth discrimination and resynthesis"), with soft
edges. Left and right of one panned source are (cos a, sin a) times it, so that what stands at right angles to that
direction is not the lead's.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.score.errors import ScoreError
from notcher.score.isolation import Isolation, StereoPosition

_WINDOW = 2048
_HOP = 512
# Within this share of the width all is kept; from there it fades to nothing at the full width.
_INNER = 0.45
_AGREES_FROM, _AGREES_FULLY = 0.8, 0.99
_BALANCED_FROM, _BALANCED_FULLY = 0.5, 0.8

Cells = NDArray[np.complex64]


def is_fake_stereo(samples: FloatArray) -> bool:
    """Whether both channels carry the same sound (or there is one only), so that place tells nothing. samples: shape
    (channels, n)."""
    if samples.shape[0] < 2:
        return True
    side, mid = samples[0] - samples[1], samples[0] + samples[1]
    return float(np.mean(side**2)) < 1e-5 * float(np.mean(mid**2)) + 1e-14


def is_phase_inverted(samples: FloatArray) -> bool:
    """Whether right is left turned upside down: mixed to mono it would cancel. samples: shape (channels, n)."""
    if samples.shape[0] < 2:
        return False
    side, mid = samples[0] - samples[1], samples[0] + samples[1]
    return cancels(float(np.mean(mid**2)), float(np.mean(side**2)))


def cancels(mid: float, side: float) -> bool:
    """Whether left and right cancel when mixed, by the power of their sum and of their difference."""
    return mid < 1e-3 * side


def mixed_down(samples: FloatArray) -> FloatArray:
    """All channels as one, shape (n,); of a recording whose right is left upside down, the left only."""
    if is_phase_inverted(samples):
        return np.asarray(samples[0])
    return np.asarray(samples.mean(axis=0, dtype=np.float32))


def isolate(samples: FloatArray, isolation: Isolation) -> FloatArray:
    """The lead as mono, shape (n,).

    samples: shape (1 or 2, n) at RATE. Mono and fake stereo come back filtered only. Raises ScoreError for Seat.AUTO,
    which is settled by listening first.
    """
    return _Split(samples, isolation).mono()


def views(samples: FloatArray, isolation: Isolation) -> list[FloatArray]:
    """What to listen to, mono, shape (n,) each: the lead as isolated, once for each side where it sits on both."""
    split = _Split(samples, isolation)
    if isolation.stereo_position is StereoPosition.SIDES and not split.flat:
        return sorted(split.lead(), key=lambda side: -float(np.mean(side**2)))
    return [split.mono()]


def banded(samples: FloatArray, isolation: Isolation) -> FloatArray:
    """The whole recording as mono in the lead's band, shape (n,)."""
    return _istft(_stft(mixed_down(samples)) * _band(isolation), samples.shape[1])


def rest(samples: FloatArray, isolation: Isolation) -> FloatArray:
    """What is left when the lead is taken out, shape like samples."""
    return samples - _Split(samples, isolation).lead()


class _Split:
    """A recording's cells, and how much of each is the lead's."""

    def __init__(self, samples: FloatArray, isolation: Isolation) -> None:
        if isolation.stereo_position is StereoPosition.AUTO:
            raise ScoreError("where the lead sits is not found out yet; say where, or measure first")
        self._samples, self._isolation = samples, isolation
        self._band = _band(isolation)
        self.flat = isolation.stereo_position is StereoPosition.MIX or is_fake_stereo(samples)
        self._angle = (isolation.pan + 1) * np.pi / 4 if isolation.stereo_position is StereoPosition.PAN else np.pi / 4

    def lead(self) -> FloatArray:
        """The lead where it sits, shape like samples."""
        n = self._samples.shape[1]
        if self.flat:
            return np.stack([_istft(_stft(channel) * self._band, n) for channel in self._samples])
        left, right = _stft(self._samples[0]), _stft(self._samples[1])
        if self._isolation.stereo_position is StereoPosition.SIDES:
            kept = self._softened((1.0 - _agreement(left, right)) * _balance(left, right)) * self._band
            return np.stack([_istft(left * kept, n), _istft(right * kept, n)])
        one = self._at_pan(left, right)
        return np.stack([np.cos(self._angle) * one, np.sin(self._angle) * one]).astype(np.float32)

    def mono(self) -> FloatArray:
        """The lead as mono, as loud as in the channels mixed together."""
        n = self._samples.shape[1]
        if self.flat:
            return _istft(_stft(mixed_down(self._samples)) * self._band, n)
        if self._isolation.stereo_position is StereoPosition.SIDES:
            return np.asarray(self.lead().mean(axis=0, dtype=np.float32))
        return np.asarray(self._at_pan(_stft(self._samples[0]), _stft(self._samples[1])) / np.sqrt(2), dtype=np.float32)

    def _at_pan(self, left: Cells, right: Cells) -> FloatArray:
        along = np.cos(self._angle) * left + np.sin(self._angle) * right
        kept = self._softened(_near(left, right, self._isolation))
        return _istft(along * kept * self._band, self._samples.shape[1])

    def _softened(self, kept: NDArray[np.floating]) -> NDArray[np.float32]:
        strength = self._isolation.strength
        return np.asarray(1.0 - strength * (1.0 - kept), dtype=np.float32)


def near_lead(left: Cells, right: Cells, isolation: Isolation, *, bin_hz: float) -> NDArray[np.float32]:
    """How near each cell lies to the lead's place and band, 0 to 1, shape (n_frames, n_bins); for Seat.PAN."""
    hz: NDArray[np.float64] = np.arange(left.shape[1], dtype=np.float64) * bin_hz
    return np.asarray(_near(left, right, isolation) * _gains(hz, isolation), dtype=np.float32)


def _near(left: Cells, right: Cells, isolation: Isolation) -> NDArray[np.float32]:
    angle = (isolation.pan + 1) * np.pi / 4
    along = np.cos(angle) * left + np.sin(angle) * right
    across = np.cos(angle) * right - np.sin(angle) * left
    astray = np.abs(across) ** 2 / (np.abs(along) ** 2 + np.abs(across) ** 2 + 1e-12)
    outer = np.sin(isolation.width * np.pi / 4) ** 2
    inner = np.sin(_INNER * isolation.width * np.pi / 4) ** 2
    return np.asarray(np.clip((outer - astray) / (outer - inner), 0.0, 1.0), dtype=np.float32)


def _agreement(left: Cells, right: Cells) -> NDArray[np.float32]:
    """How far left and right agree in size and phase, cell by cell: 0 (apart) to 1 (the same)."""
    power = np.abs(left) ** 2 + np.abs(right) ** 2 + 1e-12
    same = 2.0 * np.real(left * np.conj(right)) / power
    return np.asarray(np.clip((same - _AGREES_FROM) / (_AGREES_FULLY - _AGREES_FROM), 0.0, 1.0), dtype=np.float32)


def _balance(left: Cells, right: Cells) -> NDArray[np.float32]:
    """How far left and right are equally loud, whatever their phase, cell by cell: a lead played twice is on both
    sides, a chord panned aside is not."""
    power = np.abs(left) ** 2 + np.abs(right) ** 2 + 1e-12
    same = 2.0 * np.abs(left * right) / power
    return np.asarray(np.clip((same - _BALANCED_FROM) / (_BALANCED_FULLY - _BALANCED_FROM), 0.0, 1.0), dtype=np.float32)


def pan_profile(samples: FloatArray) -> tuple[NDArray[np.float64], NDArray[np.float64], float]:
    """Where sound sits: places from -1 to 1, the share of the sound at each, and the share that sits nowhere clearly.

    samples: shape (2, n). A cell's place is the principal direction of its left and right (taken in phase).
    """
    left, right = _stft(samples[0]), _stft(samples[1])
    hz = np.arange(left.shape[1]) * RATE / _WINDOW
    within = (hz > 200) & (hz < 4000)
    left, right = left[:, within], right[:, within]
    power = np.abs(left) ** 2 + np.abs(right) ** 2 + 1e-12
    shared, difference = 2 * np.real(left * np.conj(right)), np.abs(left) ** 2 - np.abs(right) ** 2
    place = 0.5 * np.arctan2(shared, difference) * 4 / np.pi - 1
    clear = (np.sqrt(shared**2 + difference**2) > 0.9 * power) & (shared > -0.1 * power)
    weight = np.sqrt(power)
    total, edges = np.histogram(place, bins=np.linspace(-1.05, 1.05, 43), weights=weight * clear)
    share = np.convolve(np.pad(total, 1), (0.25, 0.5, 0.25), "valid") / max(float(weight.sum()), 1e-12)
    return (edges[1:] + edges[:-1]) / 2, share, float((weight * ~clear).sum() / max(float(weight.sum()), 1e-12))


def _window() -> NDArray[np.float32]:
    return np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(_WINDOW) / _WINDOW)).astype(np.float32)


def _stft(mono: FloatArray) -> Cells:
    from scipy import fft

    padded = np.pad(mono, (_WINDOW, _WINDOW + (-len(mono)) % _HOP))
    frames = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::_HOP]
    return np.asarray(fft.rfft(frames * _window(), axis=1), dtype=np.complex64)


def _istft(spectrum: Cells, length: int) -> FloatArray:
    from scipy import fft

    frames = fft.irfft(spectrum, axis=1).astype(np.float32) * _window()
    out = np.zeros((len(frames) + _WINDOW // _HOP, _HOP), np.float32)
    for k in range(_WINDOW // _HOP):
        out[k : k + len(frames)] += frames[:, k * _HOP : (k + 1) * _HOP]
    # Squared square-root Hann windows a quarter apart add up to 2.
    return out.reshape(-1)[_WINDOW : _WINDOW + length] / 2.0


def _band(isolation: Isolation) -> NDArray[np.float32]:
    return _gains(np.arange(_WINDOW // 2 + 1) * RATE / _WINDOW, isolation)


def _gains(hz: NDArray[np.float64], isolation: Isolation) -> NDArray[np.float32]:
    """Gain at each frequency: 1 within the band, falling as a fourth-order Butterworth filter's outside it."""
    hz = np.maximum(hz, 1.0)
    low = 1 / np.sqrt(1 + (isolation.low_hz / hz) ** 8)
    high = 1 / np.sqrt(1 + (hz / isolation.high_hz) ** 8)
    return np.asarray(low * high, dtype=np.float32)


def isolate_between(
    audio: Audio, start: float, end: float, isolation: Isolation, *, remove: bool = False
) -> FloatArray:
    """The lead (or with `remove` all the rest) between two times in seconds, isolated with some context so that pieces
    join: shape (1, n), or for the rest (channels, n)."""
    context = 0.25
    low = max(0.0, start - context)
    part = audio.between(low, end + context)
    wanted = max(0, round(end * RATE) - round(start * RATE))
    if part.shape[1] == 0:
        return np.zeros((1, wanted), np.float32)
    skip = round(start * RATE) - round(low * RATE)
    whole = rest(part, isolation) if remove else isolate(part, isolation)[None, :]
    out = whole[:, skip : skip + wanted]
    return np.pad(out, ((0, 0), (0, wanted - out.shape[1])))
