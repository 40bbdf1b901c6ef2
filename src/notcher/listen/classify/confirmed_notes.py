"""What confirmed notes say of this recording: how this guitar's picks dip, how loud its ghosts are, how surely the ear
hears it. What is still proposed is weighed anew by it.

Each chance p is moved to sigma(logit p + w x), with w as likely as the confirmed notes make it and near nought where
they say little: a logistic regression with a normal prior (MacKay 1992, "The evidence framework applied to
classification networks", its first step), solved by Newton's method.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.models.classifier import FeatureTable

# What is looked at for whether there is a note, and for whether the fretting hand began it: where its middle lies, and
# how far from there it usually goes.
_OF_A_NOTE = {
    "struck": (0.5, 0.4), "fingered": (0.3, 0.4), "sounds at once": (0.6, 0.4), "sounds on": (0.6, 0.4),
    "sounded before": (0.3, 0.4), "level": (-6.0, 8.0), "flux": (1.0, 0.8), "dip": (3.0, 5.0), "sure": (0.6, 0.3),
    "seconds": (0.4, 0.4), "beside": (0.5, 1.0),
}  # fmt: skip
_OF_A_LEAP = {"flux": (0.8, 0.8), "dip": (2.0, 4.0), "struck": (0.4, 0.4), "fingered": (0.4, 0.4)}
# Of either: how far a weight goes by itself, how far the constant, and how far both together move a chance (logits).
_NOTE, _LEAP = (0.5, 0.8, 1.5), (1.0, 1.5, 3.0)
# Notes of which fewer say nothing.
_FEWEST = 8
# Seconds within which a candidate is a confirmed note.
_SAME_S = 0.05
_ROUNDS = 12


@dataclass(frozen=True, slots=True)
class Known:
    """A note that the person decided: onset in seconds, MIDI pitch as fretted, whether the fretting hand began it; and
    whether nothing is open between it and the one before."""

    onset: float
    pitch: int
    by_hand: bool
    follows: bool


def notes_anew(
    chances: NDArray[np.float64], rows: FeatureTable, candidates: Sequence[Candidate], known: Sequence[Known]
) -> NDArray[np.float64]:
    """The chance of each candidate to be a note, after what is known; rows: as belief.feature_vectors gives them.
    chances and what is given back: 0 to 1, shape (n,), one a candidate."""
    labels = np.array([_is_known(c, known) for c in candidates])
    x = _scaled(rows, _OF_A_NOTE)
    return _moved(chances, x, labels, len(known), _NOTE)


def leaps_anew(
    chances: NDArray[np.float64], rows: FeatureTable, notes: Sequence[HeardNote], known: Sequence[Known]
) -> NDArray[np.float64]:
    """The chance of each note to be the fretting hand's, after what is known; rows: as belief.feature_vectors gives
    them. chances and what is given back: 0 to 1, shape (n,), one a note."""
    labels = np.full(len(notes), np.nan)
    for i, n in enumerate(notes):
        same = [k for k in known if abs(k.onset - n.onset) <= _SAME_S and k.pitch == n.pitch]
        if same:
            labels[i] = float(same[0].by_hand)
    return _moved(chances, _scaled(rows, _OF_A_LEAP), labels, len(known), _LEAP)


def _is_known(c: Candidate, known: Sequence[Known]) -> float:
    """1 for a note that was confirmed, 0 for what lies between confirmed notes and is none, NaN elsewhere."""
    onset = c.note.onset
    if any(abs(k.onset - onset) <= _SAME_S and k.pitch == c.note.pitch for k in known):
        return 1.0
    for a, b in itertools.pairwise(known):
        if b.follows and a.onset - _SAME_S <= onset <= b.onset + _SAME_S:
            return 0.0
    return float("nan")


def _scaled(rows: FeatureTable, chosen: dict[str, tuple[float, float]]) -> NDArray[np.float64]:
    columns = [np.clip((rows.column(n) - middle) / far, -2.0, 2.0) for n, (middle, far) in chosen.items()]
    return np.stack([np.ones(len(rows)), *columns], axis=1).astype(np.float64)


def _moved(
    chances: NDArray[np.float64],
    x: NDArray[np.float64],
    labels: NDArray[np.float64],
    known: int,
    limits: tuple[float, float, float],
) -> NDArray[np.float64]:
    told = np.isfinite(labels)
    if known < _FEWEST or not told.any():
        return chances
    prior = np.log(np.clip(chances, 0.005, 0.995) / (1 - np.clip(chances, 0.005, 0.995)))
    each, constant, most = limits
    spread = np.full(x.shape[1], each)
    spread[0] = constant
    a, y, z = x[told], labels[told], prior[told]
    w = np.zeros(x.shape[1])
    for _ in range(_ROUNDS):
        p = 1.0 / (1.0 + np.exp(-(z + a @ w)))
        slope = a.T @ (y - p) - w / spread**2
        curve = (a * (p * (1 - p))[:, None]).T @ a + np.diag(1.0 / spread**2)
        step = np.linalg.solve(curve, slope)
        w = w + step
        if float(np.abs(step).max()) < 1e-6:
            break
    return np.asarray(1.0 / (1.0 + np.exp(-(prior + np.clip(x @ w, -most, most)))))
