"""The stretches in which a chord is asked for: beats where they are known, else half seconds."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.score.tempo import TempoMap

_STEP_S = 0.5
# Beats are not carried on further than this before the first and after the last that is known.
_MOST_BEATS = 20_000


@dataclass(frozen=True, eq=False)
class Grid:
    """edges: seconds, from 0 to the recording's end, shape (n + 1,); places: which beat of its bar each stretch is,
    from 0, and how many that bar has; None where no bars are known."""

    edges: NDArray[np.float64]
    places: tuple[tuple[int, int] | None, ...]


def grid(tempo: TempoMap | None, duration: float) -> Grid:
    """The stretches of a recording that lasts so many seconds."""
    if tempo is None:
        edges = np.append(np.arange(0.0, max(duration - _STEP_S / 2, _STEP_S / 2), _STEP_S), duration)
        return Grid(edges, (None,) * (len(edges) - 1))
    first = max(math.ceil(tempo.beat_at(0.0) - 1e-6), -_MOST_BEATS)
    last = min(math.floor(tempo.beat_at(duration)), len(tempo.beats) + _MOST_BEATS)
    times = [(tempo.time_at(beat), beat) for beat in range(first, last + 1)]
    times = [(t, b) for t, b in times if 0 < t < duration]
    places: list[tuple[int, int] | None] = [_place(tempo, times[0][1] - 1 if times else 0)]
    places += [_place(tempo, beat) for _, beat in times]
    return Grid(np.array([0.0, *(t for t, _ in times), duration]), tuple(places))


def _place(tempo: TempoMap, beat: int) -> tuple[int, int]:
    bar = tempo.bar_of(beat)
    return beat - tempo.first_beat_of(bar), tempo.beats_in(bar)
