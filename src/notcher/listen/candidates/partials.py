"""How loud the partials of a heard note are at some moment of it."""

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import LOW_RATE

# Samples at LOW_RATE that are looked at: 46 ms.
_WINDOW = 1024
_PARTIALS = 8


def partials_of(frames: Frames, n: HeardNote, since: float, offset_cents: float) -> NDArray[np.float64]:
    """Levels of the first partials some time after the onset, shape (_PARTIALS,)."""
    spectrum, hz = spectrum_at(frames, n, since, offset_cents)
    return loudest(spectrum, hz * np.arange(1, _PARTIALS + 1))


def spectrum_at(
    frames: Frames, n: HeardNote, since: float, offset_cents: float, wide: int = 1
) -> tuple[NDArray[np.float64], float]:
    """The spectrum some time after the onset, through a window `wide` times as long as usual, and the pitch in Hz."""
    from scipy import fft

    window = _WINDOW * wide
    half = window / LOW_RATE / 2
    sound = frames.lead_between(n.onset + since - half / wide, n.onset + since + half * (2 - 1 / wide))[:window]
    spectrum = np.abs(fft.rfft(sound * np.hanning(len(sound)), 2 * window)) / window
    cents = 0.0
    if n.bend is not None and n.bend.points:
        cents = float(np.interp(since, [p[0] for p in n.bend.points], [p[1] for p in n.bend.points]))
    return np.asarray(spectrum, np.float64), 440.0 * 2 ** ((n.pitch - 69 + (cents + offset_cents) / 100) / 12)


def loudest(spectrum: NDArray[np.float64], hz: NDArray[np.floating], wide: int = 1) -> NDArray[np.float64]:
    """The level near each of some frequencies, shape as hz."""
    bins = hz / (LOW_RATE / (2 * _WINDOW * wide))
    at = np.round(bins[:, None] * np.array([0.985, 0.993, 1.0, 1.007, 1.015])[None, :]).astype(int)
    return np.asarray(spectrum[np.minimum(at, len(spectrum) - 1)].max(axis=1), dtype=np.float64)
