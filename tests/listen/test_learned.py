"""What confirmed notes say of those that are still proposed."""

import numpy as np
import pytest

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.classify.confirmed_notes import Known, leaps_anew, notes_anew
from notcher.models.classifier import FeatureTable, classifier
from notcher.score.measured import Measured
from notcher.score.note import Attack


def note(onset: float, pitch: int = 64) -> HeardNote:
    return HeardNote(onset, onset + 0.2, pitch, Attack.PICK, None, None, frozenset(), 0.5, Measured())


def rows(**columns: list[float]) -> FeatureTable:
    n = len(next(iter(columns.values())))
    others = dict.fromkeys(classifier("note").names, 0.0)
    return FeatureTable.of([others | {name: values[i] for name, values in columns.items()} for i in range(n)])


def test_a_guitar_whose_ghosts_are_soft_teaches_that() -> None:
    """Every other thing heard is a soft ghost: after ten confirmed notes those that follow are believed less, and the
    notes between them more."""
    onsets = np.arange(40) * 0.3
    candidates = [Candidate(note(float(t))) for t in onsets]
    table = rows(level=[0.0 if k % 2 == 0 else -20.0 for k in range(40)])
    known = [Known(float(t), 64, False, k > 0) for k, t in enumerate(onsets[:20:2])]
    after = notes_anew(np.full(40, 0.6), table, candidates, known)
    assert after[30] > 0.65
    assert after[31] < 0.45


def test_how_its_picks_dip_is_learned() -> None:
    dips = [12.0 if k % 2 else 0.0 for k in range(30)]
    notes = [note(k * 0.3) for k in range(30)]
    known = [Known(n.onset, 64, k % 2 == 0, k > 0) for k, n in enumerate(notes[:12])]
    after = leaps_anew(np.full(30, 0.5), rows(dip=dips), notes, known)
    assert after[20] > 0.6 > 0.4 > after[21]


def test_a_few_notes_say_nothing() -> None:
    candidates = [Candidate(note(k * 0.3)) for k in range(20)]
    known = [Known(k * 0.3, 64, False, k > 0) for k in range(5)]
    chances = np.linspace(0.1, 0.9, 20)
    assert notes_anew(chances, rows(level=[0.0] * 20), candidates, known) == pytest.approx(chances)


def test_what_agrees_with_the_chances_moves_them_little() -> None:
    candidates = [Candidate(note(k * 0.3)) for k in range(30)]
    known = [Known(k * 0.3, 64, False, k > 0) for k in range(10)]
    chances = np.full(30, 0.97)
    after = notes_anew(chances, rows(level=[-6.0] * 30), candidates, known)
    assert np.all(np.abs(after - chances) < 0.02)
