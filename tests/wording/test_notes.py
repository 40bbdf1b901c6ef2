"""What is said about a note, with its units."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.score.curve import Curve
from notcher.score.measured import Measured, SecondString
from notcher.score.note import Attack, Bend, BendKind
from notcher.score.project import Contour, Project
from notcher.score.tuning import NAMED
from notcher.wording.notes import bend_words, place_words, shape_words, standing, vibrato_words
from notcher.wording.numbers import clock
from notcher.wording.reasons import reasons
from tests.conftest import note


def test_a_bend_in_words(project: Project) -> None:
    rows = dict(bend_words(project.note("n3"), project))
    assert rows["Written"] == "bend, a whole step"
    assert rows["Sounds like"] == "fret 13 (G♯4)"
    assert rows["Measured peak"] == "203 cents"
    assert rows["Against written"] == "on pitch (within 8 cents)"
    assert rows["Reaches its top"] == "after 185 ms, held 315 ms"


def test_a_bend_that_lands_flat_is_named(project: Project) -> None:
    flat = replace(project.note("n3"), bend=Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.2, 171.0))))
    assert dict(bend_words(flat, project))["Against written"] == "29 cents short of a whole step"


@pytest.mark.parametrize(
    ("peak", "said"), [(74.0, ", between a quarter step and a half step"), (96.0, ""), (25.0, ", between nothing and")]
)
def test_what_lies_between_two_quarter_steps_is_said_so(project: Project, peak: float, said: str) -> None:
    bent = replace(project.note("n3"), bend=Bend(BendKind.BEND, 50, ((0.0, 0.0), (0.2, peak))))
    measured = dict(bend_words(bent, project))["Measured peak"]
    assert measured.startswith(f"{peak:.0f} cents")
    assert said in measured
    assert said or "between" not in measured


def test_a_curl_is_told_from_a_half_step_that_failed(project: Project) -> None:
    def said(*points: tuple[float, float]) -> str:
        bent = replace(project.note("n3"), bend=Bend(BendKind.BEND, 50, points))
        return dict(bend_words(bent, project))["Curl or half step"]

    assert said((0.0, 0.0), (0.38, 0.0), (0.5, 55.0)).startswith("curl")
    assert said((0.0, 0.0), (0.1, 68.0), (0.5, 66.0)).startswith("a half step that fell short")


def test_a_unison_bend_says_how_far_the_strings_disagree(project: Project) -> None:
    # Common practice, no source: a whole step over held fret f is bent from f + 3 on string 2 under string 1.
    bent = note(21, 6.0, 2, 12, bend=Bend(BendKind.UNISON, 200, ((0.0, 0.0), (0.2, 186.0))))
    both = project.with_notes([*project.notes, bent, note(22, 6.0, 1, 9)])
    assert dict(bend_words(bent, both))["Beside string 1"] == "14 cents too low"


def test_timestamps() -> None:
    assert [clock(t) for t in (0.0, 9.96, 59.97, 61.24, 754.0)] == ["0:00.0", "0:10.0", "1:00.0", "1:01.2", "12:34.0"]


def test_place_standing_vibrato(project: Project) -> None:
    assert place_words(project.note("n1"), project) == "fret 9, 3rd string · E4"
    assert standing(project.note("n8")) == "in doubt: buried under the organ"
    assert standing(note(1, 0, 1, 0, confidence=0.83)) == "proposed, 83 % sure"
    assert vibrato_words(project.note("n3")) == "5.4 a second, ±31 cents, after 250 ms"


def test_notes_on_a_lowered_guitar_are_named_by_shape_too(project: Project) -> None:
    lowered = replace(project, tuning=NAMED["half-step-down"])
    assert place_words(project.note("n1"), lowered).endswith("E♭4")
    assert shape_words(project.note("n1"), lowered) == "named by shape: E4"
    assert shape_words(project.note("n1"), project) == ""


def test_reasons_say_what_decided() -> None:
    slid = reasons(
        note(
            1,
            0,
            1,
            5,
            attack=Attack.SLIDE,
            confidence=0.8,
            evidence=Measured(flux=0.0, jump_cents=198.0, glide_s=0.03, base_error_cents=2.0),
        )
    )
    assert slid[0].startswith("The pitch went +198 cents in 30 ms and halted at frets")
    assert slid[-1] == "All in all Notcher is 80 % sure."
    bent = Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.18, 204.0)))
    picked = reasons(note(1, 0, 1, 5, bend=bent, evidence=Measured(flux=1.4, dip_db=3.0, jump_cents=0.0)))
    assert picked[0] == "A pick stroke was heard (strike 1.4, dip before it 3.0 dB)."
    assert "bend of a whole step. The string reaches 204 cents above the fret, 165 ms after the onset" in picked[1]
    other = reasons(note(1, 0, 1, 5, evidence=Measured(other=SecondString(0.6, 0.83))))
    assert "Another string" in other[0]
    assert reasons(note(1, 0, 1, 5)) == []


def test_the_curve_of_a_note_has_the_offset_taken_out_and_the_neighbours_cut_off(project: Project) -> None:
    """n1: string 3 fret 9 = MIDI 64, recorded 14 cents flat; the next note's pitch shows in its last frames."""
    cents = np.full(400, 6400.0 - 14.0)
    cents[295:] = 6600.0 - 14.0
    contour = Contour(0.0, 0.005, tuple(int(c * 10) for c in cents), (90,) * 400)
    with_curve = replace(project, contour=contour)
    t, above = Curve(contour).above(project.note("n1"), with_curve)
    assert t[0] == 1.0
    heard = above[np.isfinite(above)]
    assert np.allclose(heard, 0.0)
    assert len(heard) == 95
    assert Curve(contour).pitch_at(1.2, with_curve) == 64
    assert Curve(None).pitch_at(1.2, with_curve) is None
