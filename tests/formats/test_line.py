"""The line of words: both orders and dialects, errors at the word, and that what is written is read back."""

import re
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.formats.line import Dialect, LineError, completions, read_line, written_line
from notcher.score.errors import ScoreError
from notcher.score.note import INTERVAL_NAMES, Attack, BendKind, Mark
from notcher.score.passage_edit import PassageNote, edit_passage
from tests.conftest import small_project

WHOLE = (BendKind.BEND, 200)


@pytest.mark.parametrize(
    "line",
    [
        "G9 bend whole release",
        "9 on the G bend whole release",
        "9 on G bend full and release",
        "string 3 fret 9 bend tone release",
        "9 on string 3 bend whole step release",
        "9 on the third string b whole r",
        "fret 9 on the 3rd bend release",
    ],
)
def test_ways_of_saying_one_note(line: str) -> None:
    """Fret before string or string before fret; steps or tones (common practice, no source)."""
    assert read_line(line) == [PassageNote(3, 9, bend=(BendKind.BEND_RELEASE, 200))]


def test_the_string_is_said_once_and_an_attack_before_its_note() -> None:
    assert read_line("9 on the G, hammer 11, pull 9; slide 7 tap 12") == [
        PassageNote(3, 9), PassageNote(3, 11, Attack.HAMMER), PassageNote(3, 9, Attack.PULL),
        PassageNote(3, 7, Attack.SLIDE), PassageNote(3, 12, Attack.TAP),
    ]  # fmt: skip
    # At the end it can only mean the note before it.
    assert read_line("G9 tapped") == [PassageNote(3, 9, Attack.TAP)]
    assert read_line("G9 hammer, B8") == [PassageNote(3, 9, Attack.HAMMER), PassageNote(2, 8)]


def test_strings_by_letter_and_by_word() -> None:
    assert [s.string for s in read_line("e1 E1 b1 B1 g1 D1 a1, 1 on the high E, 1 on the low E, open on the D")] == [
        1, 6, 2, 2, 3, 4, 5, 1, 6, 4,
    ]  # fmt: skip
    assert read_line("low E 3") == [PassageNote(6, 3)]


def test_strings_struck_together() -> None:
    assert read_line("B10 + e12, G9") == [PassageNote(2, 10), PassageNote(1, 12, together=True), PassageNote(3, 9)]


def test_what_is_inside_a_note() -> None:
    found = read_line("G7 curl, 9 pre-bend one and a half release vibrato, 5 pm let ring, 12 harmonic, 7 unison whole")
    assert found == [
        PassageNote(3, 7, bend=(BendKind.CURL, 50)),
        PassageNote(3, 9, bend=(BendKind.PRE_BEND_RELEASE, 300), vibrato=True),
        PassageNote(3, 5, marks=frozenset({Mark.PALM_MUTE, Mark.LET_RING})),
        PassageNote(3, 12, marks=frozenset({Mark.NATURAL_HARMONIC})),
        PassageNote(3, 7, bend=(BendKind.UNISON, 200)),
    ]
    assert read_line("G7 slide off")[0].marks == {Mark.SLIDE_OFF}
    assert read_line("G7 bend 1½")[0].bend == (BendKind.BEND, 300)


@pytest.mark.parametrize(
    ("line", "wrong", "said"),
    [
        ("9 bend", "9", "the first note needs its string, such as G9 or 9 on the G"),
        ("G9 bnd whole", "bnd", "did you mean 'bend'"),
        ("G9 whole", "whole", "say 'bend' first"),
        ("G9 release", "release", "no bend here to release"),
        ("G9, G25", "G25", "frets go from 0 (open) to 24"),
        ("9 on the Q", "Q", "no string: say e, B, G, D, A, E, or 1 to 8"),
        ("vibrato G9", "vibrato", "stands before any note"),
        ("G9 +", "+", "after '+' a note is missing"),
        ("+ G9", "+", "joins a note to the one before it"),
        ("string 3 bend", "string 3", "after the string a fret is missing"),
        ("G9 on the B", "on", "has its string already"),
        ("G9 over 0.5s", "over", "no bend here to rise"),
        ("G9 bend over", "over", "say the seconds it rises"),
        ("G9 bend over 99s", "over 99s", "say the seconds it rises"),
    ],
)
def test_what_cannot_be_read_is_said_at_its_word(line: str, wrong: str, said: str) -> None:
    with pytest.raises(LineError, match=re.escape(said)) as error:
        read_line(line)
    word = line[error.value.start : error.value.end]
    assert word == wrong or (wrong == "Q" and word in ("Q", "the Q", "the"))


def test_words_are_completed_as_typed() -> None:
    assert completions("G9 vib", 6) == ["vibrato"]
    assert "pre-bend" in completions("G9 pre", 6)
    assert "palm mute" in completions("G9 pa", 5)
    assert completions("G9 ", 3) == []
    assert completions("G1", 2) == []


KINDS = st.sampled_from(list(BendKind))
BENT = st.tuples(KINDS, st.sampled_from(list(INTERVAL_NAMES)))
PLAIN = st.builds(
    PassageNote, st.integers(1, 6), st.integers(0, 24), st.sampled_from(list(Attack)), st.none() | BENT, st.booleans(),
    st.frozensets(st.sampled_from(list(Mark))), st.none() | st.integers(0, 4), together=st.booleans(),
)  # fmt: skip
SLOW = st.builds(
    PassageNote, st.integers(1, 6), st.integers(0, 24), bend=BENT, rise=st.floats(0.02, 29).map(lambda x: round(x, 4)),
    vibrato=st.booleans(), together=st.booleans(),
)  # fmt: skip
SAID = PLAIN | SLOW
DIALECTS = st.builds(Dialect, st.booleans(), st.booleans(), st.booleans())


@given(st.lists(SAID, max_size=8), DIALECTS)
def test_what_is_written_is_read_back(notes: list[PassageNote], dialect: Dialect) -> None:
    if notes:
        notes[0] = replace(notes[0], together=False)
    assert read_line(written_line(notes, dialect)) == notes


@given(st.text(alphabet="eBGDAE 0123456789,+bendwholrsti", max_size=40))
def test_any_line_is_read_or_refused_at_a_word(text: str) -> None:
    error: LineError | None = None
    try:
        read_line(text)
    except LineError as found:
        error = found
    assert error is None or 0 <= error.start < error.end <= len(text)


@pytest.mark.parametrize("line", ["G9 bend 2", "9 on the G bend 2 7", "G9 bend 1"])
def test_a_bare_number_after_a_bend_is_asked_about(line: str) -> None:
    """It may be steps or a fret, and neither is taken in silence."""
    with pytest.raises(LineError, match="steps or a fret"):
        read_line(line)


def test_a_comma_or_a_word_says_which_is_meant() -> None:
    assert [n.fret for n in read_line("G9 bend, 2")] == [9, 2]
    assert read_line("G9 bend two")[0].bend == (BendKind.BEND, 400)
    assert [n.fret for n in read_line("G9 bend 7")] == [9, 7], "nobody bends seven steps"


def test_notes_that_nobody_could_play_are_not_squeezed_in() -> None:
    project = small_project()
    first, second = project.notes[0], project.notes[1]
    line = read_line(", ".join(["G5"] * 40))
    with pytest.raises(ScoreError, match="do not fit into"):
        edit_passage(project, first.onset, second.onset, line)
