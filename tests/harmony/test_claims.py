"""What is said of a note's chord, of scales and of keys: nothing that the notes do not bear out."""

import pytest

from notcher.harmony.roles import Role, doings
from notcher.harmony.scales import BY_NAME, fitting, symmetrical
from notcher.score.chord import Chord, ChordAt
from notcher.score.chords import chord_of
from notcher.score.key import Key, KeyAt
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap
from notcher.wording.chords import key_words
from tests.conftest import note, small_project

A, D = Chord(Tone.named("A")), Chord(Tone.named("D"))


def over(chords: list[tuple[float, Chord]], notes: list[Note], key: Key | None = None) -> Project:
    project = small_project().with_notes(notes)
    from dataclasses import replace

    keys = (KeyAt(0.0, key, 1.0, decided=True),) if key else ()
    return replace(
        project, tempo=TempoMap.steady(120, first_beat=0.0, count=32), keys=keys,
        chords=tuple(ChordAt(t, c, 1.0, decided=True) for t, c in chords),
    )  # fmt: skip


@pytest.mark.parametrize(("early", "expected"), [(0.010, D), (0.045, D), (-0.02, D), (0.25, A)])
def test_a_note_played_a_little_early_belongs_to_the_chord_it_is_meant_for(early: float, expected: Chord) -> None:
    """An eighth before it (250 ms at 120) is an eighth before it."""
    n = note(1, 2.0 - early, 1, 5, length=0.4)
    found = chord_of(over([(0.0, A), (2.0, D)], [n]), n)
    assert found is not None
    assert found.chord == expected


def test_the_third_of_a_minor_key_is_no_blue_note() -> None:
    """A over C sharp major in F sharp minor: its own third; A over A major's flat third in A major is blue."""
    five = Chord(Tone.named("C#"), "dominant")
    n = [note(1, 1.0, 3, 2, length=0.5), note(2, 2.0, 3, 9, length=0.5)]
    assert n[0].pitch(small_project().tuning) % 12 == 9
    found = doings(over([(0.0, five)], n, Key(Tone.named("F#"), "minor")), n)
    assert found[0].role is not Role.BLUE
    flat = [note(1, 1.0, 3, 5, length=0.5), note(2, 2.0, 3, 9, length=0.5)]
    assert doings(over([(0.0, A)], flat, Key(Tone.named("A"), "major")), flat)[0].role is Role.BLUE


def test_a_rare_scale_is_named_only_where_all_of_it_is_played() -> None:
    """An arpeggio of C sharp diminished over A holds no A: no phrygian dominant."""
    a = Tone.named("A")
    arpeggio = {1: 1.0, 4: 1.0, 7: 1.0, 10: 1.0}
    found = fitting(arpeggio, a)
    assert found is None or found[0].name != "phrygian dominant"
    whole = {(9 + s) % 12: 1.0 for s in BY_NAME["phrygian dominant"].semitones}
    named = fitting(whole, a)
    assert named is not None
    assert named[0].name == "phrygian dominant"


def test_a_blues_with_both_thirds_is_no_symmetrical_scale() -> None:
    a = Tone.named("A")
    shuffle = [(9 + s) % 12 for s in (0, 3, 4, 6, 7, 9, 10)]
    assert symmetrical(shuffle, a) is None
    assert symmetrical([(9 + s) % 12 for s in BY_NAME["half-whole diminished"].semitones], a) is not None


@pytest.mark.parametrize(
    ("mode", "chance", "said"),
    [("minor", 0.9, "F♯ minor"), ("dorian", 0.51, "F♯ dorian or F♯ minor"), ("minor", 0.6, "F♯ minor or A major")],
)
def test_a_key_that_is_a_guess_is_said_with_the_other_reading(mode: str, chance: float, said: str) -> None:
    key = Key(Tone.named("F#"), mode)
    assert key_words(KeyAt(0.0, key, chance, decided=False)) == said
    assert key_words(KeyAt(0.0, key, chance, decided=True)) == f"F♯ {mode}"
