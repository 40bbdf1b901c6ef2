"""The likeliest row of chords through the beats, and how likely each chord is in each beat given all others.

A hidden Markov model whose chord stays or changes, sooner where a bar begins (Sheh and Ellis 2003, "Chord segmentation
and recognition using EM-trained hidden Markov models", with the metre's say as in Papadopoulos and Peeters 2008,
"Simultaneous estimation of chord progression and downbeats").
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

# How likely a chord changes at the first beat of a bar, in its middle, at another beat, and where no bars are known.
_FIRST, _MIDDLE, _OTHER, _NO_BARS = 0.5, 0.1, 0.01, 0.15
Log = NDArray[np.float64]


def chances_of_change(places: Sequence[tuple[int, int] | None]) -> NDArray[np.float64]:
    """Of each beat. places: which beat of its bar it is, from 0, and how many that bar has; None where unknown."""

    def chance(place: tuple[int, int] | None) -> float:
        if place is None:
            return _NO_BARS
        beat, size = place
        return _FIRST if beat == 0 else _MIDDLE if size % 2 == 0 and beat == size // 2 else _OTHER

    return np.array([chance(p) for p in places])


def likeliest(said: Log, change: NDArray[np.float64], prior: Log) -> NDArray[np.intp]:
    """The number of the chord in each beat, by Viterbi's algorithm. said: log-likelihoods, shape (n, n_chords); prior:
    of each chord where one begins, shape (n_chords,)."""
    n, chords = said.shape
    best, came = said[0] + prior, np.zeros((n, chords), np.intp)
    own = np.arange(chords)
    for t in range(1, n):
        stay, other = best + np.log(1 - change[t]), int(best.argmax())
        leap = best[other] + np.log(change[t]) + prior
        came[t] = np.where(stay >= leap, own, other)
        best = np.maximum(stay, leap) + said[t]
    out = np.zeros(n, np.intp)
    out[-1] = best.argmax()
    for t in range(n - 1, 0, -1):
        out[t - 1] = came[t, out[t]]
    return out


def chances(said: Log, change: NDArray[np.float64], prior: Log) -> NDArray[np.float64]:
    """Of each chord in each beat, by the forward-backward algorithm, shape (n, n_chords). Takes what likeliest does."""
    here, start = np.exp(said - said.max(axis=1, keepdims=True)), np.exp(prior)
    n = len(said)
    forwards, backwards = np.zeros_like(here), np.ones_like(here)
    forwards[0] = here[0] * start
    forwards[0] /= forwards[0].sum()
    for t in range(1, n):
        forwards[t] = ((1 - change[t]) * forwards[t - 1] + change[t] * start) * here[t]
        forwards[t] /= forwards[t].sum()
    for t in range(n - 2, -1, -1):
        after = here[t + 1] * backwards[t + 1]
        backwards[t] = (1 - change[t + 1]) * after + change[t + 1] * float((start * after).sum())
        backwards[t] /= backwards[t].sum()
    both = forwards * backwards
    return np.asarray(both / both.sum(axis=1, keepdims=True))
