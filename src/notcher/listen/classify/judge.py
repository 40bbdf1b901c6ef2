"""Each candidate asked: whether it is a note, and how likely its pitch, its onset, its attack and its bend are
right."""

from dataclasses import dataclass

from notcher.listen.candidates.gather import Candidates
from notcher.listen.classify.belief import Belief, believed, feature_vectors
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import FeatureTable


@dataclass(frozen=True, eq=False)
class Classified:
    """Candidates with what is thought of each. features: what was measured of each (belief.feature_vectors); beliefs:
    one for each candidate."""

    candidates: Candidates
    features: FeatureTable
    beliefs: tuple[Belief, ...]


def classify(frames: Frames, candidates: Candidates) -> Classified:
    """What is thought of each candidate, by the forests of belief."""
    rows = feature_vectors(frames, candidates.trace, candidates.notes, candidates.offset.cents)
    return Classified(candidates, rows, tuple(believed(rows)))
