"""Fits how likely each note that was heard is one (listen/classify/belief.py) on the development phrases, and writes
src/notcher/data/belief.npz.

Run: python -m benchmarks.fit_belief (needs what benchmarks/development.py needs, and the ear). The evaluation phrases are never
looked at. The chances are those of phrases that a forest was not fitted on: five times, four fifths of the phrases
answer for the last one.
"""

from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import GradientBoostingClassifier
from sklearn.isotonic import IsotonicRegression
from sklearn.metrics import roc_auc_score

from benchmarks.development import Job, folds, frames_of, phrases, truth_of
from benchmarks.fit import padded
from benchmarks.scores import matched
from benchmarks.truth import ROOT, Truth
from notcher.audio.recording import AudioError
from notcher.listen.candidates.gather import gather
from notcher.listen.candidates.missed import Candidate
from notcher.listen.classify.belief import ATTACK, BEND, NOTE, ONSET, PITCH, QUESTIONS, VIBRATO, feature_vectors
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import FeatureTable, arrays_of
from notcher.models.forest import PARTS, Forest

OUT = ROOT / "src/notcher/data/belief.npz"
_TREES, _DEPTH, _LEAF, _RATE, _PART = 200, 6, 20, 0.06, 0.5
_FOLDS = 5
# Of a line that only rises, so many knots say enough.
_KNOTS = 40
Table = tuple[FeatureTable, dict[str, NDArray[np.float64]]]


def table_of(frames: Frames, truth: Truth) -> Table:
    """Features of each candidate, and for each question 1, 0, or NaN where it does not arise."""
    try:
        found = gather(frames)
    except AudioError:
        return FeatureTable.of([]), {}
    candidates = found.in_time
    features = feature_vectors(frames, found.trace, candidates, found.offset.cents)
    return features, answers_of(candidates, truth)


def answers_of(candidates: list[Candidate], truth: Truth) -> dict[str, NDArray[np.float64]]:
    """What is so of each candidate."""
    notes = [c.note for c in candidates]
    out = {name: np.full(len(notes), np.nan) for name in QUESTIONS}
    pairs = {id(h): t for t, h in matched(truth, notes)}
    onsets = np.array([t["onset"] for t in truth.pitched()])
    for i, n in enumerate(notes):
        t = pairs.get(id(n))
        out[NOTE][i] = float(t is not None)
        out[ONSET][i] = float(np.min(np.abs(onsets - n.onset), initial=9.0) <= 0.05)
        there = [t for t in truth.pitched() if t["onset"] - 0.05 <= n.onset + 0.03 <= t["onset"] + t["duration"]]
        out[PITCH][i] = float(any(t["pitch"] + t["sounding"] == n.pitch for t in there))
        if t is not None:
            out[ATTACK][i] = float(("pick" if t["attack"] == "rake" else t["attack"]) == str(n.attack))
            if n.vibrato is not None:
                out[VIBRATO][i] = float(t["vibrato"] is not None)
            same = t["bend"] is None and n.bend is None
            both = t["bend"] is not None and n.bend is not None
            out[BEND][i] = float(same or (both and abs(t["bend"]["target_cents"] - n.bend.target_cents) <= 50))  # type: ignore[union-attr]
    return out


def rows_of(job: Job) -> Table:
    """One development phrase's table."""
    return table_of(frames_of(job), truth_of(job))


def main() -> None:
    """Fit and write."""
    with ProcessPoolExecutor(2) as pool:
        tables = list(pool.map(rows_of, phrases(), chunksize=4))
    write(tables, folds(phrases(), _FOLDS), OUT)


def write(tables: list[Table], fold: list[int], out: Path) -> None:
    """Fit on tables, one for each phrase and condition, and write. fold: to which part each belongs."""
    known = [t for t in tables if len(t[0])]
    features = FeatureTable(known[0][0].names, np.concatenate([t[0].values for t in known]))
    group = np.concatenate([np.full(len(t[0]), k) for t, k in zip(tables, fold, strict=True) if len(t[0])])
    kept: dict[str, Any] = {}
    with ProcessPoolExecutor(2) as pool:
        jobs = []
        for name in QUESTIONS:
            answers = np.concatenate([t[1][name] for t in known])
            asked = np.isfinite(answers)
            jobs.append(pool.submit(_fitted, name, features.values[asked], answers[asked], group[asked]))
        for name, job in zip(QUESTIONS, jobs, strict=True):
            trees, line = job.result()
            kept |= arrays_of(name, features.names, trees) | line
    np.savez_compressed(out, **kept)
    print(f"{out.name}: {out.stat().st_size / 1024:.0f} KiB")


def _model() -> GradientBoostingClassifier:
    return GradientBoostingClassifier(
        n_estimators=_TREES, max_depth=_DEPTH, min_samples_leaf=_LEAF, learning_rate=_RATE, subsample=_PART,
        max_features=0.4, random_state=5,
    )  # fmt: skip


def _fitted(
    name: str, features: NDArray[np.float32], answers: NDArray[np.float64], group: NDArray[np.int64]
) -> tuple[dict[str, NDArray], dict[str, NDArray]]:
    raw = np.zeros(len(answers))
    for fold in range(_FOLDS):
        inside = group == fold
        arrays = _arrays(_model().fit(features[~inside], answers[~inside]))
        raw[inside] = _answer(arrays, features[inside])
    arrays = _arrays(_model().fit(features, answers))
    line = IsotonicRegression(y_min=0.005, y_max=0.995, out_of_bounds="clip").fit(raw, answers)
    knots = np.quantile(raw, np.linspace(0, 1, _KNOTS))
    knots = np.unique(np.round(knots, 6))
    print(f"{name}: {len(answers)} rows, {answers.mean():.3f} so, AUC {roc_auc_score(answers, raw):.3f}")
    return arrays, {f"{name}_answers": knots, f"{name}_chances": line.predict(knots)}


def _answer(arrays: dict[str, NDArray], features: NDArray[np.float32]) -> NDArray[np.float64]:
    return Forest(*(arrays[part] for part in PARTS)).likelihoods(features)


def _arrays(model: GradientBoostingClassifier) -> dict[str, NDArray]:
    trees = [t.tree_ for t in model.estimators_[:, 0]]
    return padded(trees, [t.value[:, 0, 0] for t in trees])


if __name__ == "__main__":
    main()
