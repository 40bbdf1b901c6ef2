"""Small forests of decisions, for what no one number decides (asked through models/classifier.py).

Each is a set of decision trees (Breiman 2001, "Random forests") fitted by benchmarks/fit*.py on development phrases and
kept as plain numbers; nothing of the fitting library is needed to ask them.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

PARTS = ("feature", "threshold", "left", "right", "value")
"""Names of a forest's arrays."""


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
        """The one of a name among kept arrays. kept: arrays of shape (trees, nodes), by name and part."""
        return cls(*(kept[f"{name}_{part}"] for part in PARTS))

    @classmethod
    def none(cls) -> "Forest":
        """One without trees."""
        whole, part = np.zeros((0, 0), np.int16), np.zeros((0, 0), np.float32)
        return cls(whole, part, whole, whole, part)

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
