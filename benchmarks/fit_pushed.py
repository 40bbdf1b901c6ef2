"""Fits the question of listen/candidates/pushed.py: is a string pushed while another is held?

Run: python -m benchmarks.fit_pushed (needs fluidsynth and fluid-soundfont-gm, and what benchmarks/recorded.py fetches).
The evaluation phrases and bands are never looked at.
"""

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier
from sklearn.isotonic import IsotonicRegression
from sklearn.model_selection import GroupKFold

from benchmarks import real_bands
from benchmarks.fit import OUT, VARIED, frames_of, measured_frames, trees_of, truth_of
from benchmarks.material import WIDE_DEVELOPMENT, cases
from benchmarks.truth import Truth
from benchmarks.varied import DEVELOPMENT
from notcher.audio.recording import AudioError
from notcher.listen.candidates import pushed
from notcher.listen.candidates.gather import gather
from notcher.models.classifier import Asked, Features, FeatureTable, arrays_of

CONDITIONS = ("alone", "+6 dB", "0 dB")
REAL_CONDITIONS = ("alone", "0 dB", "-6 dB")
REAL = -1
"""Stands for the songs of benchmarks/real_bands.py."""
_TREES, _LEAF, _NEAR_S, _FROM = 100, 3, 0.05, 81_060
Row = tuple[str, Features, bool]
Job = tuple[int, int, str]


class _Nobody:
    """Answers that nothing is pushed, so that no question depends on one before and none is refused where what is
    measured has changed since the model was fitted (listening_in would need that model); keeps what was asked."""

    def __init__(self) -> None:
        self.asked: list[Asked] = []

    def __call__(self, _question: str) -> "_Nobody":
        return self

    def chance(self, features: Features, *, time: float, pitch: float = 0.0) -> float:
        """None."""
        self.asked.append(Asked("pushed", dict(features), time, pitch))
        return 0.0


@contextmanager
def nobody() -> Iterator[list[Asked]]:
    """While this lasts, no string is pushed; what was asked."""
    answering, own = _Nobody(), vars(pushed)["classifier"]
    vars(pushed)["classifier"] = answering
    try:
        yield answering.asked
    finally:
        vars(pushed)["classifier"] = own


def jobs() -> list[Job]:
    """Phrases and songs in which strings sound together, and some in which they do not."""
    wide = [(which, k, c) for which in WIDE_DEVELOPMENT for k in range(len(cases(which))) for c in CONDITIONS]
    varied = [(VARIED, seed, c) for seed in DEVELOPMENT if seed >= _FROM for c in CONDITIONS]
    real = [(REAL, k, c) for k in range(len(real_bands.songs("development"))) for c in REAL_CONDITIONS]
    return wide + varied + real


def rows_of(job: Job) -> list[Row]:
    """What was asked while a phrase was read, with the true answers, and the phrase they are of."""
    which, number, condition = job
    if which == REAL:
        song = real_bands.songs("development")[number]
        frames, truth = measured_frames(song.kept_audio(condition)), song.piece.truth
    else:
        frames, truth = frames_of(*job), truth_of(which, number)
    with nobody() as asked:
        try:
            gather(frames)
        except AudioError:
            return []
    return [(f"{which} {number}", q.features, _answer(q, truth)) for q in asked]


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
