"""What is measured of the way from one note to the next: a finger that slides halts at the frets between."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.classify import which_hand
from notcher.listen.classify.slid import features
from notcher.listen.frames.bands import STEP
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.isolation import Isolation
from notcher.score.measured import Measured
from notcher.score.note import CLAIMED, Attack, Maybe
from notcher.score.sure import Sure

OFFSET = 12.0


def note(onset: float, end: float, pitch: int, attack: Attack = Attack.PICK) -> HeardNote:
    return HeardNote(onset, end, pitch, attack, None, None, frozenset(), 0.9, Measured())


def frames(way: list[float]) -> Frames:
    """A note on MIDI 60 until 1 s, then frame by frame these cents above it, then whatever came last."""
    made = Frames.empty(2.0, Isolation(), alone=True)
    cents = np.full(len(made.trace), 6000.0 + OFFSET + way[-1])
    at = round(1.0 / HOP)
    cents[: at - len(way)] = 6000.0 + OFFSET
    cents[at - len(way) : at] = 6000.0 + OFFSET + np.array(way)
    made.trace.cents[:] = cents
    return made


def measured(way: list[float], pitch: int) -> dict[str, float]:
    before, after = note(0.5, 1.0, 60), note(1.0, 1.5, pitch, Attack.HAMMER)
    return features(frames(way), after, before, OFFSET, {"flux": 0.3})


def test_a_slide_halts_at_each_fret_a_hammered_note_at_none() -> None:
    slid = measured([100.0] * 4 + [200.0] * 4 + [300.0] * 4 + [400.0], 64)
    assert slid["moments between"] == 12
    assert slid["off the frets between"] == pytest.approx(0.0)
    assert (slid["frets halted at"], slid["goes one way"], slid["fastest"]) == (1.0, 1.0, 100.0)
    hammered = measured([400.0], 64)
    assert (hammered["moments between"], hammered["off the frets between"], hammered["frets halted at"]) == (0, 50, 0)
    assert hammered["fastest"] == 400.0


def test_a_pushed_string_passes_between_the_frets() -> None:
    pushed = measured(list(np.linspace(0, 200, 41)), 62)
    assert pushed["moments between"] > 20
    assert pushed["off the frets between"] > 20


def test_downwards_is_measured_as_upwards() -> None:
    up, down = measured([100.0] * 4 + [200.0], 62), measured([-100.0] * 4 + [-200.0], 58)
    assert {k: v for k, v in up.items() if v != down[k]} == {}


def test_what_was_measured_before_goes_along_and_the_notes_say_the_rest() -> None:
    found = measured([100.0] * 4 + [200.0], 62)
    assert found["flux"] == 0.3
    assert (found["read as a slide"], found["picked before"], found["seconds of the note before"]) == (0.0, 1.0, 0.5)


def test_the_frets_between_are_listened_to() -> None:
    made = frames([200.0])
    assert features(made, note(1.0, 1.5, 62), note(0.5, 1.0, 60), OFFSET, {})["frets between sounding"] == 0.0
    made.ear.sounds[round(0.95 / STEP), round((61 + OFFSET / 100 - LOWEST) * PER_SEMITONE)] = 204
    found = features(made, note(1.0, 1.5, 62), note(0.5, 1.0, 60), OFFSET, {})
    assert found["frets between sounding"] == pytest.approx(0.8)
    # Nothing lies between neighbours, and a leap of octaves is not listened to fret by fret.
    assert features(made, note(1.0, 1.5, 61), note(0.5, 1.0, 60), OFFSET, {})["frets between sounding"] == 0.0
    assert features(made, note(1.0, 1.5, 90), note(0.5, 1.0, 60), OFFSET, {})["frets between sounding"] < 0.1


class Fixed:
    """A classifier that always says the same."""

    def __init__(self, chance: float) -> None:
        self._chance = chance

    def chance(self, _features: object, *, time: float, pitch: float) -> float:
        return self._chance

    def because(self, _features: object, *, yes: bool, most: int) -> tuple[()]:
        return ()


@pytest.mark.parametrize(
    ("slide", "hand", "attack", "asked"),
    [
        (CLAIMED, 0.1, Attack.SLIDE, ()),
        (CLAIMED - 0.01, 0.9, Attack.HAMMER, (Maybe(CLAIMED - 0.01, attack=Attack.SLIDE),)),
        (CLAIMED - 0.01, 0.1, Attack.PICK, (Maybe(CLAIMED - 0.01, attack=Attack.SLIDE),)),
        (0.1, 0.9, Attack.HAMMER, ()),
    ],
)
def test_a_slide_is_written_where_it_is_likely_and_asked_where_it_may_be_one(
    monkeypatch: pytest.MonkeyPatch, slide: float, hand: float, attack: Attack, asked: tuple[Maybe, ...]
) -> None:
    monkeypatch.setattr(which_hand, "classifier", lambda question: Fixed({"slide": slide, "hand": hand}[question]))
    sure = Sure(0.9, 0.9, 0.9, 0.9)
    notes = [note(0.5, 1.0, 60), replace(note(1.0, 1.5, 62), sure=sure)]
    first, second = which_hand.with_hands(frames([100.0] * 4 + [200.0]), notes, OFFSET)
    assert first == notes[0], "it follows on nothing"
    assert (second.attack, second.maybe) == (attack, asked)
    assert second.sure is not None
    assert second.sure.attack == pytest.approx(slide if attack is Attack.SLIDE else max(hand, 1 - hand))
