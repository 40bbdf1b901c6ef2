"""Each candidate asked: whether it is a note, and how likely its pitch, its onset, its attack and its bend are
right."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.gather import Candidates
from notcher.listen.classify.belief import Belief, believed, feature_vectors
from notcher.listen.frames.measure import Frames


@dataclass(frozen=True, eq=False)
class Classified:
    """Candidates with what is thought of each. features: shape (n, len(belief.FEATURES)), in their order; beliefs: one
    for each candidate."""

    candidates: Candidates
    features: NDArray[np.float32]
    beliefs: tuple[Belief, ...]


def classify(frames: Frames, candidates: Candidates) -> Classified:
    """What is thought of each candidate, by the forests of belief."""
    rows = feature_vectors(frames, candidates.trace, candidates.notes, candidates.offset.cents)
    return Classified(candidates, rows, tuple(believed(rows)))
