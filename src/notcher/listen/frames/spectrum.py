"""Short-time spectra with instantaneous frequencies, at the contour's 5 ms steps."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import mixed_down
from notcher.audio.recording import Audio, FloatArray
from notcher.stopping import look_for_stop

# Seconds between frames: a fast bend moves 13 cents in one, and an onset is placed within it.
HOP = 0.005
# Samples a second: all that is measured lies below 10 kHz.
LOW_RATE = 22050


@dataclass(frozen=True, eq=False)
class Spectra:
    """magnitude and hz (instantaneous frequency), each shape (n_frames, n_bins); bin_hz: spacing of the bins."""

    magnitude: NDArray[np.float32]
    hz: NDArray[np.float32]
    bin_hz: float


def spectra(mono: FloatArray, *, first_frame: int, n_frames: int, window: int) -> Spectra:
    """Hann-windowed spectra of sound at LOW_RATE, frames centred on multiples of HOP.

    The instantaneous frequency is the reassigned one (Auger and Flandrin 1995): the bin's own, less the imaginary part
    of X_dh / X_h, with X_dh taken through the window's derivative. mono: shape (n,); window: samples."""
    from scipy import fft

    centres = np.round((first_frame + np.arange(n_frames)) * HOP * LOW_RATE).astype(np.int64)
    padded = np.pad(mono, (window, window))
    starts = centres + window - window // 2
    frames = np.lib.stride_tricks.sliding_window_view(padded, window)[np.clip(starts, 0, len(padded) - window)]
    n = np.arange(window)
    hann = (0.5 - 0.5 * np.cos(2 * np.pi * n / window)).astype(np.float32)
    slope = (np.pi / window * np.sin(2 * np.pi * n / window)).astype(np.float32)
    x = fft.rfft(frames * hann, axis=1)
    dx = fft.rfft(frames * slope, axis=1)
    bin_hz = LOW_RATE / window
    power = np.abs(x) ** 2 + 1e-20
    hz = np.arange(x.shape[1]) * bin_hz - np.imag(dx * np.conj(x)) / power * LOW_RATE / (2 * np.pi)
    return Spectra(np.abs(x).astype(np.float32), hz.astype(np.float32), bin_hz)


def at_low_rate(audio: Audio) -> FloatArray:
    """All channels as one at LOW_RATE, shape (n,). Raises CancelledError when asked to stop."""
    import soxr

    stream, out = soxr.ResampleStream(RATE, LOW_RATE, 1), []
    for piece in audio.pieces():
        look_for_stop()
        out.append(stream.resample_chunk(mixed_down(piece)))
    out.append(stream.resample_chunk(np.zeros(0, np.float32), last=True))
    return np.concatenate(out)
