"""Symbols as people write them, against music21's own reading of them, and entering them bar by bar."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.harmony.entry import bar_stretch, entered, following, preceding, stretch_at, written
from notcher.harmony.symbols import parse_chord
from notcher.score.chord import KINDS, Chord
from notcher.score.errors import ScoreError
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap
from tests.conftest import small_project


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ("F♯m7", "F♯m7"), ("A/C♯", "A/C♯"), ("Bm7b5", "Bm7♭5"), ("c#m", "C♯m"), ("Ebmaj7", "E♭maj7"), ("E7#9", "E7♯9"),
        ("G-7", "Gm7"), ("Aø", "Am7♭5"), ("B°", "Bdim"), ("CM7", "Cmaj7"), ("Dsus", "Dsus4"), ("F+", "Faug"),
        ("Am/G", "Am/G"), ("E5", "E5"), ("Bb/Bb", "B♭"), ("D9sus4", "D9sus4"), ("Bm7-5", "Bm7♭5"), ("Galt", "G7alt"),
    ],
)  # fmt: skip
def test_what_people_write_is_read(typed: str, said: str) -> None:
    assert str(parse_chord(typed)) == said


@pytest.mark.parametrize("none", ["N.C.", "n.c.", "NC", "no chord"])
def test_no_chord_is_one_too(none: str) -> None:
    assert parse_chord(none) is None


@given(st.integers(-7, 10), st.sampled_from(list(KINDS)), st.none() | st.integers(-7, 10))
def test_every_symbol_is_read_back(root: int, kind: str, bass: int | None) -> None:
    chord = Chord(Tone(root), kind, None if bass in (None, root) else Tone(bass))
    assert parse_chord(str(chord)) == parse_chord(chord.plain()) == chord


@pytest.mark.parametrize("symbol", ["F#m7", "Eb7", "A/C#", "C6", "Dm7b5", "Gsus4", "Bdim", "Caug", "Em9"])
def test_it_has_the_tones_that_music21_reads(symbol: str) -> None:
    from music21.harmony import ChordSymbol

    theirs = {p.pitchClass for p in ChordSymbol(symbol.replace("b7", "-7") if symbol == "Eb7" else symbol).pitches}
    chord = parse_chord(symbol)
    assert chord is not None
    assert set(chord.pitch_classes) == theirs


def test_german_names_are_a_choice() -> None:
    assert str(parse_chord("Hm", german=True)) == "Bm"
    assert str(parse_chord("B7/H", german=True)) == "B♭7/B"
    with pytest.raises(ScoreError, match="called B"):
        parse_chord("Hm")


@pytest.mark.parametrize(
    ("typed", "complaint"), [("Xm", "no chord symbol"), ("Amq", "'mq'"), ("A/Z", "'Z'"), ("", "no chord symbol")]
)
def test_what_cannot_be_read_is_named(typed: str, complaint: str) -> None:
    with pytest.raises(ScoreError, match=complaint):
        parse_chord(typed)


def test_bar_by_bar() -> None:
    """The small project has a beat every half second, four in a bar."""
    project = small_project()
    one = stretch_at(project, 0.1)
    assert one.bar == 1
    assert one.end - one.start == pytest.approx(2.0)
    project = entered(project, one, "F#m7")
    two = following(project, one)
    project = entered(project, two, "D . E")
    assert written(project, one) == "F♯m7"
    assert written(project, two) == "D E"
    starts = [c.start for c in project.chords]
    assert starts[2] - starts[1] == pytest.approx(1.5, abs=1e-3)
    assert preceding(project, two) == one
    assert preceding(project, one) == one


@pytest.mark.parametrize(
    ("beats", "typed", "at"), [(5, "D E F", (0, 2, 4)), (3, "D E", (0, 2)), (4, "D E A", (0, 2, 3))]
)
def test_symbols_share_a_bar_by_whole_beats(beats: int, typed: str, at: tuple[int, ...]) -> None:
    project = small_project().with_tempo(TempoMap.steady(120, first_beat=0.0, count=20, beats_per_bar=beats))
    project = entered(project, bar_stretch(project, 1), typed)
    assert [c.start for c in project.chords] == [pytest.approx(b / 2) for b in at]


def test_as_other_bars() -> None:
    project = small_project()
    for bar, text in ((1, "A"), (2, "B E")):
        project = entered(project, bar_stretch(project, bar), text)
    project = entered(project, bar_stretch(project, 3), "as bars 1-2")
    assert [written(project, bar_stretch(project, b)) for b in (3, 4)] == ["A", "B E"]
    with pytest.raises(ScoreError, match="cannot be written"):
        entered(project, bar_stretch(project, 2), "as 1-2")


def test_a_key_is_typed_in_the_same_field() -> None:
    project = entered(small_project(), bar_stretch(small_project(), 1), "key F#m")
    assert (str(project.keys[0].key.tonic), project.keys[0].key.mode) == ("F♯", "minor")
    project = entered(project, bar_stretch(project, 2), "key D dorian")
    assert [k.key.mode for k in project.keys] == ["minor", "dorian"]
    with pytest.raises(ScoreError, match="no mode"):
        entered(project, bar_stretch(project, 2), "key D merry")


def test_without_bars_chords_are_kept_by_seconds() -> None:
    project = small_project().with_tempo(None)
    at = stretch_at(project, 1.25)
    assert (at.start, at.bar) == (1.25, None)
    project = entered(project, at, "Em")
    assert [(c.start, str(c.chord)) for c in project.chords] == [(1.25, "Em")]
    second = following(project, at)
    assert second.start == min(p.start for p in project.phrases if p.start > 1.3), "the next phrase"
    project = entered(project, second, "D")
    assert written(project, second) == "D"
    with pytest.raises(ScoreError, match="no bars"):
        entered(project, at, "as bars 1-2")
