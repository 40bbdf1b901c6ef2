"""How likely each chord sounds in each beat: a small network that asks the same of every root.

One hidden layer, fitted by benchmarks/fit_chords.py on bands whose chords are known and kept in data/chords.npz. Its
answers for twelve roots and for no chord share one softmax.
"""

import functools
from dataclasses import dataclass, fields
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.harmony.features import by_root, loudness
from notcher.harmony.spectrum import Levels
from notcher.score.chord import HEARD

N_CHORDS = 12 * len(HEARD)
NONE = N_CHORDS
"""The number of 'no chord'; that of a chord is its root's pitch class times the number of kinds, and its kind's."""


@dataclass(frozen=True, eq=False)
class ChordNet:
    """hidden: weights (SIZE, n_hidden) and their bias; out: weights (n_hidden, kinds) and their bias; none: weights of
    one, the loudness and the spread of tones, for no chord."""

    hidden: NDArray[np.float64]
    hidden_bias: NDArray[np.float64]
    out: NDArray[np.float64]
    out_bias: NDArray[np.float64]
    none: NDArray[np.float64]

    def logits(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """x: as by_root() says, shape (n, 12, SIZE). Of each chord and of none, shape (n, N_CHORDS + 1)."""
        found = np.tanh(x @ self.hidden + self.hidden_bias) @ self.out + self.out_bias
        return np.concatenate([found.reshape(len(x), -1), (signs_of_none(x) @ self.none)[:, None]], axis=1)


def signs_of_none(x: NDArray[np.float64]) -> NDArray[np.float64]:
    """One, the loudness and the spread of tones of each beat, shape (n, 3)."""
    return np.stack([np.ones(len(x)), x[:, 0, 36], x[:, 0, :24].std(axis=1)], axis=1)


@functools.cache
def _net() -> ChordNet:
    with resources.files("notcher").joinpath("data/chords.npz").open("rb") as file, np.load(file) as kept:
        return ChordNet(*(kept[f.name].astype(np.float64) for f in fields(ChordNet)))


def log_likelihoods(found: Levels, levels: Levels) -> NDArray[np.float64]:
    """Of each chord and of none in each beat, shape (n, N_CHORDS + 1). found: as tones() says; levels: of the bins."""
    logits = _net().logits(by_root(found, loudness(levels)))
    logits -= logits.max(axis=1, keepdims=True)
    return np.asarray(logits - np.log(np.exp(logits).sum(axis=1, keepdims=True)))
