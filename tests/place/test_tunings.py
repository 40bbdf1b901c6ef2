"""Which tuning is proposed: from what cannot lie on the neck, and from open strings."""

from notcher.place.tunings import guess_tunings
from notcher.score.tuning import NAMED, Tuning


def open_phrase(tuning: Tuning) -> list[tuple[int, float]]:
    """Open strings that ring, and some fretted notes of a minor pentatonic above the lowest (made for the test)."""
    low = min(tuning.pitches)
    return [(p, 1.2) for p in tuning.pitches] + [(low + 24 + step, 0.3) for step in (3, 7, 10)]


def test_a_note_below_the_lowest_string_rules_a_tuning_out() -> None:
    guesses = guess_tunings([(39, 1.0), (46, 0.5), (58, 0.5)])
    assert guesses[0].tuning.name == "half-step-down"
    standard = next(g for g in guesses if g.tuning.name == "standard")
    assert standard.share < 0.05
    assert "below its lowest string" in str(standard.reason)


def test_open_strings_tell_between_tunings() -> None:
    for name in ("standard", "half-step-down", "d-standard"):
        assert guess_tunings(open_phrase(NAMED[name]))[0].tuning.name == name


def test_a_low_d_alone_means_drop_d_or_d_standard() -> None:
    first = guess_tunings([(38, 1.0), (59, 0.5), (64, 0.5), (45, 0.4)])[0]
    assert first.tuning.name == "drop-d"


def test_without_notes_the_commonest_comes_first_and_says_why() -> None:
    guesses = guess_tunings([])
    assert guesses[0].tuning.name == "standard"
    assert str(guesses[0].reason) == "nothing is heard yet"
    assert abs(sum(g.share for g in guesses) - 1.0) < 1e-9


def test_a_capo_shifts_what_sounds_and_what_shapes_are_called() -> None:
    """A capo at fret 2 makes an open E shape sound F sharp (common practice, no source)."""
    capo = Tuning(NAMED["standard"].pitches, "standard", 2)
    assert capo.open_pitches[0] == 66
    assert capo.pitch(1, 0) == 66
    assert capo.shape_shift() == -2
    assert capo.fret_for(66, 1) == 0
    assert capo.fret_for(65, 1) is None
    assert capo.fret_for(66 + 23, 1) is None
