"""Chords against mir_eval's own encodings, and what edits of them leave alone."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score.chord import HEARD, KINDS, Chord, ChordAt
from notcher.score.chords import chord_at, chord_end, key_at, set_chords, set_key, with_heard
from notcher.score.errors import ScoreError
from notcher.score.key import Key, KeyAt
from notcher.score.spelling import Tone
from tests.conftest import small_project

# As mir_eval writes them (Harte and others 2005, "Symbolic representation of musical chords").
SHORTHAND = {
    "major": "maj", "minor": "min", "dominant": "7", "minor-seventh": "min7", "major-seventh": "maj7",
    "suspended-second": "sus2", "suspended-fourth": "sus4", "diminished": "dim", "half-diminished": "hdim7",
    "augmented": "aug", "major-sixth": "maj6", "minor-sixth": "min6", "diminished-seventh": "dim7",
    "major-minor": "minmaj7", "power": "5",
}  # fmt: skip
C, D, E = (Chord(Tone.named(name)) for name in "CDE")


@pytest.mark.parametrize("kind", SHORTHAND)
def test_a_chord_has_the_tones_of_mir_evals_encoding(kind: str) -> None:
    import mir_eval

    _, bitmap, _ = mir_eval.chord.encode(f"C:{SHORTHAND[kind]}", reduce_extended_chords=False)
    assert sorted(KINDS[kind].semitones) == np.flatnonzero(bitmap).tolist()


@pytest.mark.parametrize("kind", KINDS)
def test_a_chords_tones_are_written_on_their_own_letters(kind: str) -> None:
    """A seventh chord in thirds: E♭ G B♭ D♭, not E♭ G A♯ C♯ (any harmony textbook, from memory)."""
    chord = Chord(Tone.named("Eb"), kind)
    names = [str(chord.tone(pc)) for pc in chord.pitch_classes]
    if kind == "dominant":
        assert names == ["E♭", "G", "B♭", "D♭"]
    assert len({n[0] for n in names}) == len(names) or "#9" in KINDS[kind].degrees
    assert chord.tone(chord.root.pitch_class + 1) is None or "b9" in KINDS[kind].degrees


def test_all_that_is_heard_is_a_kind() -> None:
    assert set(HEARD) <= set(KINDS)
    assert len(HEARD) == 12


def test_another_bass_belongs_to_the_chord() -> None:
    over = Chord(Tone.named("D"), "major", Tone.named("G#"))
    assert (str(over), over.plain()) == ("D/G♯", "D/G#")
    assert over.pitch_classes[-1] == 8
    assert str(over.tone(68)) == "G♯"
    with pytest.raises(ScoreError, match="no kind of chord"):
        Chord(Tone.named("C"), "sour")


def test_what_sounded_goes_on_after_what_was_entered() -> None:
    project = set_chords(small_project(), [(0.0, C), (3.0, E)], until=4.0)
    project = set_chords(project, [(1.0, D), (1.5, None)], until=2.0)
    assert [(c.start, c.chord) for c in project.chords] == [(0.0, C), (1.0, D), (1.5, None), (2.0, C), (3.0, E)]
    assert chord_end(project, 1.0) == 1.5
    assert chord_at(project, 1.2).chord == D  # type: ignore[union-attr]
    assert chord_at(small_project(), 1.0) is None


def test_the_same_chord_twice_is_one() -> None:
    project = set_chords(set_chords(small_project(), [(0.0, C)], until=1.0), [(1.0, C)], until=2.0)
    assert [c.start for c in project.chords] == [0.0]


times = st.lists(st.tuples(st.integers(0, 30), st.sampled_from([C, D, E, None]), st.integers(1, 9)), max_size=12)


@given(times)
def test_edits_keep_chords_in_order_and_leave_the_rest(edits: list[tuple[int, Chord | None, int]]) -> None:
    """Outside of what is entered, what sounds at any time stays what it was."""
    project = replace(small_project(), recording=replace(small_project().recording, duration=40.0))
    for start, chord, length in edits:
        before = project
        project = set_chords(project, [(float(start), chord)], until=float(start + length))
        starts = [c.start for c in project.chords]
        assert starts == sorted(set(starts))
        for t in np.arange(0.5, 40.0):
            was, now = chord_at(before, t), chord_at(project, t)
            inside = start <= t < start + length
            lasting = t >= start + length and was is not None and was is before.chords[-1]
            if not lasting:
                assert (now.chord if now else None) == (
                    chord if inside else was.chord if was else chord if now else None
                )


def test_listening_again_keeps_what_was_decided() -> None:
    project = set_chords(small_project(), [(1.0, D)], until=2.0)
    heard = [ChordAt(0.0, C, 0.8), ChordAt(3.0, E, 0.7)]
    again = with_heard(project, heard, [KeyAt(0.0, Key.of(0, "major"), 0.9)])
    assert chord_at(again, 1.5) == ChordAt(1.0, D, decided=True)
    assert chord_at(again, 0.5) == heard[0]
    assert key_at(again, 0.0).key == Key.of(0, "major")  # type: ignore[union-attr]
    kept = with_heard(set_key(again, Key.of(2, "minor")), heard, [KeyAt(0.0, Key.of(7, "major"))])
    assert [k.key for k in kept.keys] == [Key.of(2, "minor")]


def test_a_key_holds_until_the_next_and_can_be_taken_away() -> None:
    project = set_key(set_key(small_project(), Key.of(0, "major")), Key.of(9, "minor"), start=2.0)
    assert [key_at(project, t).key.tonic.plain() for t in (0.0, 1.9, 2.0)] == ["C", "C", "A"]  # type: ignore[union-attr]
    assert len(set_key(project, None, start=2.0).keys) == 1
