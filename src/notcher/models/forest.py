"""Small forests of decisions, for what no one number decides: whether a strike is a pick, whether a leap was
hammered, by itself and among the notes around it, and whether another string began.

Each is a set of decision trees (Breiman 2001, "Random forests") fitted by benchmarks/fit.py and fit_hand.py on
development phrases and kept as plain numbers in data/forests.npz; nothing of the fitting library is needed to ask them.
"""

import contextlib
import functools
from collections.abc import Iterator, Mapping, Sequence
from contextvars import ContextVar
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.score.measured import Weighed

STRIKE, LEGATO, STRING, HAND = "strike", "legato", "string", "hand"
PARTS = ("feature", "threshold", "left", "right", "value")
"""Names of a forest's arrays."""


@dataclass(frozen=True, slots=True)
class Question:
    """One question that was asked: of which forest, its features, and the time (s) and pitch (MIDI) it was about."""

    forest: str
    features: tuple[float, ...]
    time: float
    pitch: float


@dataclass(frozen=True, eq=False)
class Forest:
    """Trees as arrays, shape (n_trees, n_nodes): the feature a node looks at (-1 at a leaf), the value up to which it
    goes to `left`, else to `right`, and the likelihood at each leaf."""

    feature: NDArray[np.int16]
    threshold: NDArray[np.float32]
    left: NDArray[np.int16]
    right: NDArray[np.int16]
    value: NDArray[np.float32]

    @classmethod
    def of(cls, kept: Mapping[str, NDArray[Any]], name: str) -> "Forest":
        """The one of a name among kept arrays."""
        return cls(*(kept[f"{name}_{part}"] for part in PARTS))

    def likelihoods(self, rows: NDArray[np.float32]) -> NDArray[np.float64]:
        """The mean of all trees for each row of features, shape (n, n_features)."""
        trees, samples = np.arange(len(self.feature))[None, :], np.arange(len(rows))[:, None]
        node = np.zeros((len(rows), len(self.feature)), np.int64)
        while True:
            looks_at = self.feature[trees, node]
            inner = looks_at >= 0
            if not inner.any():
                return np.asarray(self.value[trees, node].mean(axis=1), dtype=np.float64)
            low = rows[samples, np.maximum(looks_at, 0)] <= self.threshold[trees, node]
            node = np.where(inner, np.where(low, self.left[trees, node], self.right[trees, node]), node)

    def shares(self, row: NDArray[np.float32]) -> NDArray[np.float64]:
        """How far each feature moved the answer for one row, from where every way through a tree begins: what the
        questions about it added up to, tree by tree (Saabas 2014, "Interpreting random forests"). Shape (n_features,).
        """
        out = np.zeros(len(row))
        trees = np.arange(len(self.feature))
        node = np.zeros(len(trees), np.int64)
        while True:
            looks_at = self.feature[trees, node]
            inner = looks_at >= 0
            if not inner.any():
                return out / len(trees)
            low = row[np.maximum(looks_at, 0)] <= self.threshold[trees, node]
            following = np.where(inner, np.where(low, self.left[trees, node], self.right[trees, node]), node)
            moved = self.value[trees, following].astype(np.float64) - self.value[trees, node]
            np.add.at(out, looks_at[inner], moved[inner])
            node = following

    def likelihood(self, features: Sequence[float]) -> float:
        """The mean of all trees, 0 to 1."""
        return float(self.likelihoods(np.asarray(features, dtype=np.float32)[None])[0])


_asked: ContextVar[list[Question] | None] = ContextVar("asked", default=None)


@functools.cache
def _forests() -> dict[str, Forest]:
    with resources.files("notcher").joinpath("data/forests.npz").open("rb") as f, np.load(f) as kept:
        return {name: Forest.of(kept, name) for name in (STRIKE, LEGATO, STRING, HAND)}


def weighed(
    forest: Forest, names: Sequence[str], row: NDArray[np.float32], *, yes: bool, most: int
) -> tuple[Weighed, ...]:
    """What moved a forest's answer most, the largest shares first; yes: whether it was taken for one that is so."""
    shares = forest.shares(row)
    whole = float(np.abs(shares).sum()) or 1.0
    order = np.argsort(-np.abs(shares))[:most]
    sign = 1.0 if yes else -1.0
    return tuple(
        Weighed(names[k], round(float(row[k]), 3), round(sign * float(shares[k]) / whole, 3))
        for k in order.tolist()
        if shares[k]
    )


def forest_of(name: str) -> Forest:
    """One of them."""
    return _forests()[name]


def likelihood(forest: str, features: Sequence[float], *, time: float, pitch: float = 0.0) -> float:
    """How likely what a forest knows about is so, 0 to 1. time, pitch: what the question is about, for those who
    listen in (see asked)."""
    listening = _asked.get()
    if listening is not None:
        listening.append(Question(forest, tuple(float(f) for f in features), time, pitch))
    return _forests()[forest].likelihood(features)


@contextlib.contextmanager
def asked() -> Iterator[list[Question]]:
    """Collect every question asked meanwhile: what the forests are fitted on."""
    questions: list[Question] = []
    token = _asked.set(questions)
    try:
        yield questions
    finally:
        _asked.reset(token)
