"""Note names the German way: B flat is B, B is H, all else as before."""

from collections.abc import Iterator

import pytest

from notcher.harmony.entry import bar_stretch, entered, written
from notcher.harmony.symbols import parse_chord, symbol_text
from notcher.wording.chords import chord_name, tone_name
from notcher.wording.names import call_notes, note_name, pitch_class, string_names
from tests.conftest import small_project


@pytest.fixture(autouse=True)
def german() -> Iterator[None]:
    call_notes(german=True)
    yield
    call_notes(german=False)


def test_the_twelve() -> None:
    """Any German theory textbook: C D E F G A H, and B for what is called B flat elsewhere."""
    assert [note_name(p, octave=False) for p in (60, 62, 64, 65, 67, 69, 71)] == list("CDEFGAH")
    assert note_name(70, flats=True) == "B4"
    assert (pitch_class("H"), pitch_class("B")) == (11, 10)
    assert string_names(small_project().tuning) == ["e", "H", "G", "D", "A", "E"]


def test_chords_are_said_and_read_alike() -> None:
    for english, german in (("B", "H"), ("Bbm7", "Bm7"), ("B/F#", "H/F♯"), ("F#m", "F♯m"), ("Eb", "E♭"), ("B#", "H♯")):
        chord = parse_chord(english)
        assert chord is not None
        assert chord_name(chord) == symbol_text(chord, german=True) == german
        assert parse_chord(german, german=True) == chord
        assert tone_name(chord.root) == german.split("/")[0].rstrip("m7")


def test_what_stands_in_the_line_can_be_typed_again() -> None:
    project = small_project()
    made = entered(project, bar_stretch(project, 1), "H7 B", german=True)
    assert written(made, bar_stretch(made, 1), german=True) == "H7 B"
    assert written(made, bar_stretch(made, 1)) == "B7 B♭"
