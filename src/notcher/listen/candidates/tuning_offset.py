"""How far the recording sits from A = 440: the fine tuning that most steady notes share."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Offset:
    """cents: -50 to 50; spread: median distance of the notes from it in cents; notes: how many were steady."""

    cents: float
    spread: float
    notes: int


def tuning_offset(levels: NDArray[np.float64], weights: NDArray[np.float64]) -> Offset:
    """The offset from steady levels in cents above MIDI 0 at A = 440, with a weight each; both shape (n,).

    The mode of the levels modulo a semitone (kernel of 8 cents on the circle), then their weighted mean within 22 cents
    of it, so that bends held off the frets do not count.
    """
    if len(levels) == 0:
        return Offset(0.0, 0.0, 0)
    fine = np.mod(levels + 50.0, 100.0) - 50.0
    grid = np.arange(-50.0, 50.0, 1.0)
    away = np.mod(fine[None, :] - grid[:, None] + 50.0, 100.0) - 50.0
    density = (np.exp(-0.5 * (away / 8.0) ** 2) * weights).sum(axis=1)
    mode = grid[int(np.argmax(density))]
    near = np.mod(fine - mode + 50.0, 100.0) - 50.0
    used = np.abs(near) <= 22.0
    mean = float(np.average(near[used], weights=weights[used]))
    spread = float(np.median(np.abs(near[used] - mean)))
    cents = (mode + mean + 50.0) % 100.0 - 50.0
    return Offset(round(float(cents), 1), round(spread, 1), int(used.sum()))


def offset_of_contour(decicents: NDArray[np.int64], percent: NDArray[np.int64]) -> Offset:
    """The offset from a stored contour (tenths of a cent, -1 where nothing sounds; confidence in percent): its steady
    pieces of 50 ms; both shape (n,)."""
    n = len(decicents) // _PIECE * _PIECE
    if n == 0:
        return Offset(0.0, 0.0, 0)
    cents = decicents[:n].reshape(-1, _PIECE) / 10.0
    sure = percent[:n].reshape(-1, _PIECE).mean(axis=1) / 100.0
    steady = (decicents[:n].reshape(-1, _PIECE) >= 0).all(axis=1) & (np.ptp(cents, axis=1) < _STEADY_CENTS)
    return tuning_offset(np.median(cents[steady], axis=1), sure[steady])


# Frames (50 ms) and cents: so long a pitch stands still where it says how the guitar is tuned.
_PIECE, _STEADY_CENTS = 10, 12.0
