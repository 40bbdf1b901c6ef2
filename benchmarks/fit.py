"""Fits the classifiers of forests.npz (models/classifier.py) on the development phrases and writes src/notcher/data/forests.npz.

Run: python -m benchmarks.fit (needs what benchmarks/development.py needs; scikit-learn comes with make setup-dev). The
evaluation phrases are never looked at. Arguments: how often (2), then the forests to fit, if not all. A forest's
question depends on what the others answered before, so it is done twice.
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier

from benchmarks.development import Job, frames_of, phrases, truth_of
from benchmarks.scores import matched
from benchmarks.truth import ROOT, Truth
from notcher.audio.recording import AudioError
from notcher.listen.candidates.gather import gather
from notcher.models.classifier import Asked, Features, FeatureTable, arrays_of, listening_in

OUT = ROOT / "src/notcher/data/forests.npz"
# A question over what is as loud or louder counts half: what is buried there can mislead.
_WEIGHTS, _WEIGHT_BURIED = {"alone": 1.0, "+6 dB": 1.0}, 0.5
_TREES, _LEAF = 100, {"strike": 5, "legato": 5, "string": 4}
_NEAR_S = 0.035
Row = tuple[str, Features, bool, float]


def rows_of(job: Job) -> list[Row]:
    """What was asked while a phrase was read, with the true answers and their weight."""
    truth = truth_of(job)
    with listening_in() as questions:
        try:
            heard = [c.note for c in gather(frames_of(job)).in_time]
        except AudioError:
            return []
    attacks = {round(n.onset, 3): t["attack"] for t, n in matched(truth, heard)}
    weight = _WEIGHTS.get(job.condition, _WEIGHT_BURIED)
    rows: list[Row] = []
    for q in questions:
        answer = _answer(q, truth, attacks)
        if answer is not None:
            rows.append((q.question, q.features, answer, weight))
    return rows


def _answer(q: Asked, truth: Truth, attacks: dict[float, str]) -> bool | None:
    if q.question == "strike":
        return any(abs(n["onset"] - (q.time - 0.006)) < _NEAR_S for n in truth.notes)
    if q.question == "legato":
        attack = next((a for t, a in attacks.items() if abs(t - q.time) < 0.002), None)
        return None if attack is None else attack in ("hammer", "pull", "slide", "tap")
    return any(
        abs(n["onset"] - q.time) < 0.045
        and abs(n["pitch"] + n["sounding"] + float(np.median(n["cents_5ms"][6:16])) / 100 - q.pitch) < 0.8
        for n in truth.pitched()
    )


def fitted(
    features: NDArray[np.floating], answers: NDArray[np.bool_], weights: NDArray[np.float64], leaf: int
) -> dict[str, NDArray]:
    """The trees of one that is fitted, as trees_of gives them."""
    made = RandomForestClassifier(_TREES, min_samples_leaf=leaf, random_state=7, n_jobs=2)
    return trees_of(made.fit(features, answers, sample_weight=weights))


def trees_of(made: RandomForestClassifier) -> dict[str, NDArray]:
    """The trees of a forest, each leaf with its share of yes."""
    trees = [t.tree_ for t in made.estimators_]
    return padded(trees, [t.value[:, 0, 1] / np.maximum(t.value[:, 0, :].sum(axis=1), 1e-12) for t in trees])


def padded(trees: list[Any], values: list[NDArray]) -> dict[str, NDArray]:
    """scikit-learn's trees, with the values of their nodes, as arrays that forest.Forest takes."""
    n = max(t.node_count for t in trees)
    out = {
        "feature": np.full((len(trees), n), -1, np.int16), "threshold": np.zeros((len(trees), n), np.float32),
        "left": np.zeros((len(trees), n), np.int16), "right": np.zeros((len(trees), n), np.int16),
        "value": np.zeros((len(trees), n), np.float32),
    }  # fmt: skip
    for i, t in enumerate(trees):
        k = t.node_count
        out["feature"][i, :k] = np.where(t.children_left < 0, -1, t.feature)
        out["threshold"][i, :k], out["value"][i, :k] = t.threshold, values[i]
        out["left"][i, :k], out["right"][i, :k] = t.children_left, t.children_right
    return out


def main() -> None:
    """Fit those that are named, or all three, and write them; the others stay as they are."""
    wanted = tuple(sys.argv[2:]) or tuple(_LEAF)
    jobs = phrases()
    for _ in range(int(sys.argv[1]) if len(sys.argv) > 1 else 2):
        with ProcessPoolExecutor(2) as pool:
            rows = [row for found in pool.map(rows_of, jobs, chunksize=12) for row in found]
        kept: dict[str, NDArray] = dict(np.load(OUT)) if OUT.exists() else {}
        for name in wanted:
            mine = [r for r in rows if r[0] == name]
            table = FeatureTable.of([r[1] for r in mine])
            answers, weights = (np.array([r[k] for r in mine]) for k in (2, 3))
            kept |= arrays_of(name, table.names, fitted(table.values, answers, weights, _LEAF[name]))
            print(f"{name}: {len(mine)} questions, {int(answers.sum())} of them yes")
        arrays: dict[str, Any] = kept
        np.savez_compressed(OUT, **arrays)
        print(f"{OUT.relative_to(Path.cwd())}: {OUT.stat().st_size / 1024:.0f} KiB")


if __name__ == "__main__":
    main()
