"""Fits the question of listen/candidates/pushed.py: is a string pushed while another is held?

Run: python -m benchmarks.fit_pushed (needs what benchmarks/development.py needs).
The evaluation phrases and bands are never looked at.
"""

from concurrent.futures import ProcessPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier
from sklearn.isotonic import IsotonicRegression
from sklearn.model_selection import GroupKFold

from benchmarks.development import Job, frames_of, phrases, truth_of
from benchmarks.fit import OUT, trees_of
from benchmarks.material import WIDE_DEVELOPMENT
from benchmarks.truth import Truth
from notcher.audio.recording import AudioError
from notcher.listen.candidates import pushed
from notcher.listen.candidates.gather import gather
from notcher.models.classifier import Asked, Features, FeatureTable, arrays_of, listening_in

_TREES, _LEAF, _NEAR_S, _FROM = 100, 3, 0.05, 81_060
Row = tuple[str, Features, bool]


def jobs() -> list[Job]:
    """Phrases and songs in which strings sound together, and some in which they do not."""
    wide = {f"set {which}" for which in WIDE_DEVELOPMENT}
    return [
        job for job in phrases()
        if job.source in wide or "song" in job.source or (job.source == "varied" and job.number >= _FROM)
    ]  # fmt: skip


def rows_of(job: Job) -> list[Row]:
    """What was asked while a phrase was read, with the true answers, and the phrase they are of."""
    frames, truth = frames_of(job), truth_of(job)
    with listening_in("pushed") as asked:
        try:
            gather(frames)
        except AudioError:
            return []
    return [(job.phrase, q.features, _answer(q, truth)) for q in asked if q.question == "pushed"]


def _answer(q: Asked, truth: Truth) -> bool:
    return any(
        n["bend"] and not n["bend"]["kind"].startswith("pre-") and n["pitch"] == round(q.pitch)
        and abs(n["onset"] - q.time) < _NEAR_S
        for n in truth.pitched()
    )  # fmt: skip


def main() -> None:
    """Fit it and write it; the others stay as they are."""
    kept: dict[str, Any] = dict(np.load(OUT))
    with ProcessPoolExecutor(2) as pool:
        rows = [row for found in pool.map(rows_of, jobs(), chunksize=2) for row in found]
    table, answers = FeatureTable.of([r[1] for r in rows]), np.array([r[2] for r in rows])
    told = _left_out(table.values, answers, [r[0] for r in rows])
    line = IsotonicRegression(y_min=0.0, y_max=1.0, out_of_bounds="clip").fit(told, answers)
    yes = line.predict(told) >= pushed.FROM
    print(
        f"{len(rows)} questions, {int(answers.sum())} of them yes; {np.mean(yes[answers]):.3f} found and "
        f"{np.mean(answers[yes]):.3f} right of those claimed, on phrases left out"
    )
    made = _forest().fit(table.values, answers)
    kept |= arrays_of("pushed", table.names, trees_of(made))
    kept |= {"pushed_answers": line.X_thresholds_, "pushed_chances": line.y_thresholds_}
    np.savez_compressed(OUT, **kept)


def _forest() -> RandomForestClassifier:
    return RandomForestClassifier(
        _TREES, min_samples_leaf=_LEAF, class_weight="balanced_subsample", random_state=7, n_jobs=2
    )  # fmt: skip


def _left_out(table: NDArray[np.float32], answers: NDArray[np.bool_], groups: list[str]) -> NDArray[np.float64]:
    """What forests say of phrases that they were not fitted on, shape (n,)."""
    told = np.zeros(len(answers))
    for train, test in GroupKFold(8).split(table, answers, groups):
        told[test] = _forest().fit(table[train], answers[train]).predict_proba(table[test])[:, 1]
    return told


if __name__ == "__main__":
    main()
