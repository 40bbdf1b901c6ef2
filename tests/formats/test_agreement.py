"""What is written once is the same everywhere: bars in pages, MusicXML, MIDI and data, and signs that differ."""

import json
import xml.etree.ElementTree as ET
from dataclasses import replace

import pytest

from notcher.formats.cards import cards
from notcher.formats.export import render
from notcher.formats.printing import With
from notcher.formats.sheet import signs
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.shapes import Text
from notcher.formats.sheet.systems import Frame, systems
from notcher.score.note import Bend, BendKind
from notcher.score.project import Project
from tests.formats.generated import generated
from tests.formats.test_exchange import bars_of_midi


@pytest.mark.parametrize("seed", [1, 3, 6, 8, 9])
def test_a_note_lies_in_the_same_bar_everywhere(seed: int) -> None:
    """The data says which; pages and MusicXML agree note for note, and MIDI for notes played well inside a bar."""
    project = generated(seed)
    data = json.loads(render(project, "written"))
    known = {
        e["note"]: bar["number"] for bar in data["bars"] for e in bar["events"] if e["note"] and not e["tied"]
    }  # fmt: skip
    assert set(known) == {n.id for n in project.notes}
    rows = [s.row for s in systems(project, project.notes, Look(run_on=True), Frame(500.0)) if s.row is not None]
    assert {n.id: cell.bar for row in rows for cell in row.cells for n in cell.struck} == known
    root = ET.fromstring(render(project, "musicxml").decode().split("\n", 2)[2])
    counted = {
        int(m.get("number", "0")): sum(
            n.find("rest") is None and not any(t.get("type") == "stop" for t in n.iter("tie")) for n in m.iter("note")
        )
        for m in root.iter("measure")
    }
    assert counted == {number: sum(bar == number for bar in known.values()) for number in counted}
    tempo = project.tempo
    assert tempo is not None
    inside = [n for n in project.notes if 1.2 < tempo.bar_and_beat(n.onset)[1] < 3.8]
    # The first note says where the file begins.
    played = [project.notes[0], *(n for n in inside if n is not project.notes[0])]
    bars = [int(bar + 1e-3) for bar in bars_of_midi(render(project.with_notes(played), "midi"))]
    assert sorted(known[n.id] for n in played) == bars


def test_every_kind_of_bend_has_a_sign_of_its_own() -> None:
    drawn = {}
    for kind in BendKind:
        label = "(9)" if Bend(kind, 200).starts_raised else "9"
        shapes = signs.bend(0.0, 0.0, Bend(kind, 200), top=-20.0, end_x=60.0)
        drawn[kind] = (label, str([s for s in shapes if not isinstance(s, Text)]))
    # A unison bend is a bend beside another note: that note is its sign.
    del drawn[BendKind.UNISON]
    assert len(set(drawn.values())) == len(drawn)


def test_running_on_names_only_what_begins_there(demo: Project) -> None:
    phrase = demo.phrases[1]
    notes = demo.notes_between(phrase.start, phrase.end)
    words = [s.text for p in lay_out(demo, notes, Look(run_on=True)) for s in p.shapes if isinstance(s, Text)]
    assert [p.name for p in demo.phrases if p.name in words] == [phrase.name]
    whole = [s.text for p in lay_out(demo, demo.notes, Look(run_on=True)) for s in p.shapes if isinstance(s, Text)]
    assert all(whole.count(p.name) == 1 for p in demo.phrases)


def test_chapters_say_where_each_part_is_in_the_video(demo: Project) -> None:
    text = render(demo, "chapters", beside=With(pace=50.0, offset=10.0)).decode()
    rows = [line.split(" ", 1) for line in text.splitlines()]
    assert rows[0] == ["0:00", "Beginning"]
    times = {name: int(t.split(":")[0]) * 60 + int(t.split(":")[1]) for t, name in rows}
    for phrase in demo.phrases:
        name = next(n for n in times if n.endswith(phrase.name))
        assert times[name] == int(phrase.start * 2 + 10)
    assert any(name.startswith("Section A: ") for name in times)


def test_cards_are_of_sections_or_of_phrases(demo: Project) -> None:
    made = cards(demo, ())
    assert [c.name for c in made] == [f"Section {s.name}" for s in demo.sections]
    again = next(c for c, s in zip(made, demo.sections, strict=True) if s.like)
    assert any(line.startswith("as ") for line in again.lines)
    plain = cards(replace(demo, sections=()), demo.phrases[:2])
    assert [c.name for c in plain] == [p.name for p in demo.phrases[:2]]
