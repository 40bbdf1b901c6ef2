"""Fits the forests of listen/classify/which_hand.py and slid.py: which hand began a note, and whether its finger slid
there, from the notes around it.

Run: python -m benchmarks.fit_hand, after benchmarks.fit_belief (needs what benchmarks/development.py needs). The
evaluation phrases are never looked at.
"""

from concurrent.futures import ProcessPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier
from sklearn.isotonic import IsotonicRegression
from sklearn.model_selection import GroupKFold

from benchmarks import legato, takes, varied
from benchmarks.development import FROM_BACKINGS, Job, frames_of, phrases, truth_of
from benchmarks.fit import trees_of
from benchmarks.scores import matched
from benchmarks.truth import ROOT
from notcher.audio.recording import AudioError
from notcher.listen.listener import read_frames
from notcher.models.classifier import Features, FeatureTable, arrays_of, listening_in

OUT = ROOT / "src/notcher/data/hands.npz"
_TREES, _LEAF = 80, 8
_BY_HAND = ("hammer", "pull", "tap")
Row = tuple[str, str, Features, bool]


def jobs() -> list[Job]:
    """All that it is fitted on."""
    numbers = {"legato": legato.DEVELOPMENT_SEEDS, "lesson": takes.DEVELOPMENT, "varied": varied.DEVELOPMENT[:24]}
    made = [Job(source, k, c) for source, some in numbers.items() for k in some for c in FROM_BACKINGS]
    return made + [job for job in phrases() if "song" in job.source]


def rows_of(job: Job) -> list[Row]:
    """What was asked while a phrase was read, with the true answers, and the phrase they are of."""
    truth = truth_of(job)
    with listening_in("hand", "slide") as questions:
        try:
            heard = read_frames(frames_of(job)).notes
        except AudioError:
            return []
    attacks = {round(h.onset, 4): n["attack"] for n, h in matched(truth, heard)}
    return [
        (q.question, job.phrase, q.features, answer)
        for q in questions
        if (answer := _answer(q.question, attacks.get(round(q.time, 4)))) is not None
    ]


def _answer(question: str, attack: str | None) -> bool | None:
    """What is so of a note that was reached in a way; None where the question does not arise."""
    if attack is None:
        return None
    if question == "slide":
        return attack == "slide"
    return attack in _BY_HAND if question == "hand" and attack != "slide" else None


def main() -> None:
    """Fit them and write them."""
    kept: dict[str, Any] = {}
    with ProcessPoolExecutor(2) as pool:
        rows = [row for found in pool.map(rows_of, jobs(), chunksize=3) for row in found]
    for question in ("hand", "slide"):
        mine = [r for r in rows if r[0] == question]
        table, answers = FeatureTable.of([r[2] for r in mine]), np.array([r[3] for r in mine])
        told = _left_out(table.values, answers, [r[1] for r in mine])
        line = IsotonicRegression(y_min=0.005, y_max=0.995, out_of_bounds="clip").fit(told, answers)
        yes = line.predict(told) >= 0.5
        print(
            f"{question}: {len(mine)} questions, {int(answers.sum())} of them yes; {np.mean(yes == answers):.3f} right, "
            f"{np.mean(yes[answers]):.3f} found, {np.mean(answers[yes]):.3f} right of those claimed, on phrases left out"
        )
        made = _forest().fit(table.values, answers)
        kept |= arrays_of(question, table.names, trees_of(made))
        kept |= {f"{question}_answers": line.X_thresholds_, f"{question}_chances": line.y_thresholds_}
    np.savez_compressed(OUT, **kept)


def _forest() -> RandomForestClassifier:
    return RandomForestClassifier(_TREES, min_samples_leaf=_LEAF, random_state=7, n_jobs=2)


def _left_out(table: NDArray[np.float32], answers: NDArray[np.bool_], groups: list[str]) -> NDArray[np.float64]:
    """What forests say of phrases that they were not fitted on, shape (n,)."""
    told = np.zeros(len(answers))
    for train, test in GroupKFold(5).split(table, answers, groups):
        told[test] = _forest().fit(table[train], answers[train]).predict_proba(table[test])[:, 1]
    return told


if __name__ == "__main__":
    main()
