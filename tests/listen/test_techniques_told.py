"""Which techniques are written at a note and which are asked: forests that say what the test says."""

from collections.abc import Mapping

import numpy as np
import pytest

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.classify import techniques
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import FeatureTable
from notcher.score.isolation import Isolation
from notcher.score.measured import Measured, Weighed
from notcher.score.note import CLAIMED, Attack, Mark, Maybe

WHY = (Weighed("flux", 1.0, 0.5),)


class Said:
    """Answers and chances of one technique."""

    limits = (0.3, 0.3)

    def __init__(self, chance: float) -> None:
        self._chance = chance

    def raw(self, rows: FeatureTable) -> np.ndarray:
        return np.full(len(rows), 1.0 if self._chance else 0.0)

    def chances_of(self, rows: FeatureTable) -> np.ndarray:
        return np.full(len(rows), self._chance)

    def because(self, _features: object, *, yes: bool, most: int) -> tuple[Weighed, ...]:
        return WHY


def told(monkeypatch: pytest.MonkeyPatch, chances: Mapping[str, float]) -> HeardNote:
    monkeypatch.setattr(techniques, "classifier", lambda question: Said(chances.get(question, 0.0)))
    note = HeardNote(0.5, 1.0, 60, Attack.PICK, None, None, frozenset(), 0.9, Measured())
    (found,) = techniques.with_techniques(Frames.empty(1.5, Isolation(), alone=True), [note], 0.0)
    return found


@pytest.mark.parametrize(
    ("chances", "marks", "asked"),
    [
        ({}, set(), ()),
        ({"palm-mute": CLAIMED}, {Mark.PALM_MUTE}, ()),
        ({"palm-mute": 0.5}, set(), (Maybe(0.5, mark=Mark.PALM_MUTE),)),
        # A string is one of dead, a harmonic or muted: what is likely enough stands before what comes first.
        ({"pinch-harmonic": 0.5, "palm-mute": 0.9}, {Mark.PALM_MUTE}, ()),
        ({"pinch-harmonic": 0.5, "palm-mute": 0.4}, set(), (Maybe(0.5, mark=Mark.PINCH_HARMONIC),)),
        ({"swell": 0.5, "palm-mute": 0.9}, {Mark.PALM_MUTE}, (Maybe(0.5, mark=Mark.SWELL),)),
    ],
)
def test_from_its_chance_on_a_technique_is_written(
    monkeypatch: pytest.MonkeyPatch, chances: Mapping[str, float], marks: set[Mark], asked: tuple[Maybe, ...]
) -> None:
    found = told(monkeypatch, chances)
    assert (set(found.marks), found.maybe) == (marks, asked)
    assert found.evidence.marked == (WHY if chances else ()), "what decided is told of what is asked as well"


def test_a_rake_is_how_a_note_is_reached(monkeypatch: pytest.MonkeyPatch) -> None:
    assert told(monkeypatch, {"rake": 0.7}).attack is Attack.RAKE
    doubtful = told(monkeypatch, {"rake": 0.4})
    assert (doubtful.attack, doubtful.maybe) == (Attack.PICK, (Maybe(0.4, attack=Attack.RAKE),))
