"""Fits the regression of listen/frames/voicing.py on the development phrases, and prints its weights.

Run: python -m benchmarks.fit_voicing (needs what benchmarks/development.py needs). A frame is one in which the lead sounds where
what it follows lies within a quarter tone and a bit of a string that sounds; the evaluation phrases are never looked
at.
"""

from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray
from sklearn.linear_model import LogisticRegression

from benchmarks.development import Job, frames_of, phrases, truth_of
from benchmarks.truth import Truth
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.voicing import features_of

_NEAR_CENTS = 60.0
# Every so many frames: neighbours say the same.
_STEP = 4


def table_of(frames: Frames, truth: Truth) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Features of some frames, and whether the lead sounds in each."""
    t = frames.trace
    features = features_of(t.confidence, t.share, t.purity, t.level, t.heard)
    real = truth.contours(len(t))
    sounds = np.array(
        [any(abs(c - heard) < _NEAR_CENTS for c in row) for heard, row in zip(t.cents, real, strict=True)]
    )
    return features[::_STEP], sounds[::_STEP]


def rows_of(job: Job) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """One development phrase's table."""
    return table_of(frames_of(job), truth_of(job))


def main() -> None:
    """Fit and print."""
    with ProcessPoolExecutor(2) as pool:
        tables = list(pool.map(rows_of, phrases(), chunksize=4))
    say(tables)


def say(tables: list[tuple[NDArray[np.float64], NDArray[np.bool_]]]) -> None:
    """Fit on tables and print the weights."""
    features, sounds = (np.concatenate(part) for part in zip(*tables, strict=True))
    fitted = LogisticRegression(C=10.0, max_iter=2000).fit(features, sounds)
    print(f"{len(sounds)} frames, {sounds.mean():.3f} sound, {fitted.score(features, sounds):.4f} right")
    print("weights", np.round(fitted.coef_[0], 2).tolist(), "constant", round(float(fitted.intercept_[0]), 2))


if __name__ == "__main__":
    main()
