"""Fits the forest of listen/classify/which_hand.py: which hand began a note, from the notes around it.

Run: python -m benchmarks.fit_hand (needs fluidsynth and fluid-soundfont-gm). The evaluation phrases are never looked at.
"""

from concurrent.futures import ProcessPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import RandomForestClassifier
from sklearn.model_selection import GroupKFold

from benchmarks import legato, takes, varied
from benchmarks.fit import OUT, measured_frames, trees_of
from benchmarks.scores import matched
from benchmarks.varied import Piece
from notcher.audio.recording import AudioError
from notcher.listen.listener import read_frames
from notcher.models.classifier import Features, FeatureTable, arrays_of, listening_in

CONDITIONS = ("alone", "+6 dB", "0 dB")
_TREES, _LEAF = 80, 8
_BY_HAND = ("hammer", "pull", "tap")
Row = tuple[str, Features, bool]


def pieces() -> list[Piece]:
    """All that it is fitted on."""
    return [
        *(legato.Phrase(seed) for seed in legato.DEVELOPMENT_SEEDS),
        *(takes.Lesson(seed) for seed in takes.DEVELOPMENT),
        *(Piece(seed) for seed in varied.DEVELOPMENT[:24]),
    ]


def rows_of(job: tuple[int, str]) -> list[Row]:
    """What was asked while a phrase was read, with the true answers, and the phrase they are of."""
    number, condition = job
    piece = pieces()[number]
    truth = piece.truth
    with listening_in() as questions:
        try:
            heard = read_frames(measured_frames(piece.audio(condition))).notes
        except AudioError:
            return []
    attacks = {round(h.onset, 4): n["attack"] for n, h in matched(truth, heard)}
    return [
        (f"{type(piece).__name__} {piece.seed}", q.features, attacks[round(q.time, 4)] in _BY_HAND)
        for q in questions
        if q.question == "hand" and round(q.time, 4) in attacks and attacks[round(q.time, 4)] != "slide"
    ]


def main() -> None:
    """Fit it and write it; the others stay as they are."""
    kept: dict[str, Any] = dict(np.load(OUT))
    jobs = [(k, c) for k in range(len(pieces())) for c in CONDITIONS]
    with ProcessPoolExecutor(2) as pool:
        rows = [row for found in pool.map(rows_of, jobs, chunksize=3) for row in found]
    table, answers = FeatureTable.of([r[1] for r in rows]), np.array([r[2] for r in rows])
    print(
        f"{len(rows)} questions, {int(answers.sum())} of them yes",
        _checked(table.values, answers, [r[0] for r in rows]),
    )
    made = RandomForestClassifier(_TREES, min_samples_leaf=_LEAF, random_state=7, n_jobs=2)
    made.fit(table.values, answers)
    np.savez_compressed(OUT, **(kept | arrays_of("hand", table.names, trees_of(made))))


def _checked(table: NDArray[np.float32], answers: NDArray[np.bool_], groups: list[str]) -> str:
    """Share right on phrases that were left out."""
    right = 0
    for train, test in GroupKFold(5).split(table, answers, groups):
        made = RandomForestClassifier(_TREES, min_samples_leaf=_LEAF, random_state=7, n_jobs=2)
        right += int(np.sum(made.fit(table[train], answers[train]).predict(table[test]) == answers[test]))
    return f"{right / len(answers):.3f} right on phrases left out"


if __name__ == "__main__":
    main()
