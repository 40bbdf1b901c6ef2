"""The pitch of what sounds now, from its last moments: YIN (de Cheveigné and Kawahara, J. Acoust. Soc. Am. 111, 2002),
with the period read from a later dip of the difference function, where a sample is a smaller part of it."""

import math

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE

WINDOW = 2048
"""Samples that are compared with those a period before them."""
LOWEST_HZ = 70.0
"""What a guitar in usual tuning goes down to, with room below."""
_HIGHEST_HZ = 1500.0
_CLEAR, _SILENT = 0.18, 2e-3
# Share of a period by which a later dip corrects it at most.
_FINER = 0.01


def needed(lowest_hz: float = LOWEST_HZ) -> int:
    """Samples that a pitch is read from: 75 ms down to LOWEST_HZ."""
    return WINDOW + 2 * round(RATE / lowest_hz)


def pitch_now(samples: NDArray[np.float32], lowest_hz: float = LOWEST_HZ) -> float | None:
    """Cents above MIDI pitch 0 at A = 440 of the last `needed` samples, shape (n,); None where no pitch is clear, or
    there are too few."""
    wanted, longest = needed(lowest_hz), round(RATE / lowest_hz)
    if len(samples) < wanted:
        return None
    x = np.asarray(samples[-wanted:], np.float64)
    if float(np.max(np.abs(x))) < _SILENT:
        return None
    difference = _difference(x, longest)
    summed = np.cumsum(difference[1:])
    lags = np.arange(1, len(difference))
    normal = np.concatenate([[1.0], difference[1:] * lags / np.maximum(summed, 1e-12)])
    shortest = int(RATE / _HIGHEST_HZ)
    below = np.flatnonzero(normal[shortest:longest] < _CLEAR)
    if not len(below):
        return None
    lag = shortest + int(below[0])
    while lag + 1 < longest and normal[lag + 1] < normal[lag]:
        lag += 1
    period = _dip(difference, lag)
    for k in range(2, int((len(difference) - 5) / period)):
        # Each later dip tells the period finer, and is found by the one before; where it does not, what sounds moves.
        finer = _dip(difference, round(k * period)) / k
        if abs(finer - period) > _FINER * period or round(k * finer) + 5 >= len(difference):
            break
        period = finer
    return 6900.0 + 1200.0 * math.log2(RATE / period / 440.0)


def _difference(x: NDArray[np.float64], longest: int) -> NDArray[np.float64]:
    """Sum of squared differences between the first WINDOW samples and those each lag later, shape (2 longest,)."""
    n = 1 << (len(x) + WINDOW - 1).bit_length()
    first = np.fft.rfft(x[:WINDOW][::-1], n)
    crossed = np.fft.irfft(first * np.fft.rfft(x, n), n)[WINDOW - 1 : WINDOW - 1 + 2 * longest]
    squares = np.concatenate([[0.0], np.cumsum(x**2)])
    energy = squares[WINDOW : WINDOW + 2 * longest] - squares[: 2 * longest]
    return np.asarray(np.maximum(0.0, energy[0] + energy - 2 * crossed))


def _dip(values: NDArray[np.float64], near: int) -> float:
    """Where the parabola through the lowest value near a lag and its neighbours is lowest."""
    low = max(1, near - 3)
    k = low + int(np.argmin(values[low : near + 4]))
    if not 0 < k < len(values) - 1:
        return float(k)
    a, b, c = values[k - 1 : k + 2]
    bend = a - 2 * b + c
    return float(k + 0.5 * (a - c) / bend) if bend > 1e-12 else float(k)
