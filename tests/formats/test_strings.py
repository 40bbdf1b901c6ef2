"""Guitars with seven and eight strings go through every format and view."""

import itertools
from dataclasses import replace
from pathlib import Path

import mido
import pytest

from notcher.formats.export import EXPORTS, render
from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.line import Dialect, read_line, written_line
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.shapes import Line, Text
from notcher.formats.sheet.signs import LINE_GAP
from notcher.pipeline.retune import retuned
from notcher.place.solver import place
from notcher.place.wanted import Wanted
from notcher.score import edits
from notcher.score.chord import Chord
from notcher.score.chords import set_chords
from notcher.score.errors import ScoreError
from notcher.score.note import Attack
from notcher.score.passage_edit import passage_of
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.score.tuning import NAMED, STANDARD, Tuning
from notcher.wording.names import string_names
from tests.conftest import note, small_project

MORE = [NAMED["seven-string"], NAMED["eight-string"]]


def low(tuning: Tuning) -> Project:
    """The small project with two notes on the thickest string."""
    notes = [note(20, 6.25, tuning.strings, 0), note(21, 6.6, tuning.strings, 3)]
    return replace(small_project(), tuning=tuning).with_notes([*small_project().notes, *notes])


@pytest.mark.parametrize("tuning", MORE, ids=lambda t: t.name)
def test_every_export_is_written(tuning: Tuning) -> None:
    project = set_chords(low(tuning), [(0.0, Chord(Tone.named("A")))], until=8.0)
    for kind in EXPORTS:
        assert len(render(project, kind.name)) > 30


@pytest.mark.parametrize("tuning", MORE, ids=lambda t: t.name)
@pytest.mark.parametrize(("kind", "ending"), [("musicxml", ".musicxml"), ("text", ".txt"), ("midi", ".mid")])
def test_scores_come_back_string_for_string(tmp_path: Path, tuning: Tuning, kind: str, ending: str) -> None:
    project = low(tuning)
    path = tmp_path / f"a{ending}"
    path.write_bytes(render(project, kind))
    again = project_of(read_score(path), tuning=tuning)
    assert [n.string for n in again.notes] == [n.string for n in project.notes]
    if kind != "midi":
        assert again.tuning.pitches == tuning.pitches
        assert [n.fret for n in again.notes] == [n.fret for n in project.notes]


def test_each_string_has_a_channel_and_none_is_the_drums() -> None:
    import io

    file = mido.MidiFile(file=io.BytesIO(render(low(MORE[1]), "midi")))
    channels = {m.channel for t in file.tracks for m in t if m.type == "note_on"}
    assert max(channels) == 7
    assert 9 not in channels


@pytest.mark.parametrize("tuning", [STANDARD, *MORE], ids=lambda t: t.name)
def test_the_page_has_a_line_a_string(tuning: Tuning) -> None:
    project = low(tuning) if tuning.strings > 6 else small_project()
    lines = [s for s in lay_out(project, project.notes)[0].shapes if isinstance(s, Line) and s.grey == 0.45]
    first = sorted({s.y1 for s in lines})[: tuning.strings]
    assert {round(b - a, 3) for a, b in itertools.pairwise(first)} == {LINE_GAP}
    names = [s.text for s in lay_out(project, project.notes)[0].shapes if isinstance(s, Text) and s.size == 7.5]
    assert names[: tuning.strings] == string_names(tuning)


def test_the_line_says_strings_beyond_the_sixth_by_number() -> None:
    said = passage_of(low(MORE[1]).notes)
    for dialect in (Dialect(), Dialect(fret_first=True)):
        line = written_line(said, dialect)
        assert "string 8" in line
        assert read_line(line) == said


def test_low_notes_are_placed_where_only_those_strings_reach() -> None:
    """A1 is below the low E: on the seventh string at fret 10, on the eighth at 15."""
    wanted = [Wanted(0.3 * k, 0.3 * k + 0.25, pitch, Attack.PICK) for k, pitch in enumerate((36, 38, 40))]
    assert all(p.string >= 6 for p in place(wanted, MORE[0]))
    assert place(wanted[:1], MORE[0])[0].string == 7


def test_what_a_guitar_has_not_is_refused() -> None:
    project = low(MORE[0])
    assert edits.change_string(project, {"n8"}, by=1).note("n8").string == 7
    with pytest.raises(ScoreError, match="no string beyond"):
        edits.change_string(project, {"n20"}, by=1)
    with pytest.raises(ScoreError, match="does not have"):
        replace(project, tuning=STANDARD)
    with pytest.raises(ScoreError, match=r"B1 at 6\.25 s.* cannot be played on a guitar with 24 frets in standard"):
        retuned(project, STANDARD)
    kept = edits.delete_notes(project, {n.id for n in project.notes if n.pitch(project.tuning) < min(STANDARD.pitches)})
    six = retuned(kept, STANDARD)
    assert [n.pitch(STANDARD) for n in six.notes] == [n.pitch(kept.tuning) for n in kept.notes], "what sounds stays"
    assert {n.string for n in six.notes} <= set(STANDARD.numbers)
