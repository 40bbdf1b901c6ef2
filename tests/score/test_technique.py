"""One truth per technique: a row for each, and every field of a note compared, kept and exported, or said not to be."""

import json
from dataclasses import fields, replace
from fractions import Fraction

import numpy as np
import pytest

from notcher.audio import tone
from notcher.formats.codec import from_plain, to_plain
from notcher.formats.export import render
from notcher.formats.tables import notes_json
from notcher.score.compare import note_changes
from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, BendKind, Mark, Maybe, Note, Vibrato
from notcher.score.project import Project
from notcher.score.sure import Sure
from notcher.score.technique import ATTACK_OF, ATTACKS, BEND_OF, BENDS, MARKS, ROW_OF, Absent, MarkRow
from tests.conftest import ROOT, note, small_project


def test_every_technique_has_one_row() -> None:
    assert [row.mark for row in MARKS] == list(Mark)
    assert [row.attack for row in ATTACKS] == list(Attack)
    assert sorted(row.kind for row in BENDS) == sorted(BendKind)
    assert len(ROW_OF) == len(MARKS)
    assert len(ATTACK_OF) == len(ATTACKS)
    assert len(BEND_OF) == len(BENDS)


def test_what_a_row_has_not_it_says_why() -> None:
    for row in MARKS:
        for value in (row.strand, row.staff, row.legend, row.text, row.xml, row.midi, row.written):
            assert not isinstance(value, Absent) or len(value.because.split()) >= 3, row
            assert value != ""


@pytest.mark.parametrize("row", MARKS, ids=lambda row: str(row.mark))
def test_a_mark_is_heard_where_its_row_says_so(row: MarkRow) -> None:
    """In the MIDI file and in the written tab's sound: another than without it, or the same where the row has none."""
    attack = Attack.SLIDE if row.mark is Mark.REPICKED else Attack.PICK

    def with_marks(*marks: Mark) -> Project:
        third = note(3, 2.0, 3, 9, length=0.5, attack=attack, marks=frozenset(marks))
        return small_project().with_notes([note(2, 1.4, 3, 7, length=0.6), third])

    plain, marked = with_marks(), with_marks(row.mark)
    assert (render(marked, "midi") != render(plain, "midi")) is not isinstance(row.midi, Absent)
    heard = np.array_equal(tone.render(marked, 1.3, 3.0), tone.render(plain, 1.3, 3.0))
    assert heard is isinstance(row.written, Absent)


def test_no_two_techniques_are_said_alike() -> None:
    for said in (
        [words for row in MARKS for words in row.line],
        [row.text for row in MARKS if not isinstance(row.text, Absent)],
        [row.words for row in MARKS],
        [(row.xml.group, row.xml.tag, row.xml.text) for row in MARKS if not isinstance(row.xml, Absent)],
        [*(m.key for m in MARKS if m.key), *(a.key for a in ATTACKS)],
    ):
        assert len(set(said)) == len(said)


def test_every_mark_is_in_the_docs_by_its_words() -> None:
    docs = (ROOT / "docs/TECHNIQUES.md").read_text() + (ROOT / "docs/LINE.md").read_text()
    assert [row.mark for row in MARKS if f"`{row.line[0]}`" not in docs] == []


# Another value for each field of a note.
OTHER: dict[str, object] = {
    "id": "n99", "onset": 1.25, "end": 2.25, "string": 4, "fret": 3, "attack": Attack.TAP,
    "bend": Bend(BendKind.BEND, 100), "vibrato": Vibrato(5.0, 20.0), "marks": frozenset({Mark.ACCENT}),
    "doubt": "which?", "confidence": 0.3, "confirmed": True, "by_hand": True, "held": True, "finger": 2, "partial": 5,
    "written_at": Fraction(1, 2), "written_length": Fraction(3, 4), "sounding": 0.5, "raked_from": 6,
    "evidence": Measured(flux=2.0), "sure": Sure(0.9, 0.8, 0.7, 0.6),
    "advice": "pick once more before the slide", "maybe": (Maybe(0.4, attack=Attack.PULL),),
}  # fmt: skip
NOT_COMPARED = {
    "id": "it is what a note is known by", "confidence": "it is the program's own, not the solo's",
    "confirmed": "what stands there is the same", "by_hand": "what stands there is the same",
    "held": "what stands there is the same", "evidence": "it is why, not what",
    "sure": "it is the program's own, not the solo's", "maybe": "it is what the program asks, not the solo's",
}  # fmt: skip
NOT_EXPORTED = {
    "by_hand": "others need what stands there, not who put it there",
    "written_at": "note values are in MusicXML", "written_length": "note values are in MusicXML",
    "evidence": "it is for showing why, in the window", "partial": "the pitch that sounds says it",
}  # fmt: skip


@pytest.mark.parametrize("name", [f.name for f in fields(Note)])
def test_every_field_of_a_note_is_kept_compared_and_exported_or_said_not_to_be(project: Project, name: str) -> None:
    plain = note(1, 1.0, 3, 7, length=1.0)
    changed = replace(plain, **{name: OTHER[name]})  # type: ignore[arg-type]
    assert changed != plain
    assert from_plain(json.loads(json.dumps(to_plain(changed))), Note) == changed
    assert (note_changes(plain, changed) != []) is (name not in NOT_COMPARED)
    exported = [notes_json(project.with_notes([n]), (n,)) for n in (plain, changed)]
    assert (exported[0] != exported[1]) is (name not in NOT_EXPORTED)
