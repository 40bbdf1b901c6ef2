"""Fits the forests of listen/classify/techniques.py on the development phrases and writes src/notcher/data/timbre.npz.

Run: python -m benchmarks.fit_timbre, after benchmarks.fit_belief (needs what benchmarks/development.py needs). The evaluation
phrases are never looked at. Each forest's limit is the lowest at which no more than _FALSE of all notes are
falsely told, alone and in mixes, on phrases that it was not fitted on.
"""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier
from sklearn.isotonic import IsotonicRegression

from benchmarks.development import Job, folds, frames_of, phrases, truth_of
from benchmarks.fit import trees_of
from benchmarks.truth import ROOT, Truth
from notcher.audio.recording import AudioError
from notcher.listen.candidates.gather import gather
from notcher.listen.candidates.unexplained_strokes import unexplained
from notcher.listen.classify.judge import classify
from notcher.listen.classify.techniques import TECHNIQUES, feature_vectors
from notcher.listen.decide.choose import chosen_of
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import FeatureTable, arrays_of

OUT = ROOT / "src/notcher/data/timbre.npz"
# Seconds from a note within which it is the one that was played.
_NEAR_S = 0.06
# Knots of the line from a likelihood to its chance, above hardly any.
_KNOTS, _HARDLY = 40, 0.02
_TREES, _LEAF, _FOLDS = 80, 3, 5
# Two in a hundred may be. A natural harmonic changes where a note is played, and it and a rake are rarer in solos than
# here: their least limits are from the demo. Dead strings and rakes, which are told by strokes, are told more falsely on
# other guitars than here.
_FALSE, _FALSE_USUAL = {"dead": 0.008, "rake": 0.008}, 0.018
# On guitars that no forest saw a lower limit tells far more falsely than those here let one expect.
_LEAST, _LEAST_USUAL = {"palm-mute": 0.2, "natural-harmonic": 0.4, "rake": 0.3}, 0.12
Table = tuple[FeatureTable, NDArray[np.bool_]]


def table_of(frames: Frames, truth: Truth) -> Table:
    """Features of each note, and whether each technique is there, shape (n, techniques)."""
    try:
        found = gather(frames)
    except AudioError:
        return FeatureTable.of([]), np.zeros((0, len(TECHNIQUES)), bool)
    notes, *_ = chosen_of(classify(frames, replace(found, notes=tuple(found.in_time))))
    notes = sorted([*notes, *unexplained(frames, notes)], key=lambda n: (n.onset, -n.pitch))
    rows = feature_vectors(frames, notes, found.offset.cents)
    answers = np.zeros((len(notes), len(TECHNIQUES)), bool)
    for i, n in enumerate(notes):
        near = [t for t in truth.notes if abs(t["onset"] - n.onset) < _NEAR_S]
        same = [t for t in near if t["pitch"] + t["sounding"] == n.pitch] or near
        for k, technique in enumerate(TECHNIQUES):
            answers[i, k] = any(technique.name in t["marks"] or technique.name == t["attack"] for t in same[:1])
    return rows, answers


def rows_of(job: Job) -> Table:
    """One development phrase's table."""
    return table_of(frames_of(job), truth_of(job))


def main() -> None:
    """Fit and write."""
    jobs = phrases()
    with ProcessPoolExecutor(2) as pool:
        tables = list(pool.map(rows_of, jobs, chunksize=4))
    write(tables, jobs, OUT)


def write(tables: list[Table], jobs: list[Job], out: Path) -> None:
    """Fit on tables, one for each phrase and condition, and write."""
    conditions = [job.condition for job in jobs]
    names = next(t[0].names for t in tables if len(t[0]))
    rows = np.concatenate([t[0].values for t in tables if len(t[0])])
    answers = np.concatenate([t[1] for t in tables if len(t[0])])
    parts = folds(jobs, _FOLDS)
    group = np.concatenate([np.full(len(t[0]), k) for t, k in zip(tables, parts, strict=True) if len(t[0])])
    alone = np.concatenate(
        [np.full(len(t[0]), c == "alone") for t, c in zip(tables, conditions, strict=True) if len(t[0])]
    )
    kept: dict[str, Any] = {}
    for k, technique in enumerate(TECHNIQUES):
        likely = np.zeros(len(rows))
        for fold in range(_FOLDS):
            inside = group == fold
            likely[inside] = _model().fit(rows[~inside], answers[~inside, k]).predict_proba(rows[inside])[:, -1]
        limits = [_limit(technique.name, likely[which], answers[which, k]) for which in (alone, ~alone)]
        least = np.where(alone, *limits)
        for name, which in (("alone", alone), ("mixed", ~alone)):
            told, so = likely[which] >= least[which], answers[which, k]
            found, false = (told & so).sum() / max(1, so.sum()), (told & ~so).sum() / len(so)
            print(f"{technique.name} {name}: {so.sum()} there, {found:.2f} found, {100 * false:.2f} false in 100 notes")
        kept |= arrays_of(technique.name, names, trees_of(_model().fit(rows, answers[:, k])))
        kept[f"{technique.name}_from"] = np.array(limits)
        line = IsotonicRegression(y_min=0.005, y_max=0.995, out_of_bounds="clip").fit(likely, answers[:, k])
        knots = np.unique(np.round(np.quantile(likely[likely > _HARDLY], np.linspace(0, 1, _KNOTS)), 6))
        kept |= {f"{technique.name}_answers": knots, f"{technique.name}_chances": line.predict(knots)}
    np.savez_compressed(out, **kept)
    print(f"{out.name}: {out.stat().st_size / 1024:.0f} KiB")


def _limit(name: str, likely: NDArray[np.float64], so: NDArray[np.bool_]) -> float:
    """The likelihood from which a technique is told, alone or in mixes."""
    wrong = np.sort(likely[~so])[::-1]
    allowed = round(_FALSE.get(name, _FALSE_USUAL) * len(likely))
    return max(_LEAST.get(name, _LEAST_USUAL), float(wrong[min(len(wrong) - 1, allowed)]) + 1e-6)


def _model() -> RandomForestClassifier:
    return RandomForestClassifier(
        _TREES, min_samples_leaf=_LEAF, class_weight="balanced_subsample", random_state=7, n_jobs=2
    )


if __name__ == "__main__":
    main()
