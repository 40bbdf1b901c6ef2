"""Key and chords in every file: read back by music21, mido and the JSON's own promise (CONTRACTS)."""

import io
import json
from pathlib import Path

import music21
import pytest

from notcher.formats import project_file
from notcher.formats.export import render
from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.musicxml import musicxml
from notcher.formats.sheet.chord_names import drawn
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.shapes import Text
from notcher.harmony.entry import bar_stretch, entered
from notcher.harmony.spelling import written_tone
from notcher.score.chord import Chord
from notcher.score.chords import set_key
from notcher.score.key import Key
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.tuning import NAMED
from notcher.wording.chords import chords_over, doing_words, key_name, pitch_name
from tests.conftest import small_project


@pytest.fixture
def project() -> Project:
    made = small_project()
    for bar, text in ((1, "Em7 A/C#"), (2, "N.C."), (3, "Bb7sus4 D7#9")):
        made = entered(made, bar_stretch(made, bar), text)
    return set_key(made, Key.of(4, "minor"))


def read_back(project: Project) -> music21.stream.Score:
    score = music21.converter.parseData(musicxml(project, project.notes), format="musicxml")
    assert isinstance(score, music21.stream.Score)
    return score


def test_music21_reads_key_and_chords_where_they_stand(project: Project) -> None:
    score = read_back(project)
    keys = list(score.recurse().getElementsByClass("KeySignature"))
    assert [k.sharps for k in keys] == [1]
    assert (keys[0].tonic.name, keys[0].mode) == ("E", "minor")
    found = [(c.measureNumber, c.offset, c.figure) for c in score.recurse().getElementsByClass("ChordSymbol")]
    assert found[:3] == [(1, 0.0, "Em7"), (1, 2.0, "A/C#"), (2, 0.0, "N.C.")]
    assert [type(c).__name__ for c in score.recurse().getElementsByClass("ChordSymbol")][2] == "NoChord"
    chord = next(c for c in score.recurse().getElementsByClass("ChordSymbol") if c.figure == "Em7")
    assert {p.name for p in chord.pitches} == {"E", "G", "B", "D"}


def test_notes_are_spelled_by_the_key_and_sound_the_same(project: Project) -> None:
    flat = set_key(small_project(), Key.of(3, "major"))
    plain = [p.midi for n in read_back(small_project()).recurse().notes for p in n.pitches]
    theirs = [p for n in read_back(flat).recurse().notes for p in n.pitches]
    assert [p.midi for p in theirs] == plain
    assert not any(p.accidental and p.accidental.alter > 0 for p in theirs)
    assert {p.name for p in theirs} <= {"E-", "F", "G", "A-", "B-", "C", "D", "F-", "C-", "D-", "G-", "A", "B", "E"}


def test_a_change_of_key_stands_at_its_bar(project: Project) -> None:
    changed = set_key(project, Key.of(5, "major"), start=bar_stretch(project, 2).start)
    keys = [(k.measureNumber, k.sharps) for k in read_back(changed).recurse().getElementsByClass("KeySignature")]
    assert keys == [(1, 1), (2, -1)]


def test_midi_has_the_key_and_a_marker_for_each_chord(project: Project) -> None:
    import mido

    track = mido.MidiFile(file=io.BytesIO(render(project, "midi"))).tracks[0]
    assert [m.key for m in track if m.type == "key_signature"] == ["Em"]
    assert [m.text for m in track if m.type == "marker"][:3] == ["Em7", "A/C#", "N.C."]


def test_harmony_json_keeps_its_promise(project: Project) -> None:
    d = json.loads(render(project, "harmony"))
    assert (d["format"], d["version"]) == ("notcher-harmony", 1)
    assert d["key"][0] == {
        "start": 0.0, "tonic": "E", "mode": "minor", "scale": d["key"][0]["scale"], "confidence": 1.0
    }  # fmt: skip
    first, second, third = d["chords"][:3]
    assert (first["symbol"], first["root"], first["kind"], first["bass"], first["bar"]) == (
        "Em7", "E", "minor-seventh", None, 1,
    )  # fmt: skip
    assert (second["symbol"], second["bass"]) == ("A/C#", "C#")
    assert (third["symbol"], third["root"], third["kind"]) == ("N.C.", None, "none")
    assert first["end"] == second["start"]
    assert {n["id"] for n in d["notes"]} == {n.id for n in project.notes}
    assert set(d["notes"][0]) == {"id", "chord", "degree", "in_key", "role"}
    one = json.loads(render(project, "harmony", [project.phrases[1]]))
    assert 0 < len(one["notes"]) < len(d["notes"])


def test_the_project_file_keeps_all_of_it(project: Project) -> None:
    again = project_file.from_dict(json.loads(project_file.dumps(project)))
    assert (again.chords, again.keys) == (project.chords, project.keys)


def test_names_stand_over_the_line_and_never_on_one_another(project: Project) -> None:
    words = [s.text for page in lay_out(project, project.notes) for s in page.shapes if isinstance(s, Text)]
    assert {"A/C♯", "N.C."} <= set(words)
    assert chords_over(small_project(), 0.0, 9.0) == ()
    close = [s for s in drawn([(10.0, "F♯m7♭5"), (12.0, "B7"), (14.0, "E")], 50.0) if isinstance(s, Text)]
    assert [s.x for s in close] == sorted({s.x for s in close})
    assert close[1].x > close[0].x + 20


def test_a_pitch_is_named_as_its_chord_and_key_have_it(project: Project) -> None:
    assert str(written_tone(project, 61, 0.1)) == "C♯"
    flats = set_key(small_project(), Key.of(5, "minor"))
    assert pitch_name(flats, 61, 0.0) == "D♭4"
    assert str(written_tone(small_project(), 61, 0.0)) == "C♯"
    over = entered(flats, bar_stretch(flats, 1), "A")
    assert pitch_name(over, 61, 0.1) == "C♯4", "the third of A is C sharp, also in F minor"
    # Tuned down a half step, E flat minor is called E minor by shape.
    lowered = set_key(small_project(), Key.of(3, "minor"))
    assert NAMED["half-step-down"]
    assert pitch_name(lowered, 63, 0.0, shift=1) == "E4"
    assert str(written_tone(lowered, 70, 0.0)) == "B♭"


def test_what_is_said_of_keys_and_degrees(project: Project) -> None:
    from notcher.harmony.roles import doing_of

    assert key_name(Key.of(6, "minor")) == "F♯ minor"
    assert key_name(Key.of(6, "minor"), short=True) == "F♯m"
    assert key_name(Key(Tone.named("D"), "dorian"), short=True) == "D dorian"
    # E over A with C sharp in the bass, as the second chord of bar 1 has come.
    assert doing_words(doing_of(project, project.notes[0])) == "5 of A/C♯, chord tone"
    assert doing_words(doing_of(small_project(), small_project().notes[0])) == ""


# -- read again ----------------------------------------------------------------------------------------------------


def in_order(project: Project) -> list[str]:
    return [chord_symbol(c.chord) for c in project.chords]


def chord_symbol(chord: Chord | None) -> str:
    return chord.plain() if chord else "N.C."


@pytest.mark.parametrize(("kind", "ending"), [("musicxml", ".musicxml"), ("text", ".txt")])
def test_chords_and_key_come_back(tmp_path: Path, kind: str, ending: str) -> None:
    made = set_key(small_project(), Key.of(9, "minor"))
    for bar, text in enumerate(("Am", "F/A E7b9", "Bm7b5 N.C.", "C7sus4"), 1):
        made = entered(made, bar_stretch(made, bar), text)
    path = tmp_path / f"a{ending}"
    path.write_bytes(render(made, kind))
    again = project_of(read_score(path))
    assert [(str(k.key.tonic), k.key.mode) for k in again.keys] == [("A", "minor")]
    # A tab says a chord over the note that comes with it: what sounds where no note begins is not in it.
    assert in_order(again)[:2] == ["Am", "F/A"] if kind == "musicxml" else ["Am"]
    if kind == "musicxml":
        assert in_order(again) == in_order(made)[: len(in_order(again))]
        for a, b in zip(made.chords, again.chords, strict=False):
            assert b.start - again.tempo.beats[0] == pytest.approx(a.start, abs=0.02)  # type: ignore[union-attr]
    else:
        assert set(in_order(again)) <= set(in_order(made))
    assert all(c.decided for c in again.chords)


def test_chords_of_music21_are_read(tmp_path: Path) -> None:
    """A lead sheet as music21 writes it."""
    from music21 import harmony, key, metadata, note, stream

    part = stream.Part()
    part.append(key.Key("e-"))
    for figure in ("E-m", "A-m7", "B-7", "G-maj7"):
        part.append(harmony.ChordSymbol(figure))
        for _ in range(4):
            part.append(note.Note("E-4"))
    score = stream.Score([part])
    score.metadata = metadata.Metadata(title="Sheet")
    path = tmp_path / "sheet.musicxml"
    score.write("musicxml", fp=path)
    found = project_of(read_score(path))
    assert in_order(found) == ["Ebm", "Abm7", "Bb7", "Gbmaj7"]
    assert [(str(k.key.tonic), k.key.mode) for k in found.keys] == [("E♭", "minor")]
    assert [round((c.start - found.chords[0].start) / 2.0, 2) for c in found.chords] == [0.0, 1.0, 2.0, 3.0]


def test_a_typed_tab_with_chords_over_it(tmp_path: Path) -> None:
    path = tmp_path / "typed.txt"
    empty = "-----------------|"
    rows = [f"e|{empty}", "B|--5--8-----------|", "G|--------7--5-----|", *(f"{s}|{empty}" for s in "DAE")]
    path.write_text("\n".join(["Low Tide", "", "   Am      D7/F#", *rows, "", "A sentence over tab", *rows]))
    found = project_of(read_score(path))
    assert in_order(found) == ["Am", "D7/F#"]
    assert found.chords[1].start == pytest.approx(sorted({n.onset for n in found.notes})[2], abs=0.01)
    assert found.request.title == "Low Tide"
