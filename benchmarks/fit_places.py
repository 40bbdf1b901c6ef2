"""Fits the weights of the search for places on the passages that are for it, the recipe's as a prior.

    python -m benchmarks.fit_places

Maximises the logarithm of the likelihood of string and fret, positions summed out (a conditional random field: Lafferty,
McCallum and Pereira 2001), by L-BFGS; pulled with a fixed strength towards the weights to start from.
"""

import itertools
import json
import sys
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize
from scipy.special import logsumexp

from benchmarks.passages import Passage, passages
from benchmarks.places import agreement, ours
from notcher.place import weights
from notcher.place.columns import Column
from notcher.place.search import Lattice
from notcher.place.steps import region, step_terms

OUT = Path(__file__).resolve().parent.parent / "src" / "notcher" / "data" / "place_weights.json"
PULL, STEPS = 30.0, 30
# Where on the neck invented passages lie is their inventor's choice and says nothing; how the hand goes on does.
REGIONS, PULL_OF_REGIONS = (
    ("f1", "f2", "f3", "lowfret", "string", "hi4", "pos", "pos2", "first", "arrive", "phrase_arrive"),
    3000.0,
)
Floats = NDArray[np.float64]


class Example:
    """One passage: its lattice's terms, and which ways are as they were set."""

    def __init__(self, passage: Passage) -> None:
        wanted, truth = passage.wanted(), passage.places()
        lattice = Lattice(wanted, passage.tuning, weights.start())
        self.columns: list[Column] = lattice.columns
        self.first = weights.at("first", region(self.columns[0].position))
        self.steps = [
            step_terms(a, b, x)
            for (a, b), x in zip(itertools.pairwise(self.columns), lattice.between, strict=True)
        ]  # fmt: skip
        self.right = []
        for group, column in zip(lattice.groups, self.columns, strict=True):
            fits = np.ones(len(column.position), dtype=bool)
            for j, i in enumerate(group):
                fits &= (column.string[:, j] == truth[i][0]) & (column.fret[:, j] == truth[i][1])
            self.right.append(fits)

    @property
    def usable(self) -> bool:
        """Whether every strike can be played as it was set."""
        return all(fits.any() for fits in self.right)

    def likelihood(self, w: Floats) -> tuple[float, Floats]:
        """Logarithm of the likelihood of the places as they were set, and its gradient."""
        own = [(w[c.terms] * c.values).sum(axis=0) for c in self.columns]
        own[0] = own[0] + w[self.first]
        steps = [w[terms].sum(axis=0) for terms in self.steps]
        free, expected = self._sums(own, steps)
        clamped = [np.where(fits, o, -np.inf) for o, fits in zip(own, self.right, strict=True)]
        set_, counted = self._sums(clamped, steps)
        return set_ - free, counted - expected

    def _sums(self, own: Sequence[Floats], steps: Sequence[Floats]) -> tuple[float, Floats]:
        """Logarithm of the sum over all ways, and how often each weight is expected."""
        ahead = [own[0]]
        for step, o in zip(steps, own[1:], strict=True):
            ahead.append(logsumexp(ahead[-1][:, None] + step, axis=0) + o)
        behind = [np.zeros_like(own[-1])]
        for step, o in zip(reversed(steps), reversed(list(own[1:])), strict=True):
            behind.insert(0, logsumexp(step + (o + behind[0])[None, :], axis=1))
        total = float(logsumexp(ahead[-1]))
        counts = np.zeros(weights.SIZE)
        for k, column in enumerate(self.columns):
            p = np.exp(ahead[k] + behind[k] - total)
            np.add.at(counts, column.terms, column.values * p[None, :])
            if k == 0:
                np.add.at(counts, self.first, p)
        for k, (step, terms) in enumerate(zip(steps, self.steps, strict=True)):
            p = np.exp(ahead[k][:, None] + step + (own[k + 1] + behind[k + 1])[None, :] - total)
            np.add.at(counts, terms, np.broadcast_to(p, terms.shape))
        return total, counts


def fit(material: Sequence[Passage], *, pull: float = PULL) -> Floats:
    """Weights that make the places of some passages likely, near those to start from."""
    examples = [e for e in map(Example, material) if e.usable]
    start = weights.start()
    pulls = np.full(weights.SIZE, pull)
    for name in REGIONS:
        pulls[weights.of(name)] = PULL_OF_REGIONS

    def loss(w: Floats) -> tuple[float, Floats]:
        value, slope = 0.5 * float(np.sum(pulls * (w - start) ** 2)), pulls * (w - start)
        for example in examples:
            likelihood, gradient = example.likelihood(w)
            value, slope = value - likelihood, slope - gradient
        slope[weights.NOTHING] = 0.0
        return value, slope

    found = minimize(loss, start, jac=True, method="L-BFGS-B", options={"maxiter": STEPS})
    return np.asarray(found.x, dtype=np.float64)


def main() -> int:
    """Fit, write, and say what it did to both halves."""
    w = fit(passages(fitted=True))
    table = {
        "about": "Weights of the search for places (place/weights.py); python -m benchmarks.fit_places writes them."
    }
    OUT.write_text(json.dumps({**table, "weights": weights.as_table(w)}, indent=1) + "\n")
    for name, half in (("fitted on", True), ("judged on", False)):
        for what, used in (("start", weights.start()), ("fitted", w)):
            print(name, what, agreement(passages(fitted=half), ours(used), weights=used))
    return 0


if __name__ == "__main__":
    sys.exit(main())
