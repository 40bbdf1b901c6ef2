"""What cannot be played as it lies is said, with its time."""

from notcher.place.checks import cannot_be_played
from notcher.score.note import Attack, Note
from notcher.score.tuning import STANDARD, Tuning
from notcher.wording import render_message


def said(*notes: Note, tuning: Tuning = STANDARD) -> list[str]:
    return [render_message(clause) for clause in cannot_be_played(notes, tuning)]


def test_what_can_be_played_is_not_spoken_of() -> None:
    assert said(Note("a", 1.0, 1.5, 2, 5), Note("b", 1.01, 1.5, 3, 5), Note("c", 2.0, 2.5, 1, 24)) == []
    assert said(Note("a", 1.0, 1.5, 1, 0), Note("b", 1.0, 1.5, 2, 12)) == [], "an open string needs no finger"
    assert said(Note("a", 1.0, 1.5, 1, 19, attack=Attack.TAP), Note("b", 1.0, 1.5, 2, 5)) == [], (
        "a tap has its own hand"
    )


def test_two_on_one_string() -> None:
    assert said(Note("a", 1.0, 1.5, 3, 5, confirmed=True), Note("b", 1.01, 1.5, 3, 9, confirmed=True)) == [
        "at 1.00 s two notes lie on string 3; one string gives one note, so move one of them"
    ]


def test_a_chord_that_no_hand_holds() -> None:
    assert said(Note("a", 1.0, 1.5, 1, 3), Note("b", 1.0, 1.5, 2, 14)) == [
        "at 1.00 s no hand holds frets 3, 14 at once; move one of them to another string"
    ]


def test_a_fret_beyond_a_short_neck() -> None:
    neck = Tuning(STANDARD.pitches, frets=19)
    assert said(Note("a", 1.0, 1.5, 1, 22), tuning=neck) == [
        "at 1.00 s fret 22 lies beyond this neck; frets go from 0 (open) to 19"
    ]
