"""Tunings, their names and where pitches lie."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score.errors import ScoreError
from notcher.score.pitch import note_name
from notcher.score.tuning import HIGHEST_FRET, NAMED, STANDARD, Tuning, parse_tuning
from notcher.wording.names import called, spoken


def test_standard_tuning() -> None:
    """E4 B3 G3 D3 A2 E2 (common practice, no source)."""
    assert STANDARD.pitches == (64, 59, 55, 50, 45, 40)
    assert spoken(STANDARD) == "E A D G B E"
    assert STANDARD.letters() == ["e", "B", "G", "D", "A", "E"]


@pytest.mark.parametrize(
    ("name", "shift"), [("standard", 0), ("half-step-down", 1), ("d-standard", 2), ("drop-d", None)]
)
def test_named_tunings(name: str, shift: int | None) -> None:
    assert parse_tuning(name).shape_shift() == shift


def test_a_tuning_lowered_by_a_whole_step_is_spoken_low_to_high() -> None:
    assert spoken(parse_tuning("d-standard")) == "D G C F A D"


def test_six_pitches_make_a_tuning_and_known_ones_get_their_name() -> None:
    assert parse_tuning("E4,B3,G3,D3,A2,D2") == NAMED["drop-d"]
    own = parse_tuning("E4,B3,G3,D3,A2,B1")
    assert own.pitches[-1] == 35
    assert own.name == ""


@pytest.mark.parametrize("text", ["", "banjo", "E4,B3,G3", "E4,B3,G3,D3,A2,H2"])
def test_what_is_no_tuning_is_refused(text: str) -> None:
    with pytest.raises(ScoreError, match=r"no tuning|no pitch|not a pitch"):
        parse_tuning(text)


def test_a_tuning_needs_six_strings_in_range() -> None:
    with pytest.raises(ScoreError, match="6 to 8 strings, got 5"):
        Tuning((64, 59, 55, 50, 45))
    with pytest.raises(ScoreError, match="between E0 and E6"):
        Tuning((64, 59, 55, 50, 45, 3))


@given(st.sampled_from(sorted(NAMED)), st.integers(20, 100))
def test_every_place_of_a_pitch_sounds_that_pitch(name: str, pitch: int) -> None:
    tuning = NAMED[name]
    places = tuning.places(pitch)
    assert all(tuning.pitch(s, f) == pitch and 0 <= f <= HIGHEST_FRET for s, f in places)
    assert len(places) == sum(0 <= pitch - p <= HIGHEST_FRET for p in tuning.pitches)


def test_the_same_pitch_lies_in_up_to_five_or_six_places() -> None:
    """E4: strings 1 to 5 at frets 0, 5, 9, 14, 19 and string 6 at fret 24 (common practice, no source)."""
    assert STANDARD.places(64) == [(1, 0), (2, 5), (3, 9), (4, 14), (5, 19), (6, 24)]


@pytest.mark.parametrize(("name", "low"), [("seven-string", "B1"), ("eight-string", "F♯1")])
def test_guitars_with_more_strings(name: str, low: str) -> None:
    """A fourth below each other (common practice, no source); the neck's reach counts from its own last fret."""
    tuning = NAMED[name]
    assert note_name(tuning.pitches[-1]) == low
    assert tuning.shape_shift() == 0
    assert len(tuning.letters()) == tuning.strings
    assert parse_tuning(",".join(note_name(p).replace("♯", "#") for p in tuning.pitches)) == tuning
    short = replace(tuning, frets=21, capo=2)
    assert short.highest_fret == 19
    assert all(f <= 19 for _, f in short.places(60))
    with pytest.raises(ScoreError, match="12 to 24 frets"):
        replace(tuning, frets=30)


def test_a_string_that_is_not_there() -> None:
    with pytest.raises(ScoreError, match="1 .thinnest. to 6, got 7"):
        STANDARD.pitch(7, 0)


def test_a_tuning_is_called_as_it_is_said_and_read_back_so() -> None:
    assert called(NAMED["half-step-down"]) == "half step down"
    assert called(NAMED["drop-c-sharp"]) == "drop C sharp"
    assert all(parse_tuning(called(t)) == t for t in NAMED.values())
