"""MusicXML held against its own schema and read back by music21, with tab alone and with a staff over it.

The schema is MusicXML 4.0's (W3C Music Notation Community Group, 2021), as the package `musicxml` carries it.
"""

import functools
import importlib.util
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import music21
import pytest
from lxml import etree

from notcher.formats.export import render
from notcher.formats.incoming.open_score import read_score
from notcher.formats.printing import With
from notcher.formats.sheet.look import Look
from notcher.score.note import Bend, BendKind, Mark
from notcher.score.project import Project
from tests.conftest import note
from tests.formats.generated import generated

# The attributes of XML and of XLink 1.1 (W3C 2010) that the schema refers to; what it says of them matters for no
# score of ours.
_XML = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"
targetNamespace="http://www.w3.org/XML/1998/namespace">
<xs:attribute name="lang" type="xs:language"/><xs:attribute name="space" type="xs:NCName"/></xs:schema>"""
_XLINK = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="http://www.w3.org/1999/xlink">
<xs:attribute name="href" type="xs:anyURI"/><xs:attribute name="type" type="xs:string"/>
<xs:attribute name="role" type="xs:token"/><xs:attribute name="title" type="xs:token"/>
<xs:attribute name="show" type="xs:string"/><xs:attribute name="actuate" type="xs:string"/></xs:schema>"""


@functools.cache
def schema() -> etree.XMLSchema:
    found = importlib.util.find_spec("musicxml")
    assert found is not None
    assert found.origin is not None
    folder = Path(found.origin).parent / "generate_classes"
    with tempfile.TemporaryDirectory() as local:
        # What the schema imports lies beside it, so that nothing is fetched.
        text = (folder / "musicxml_4_0.xsd").read_text().replace("http://www.musicxml.org/xsd/", "")
        (Path(local) / "musicxml.xsd").write_text(text)
        (Path(local) / "xml.xsd").write_text(_XML)
        (Path(local) / "xlink.xsd").write_text(_XLINK)
        return etree.XMLSchema(etree.parse(str(Path(local) / "musicxml.xsd"), etree.XMLParser(no_network=True)))


def written(project: Project, *, staff: bool) -> bytes:
    return render(project, "musicxml", beside=With(look=Look(staff=staff)))


@pytest.mark.parametrize("staff", [False, True])
@pytest.mark.parametrize("seed", range(10))
def test_it_fits_the_schema(seed: int, staff: bool) -> None:
    document = etree.fromstring(written(generated(seed), staff=staff))
    assert schema().validate(document), schema().error_log.last_error


def test_the_demo_fits_the_schema(demo: Project) -> None:
    for staff in (False, True):
        assert schema().validate(etree.fromstring(written(demo, staff=staff))), schema().error_log.last_error


def test_the_schema_refuses_what_is_wrong(project: Project) -> None:
    wrong = written(project, staff=False).replace(b"<fret>9</fret>", b"<fret>nine</fret>", 1)
    assert not schema().validate(etree.fromstring(wrong))


def struck(part: Any) -> list[tuple[float, int]]:
    """(beats from the beginning, pitch) of all notes of a part that are no tie's continuation, without grace notes."""
    return sorted(
        (float(n.getOffsetInHierarchy(part)), int(p.midi))
        for n in part.recurse().notes
        if not isinstance(n, music21.harmony.Harmony) and not n.duration.isGrace
        for p in n.pitches
        if (n.tie is None or n.tie.type == "start")
    )


@pytest.mark.parametrize("seed", [1, 4, 7, 9, 13])
def test_both_staves_say_the_same_note_for_note(seed: int) -> None:
    project = generated(seed)
    alone = music21.converter.parse(written(project, staff=False), format="musicxml")
    both = music21.converter.parse(written(project, staff=True), format="musicxml")
    assert len(both.parts) == 2
    upper, lower = (struck(part) for part in both.parts)
    assert upper == lower == struck(alone.parts[0])
    assert len(upper) == len([n for n in project.notes if "grace" not in n.marks])
    clefs = [part.recurse().getElementsByClass(music21.clef.Clef).first() for part in both.parts]
    assert [type(c).__name__ for c in clefs] == ["Treble8vbClef", "TabClef"]


def test_a_staff_over_the_tab_is_read_back_once(demo: Project, tmp_path: Path) -> None:
    path = tmp_path / "both.musicxml"
    path.write_bytes(written(demo, staff=True))
    alone = tmp_path / "alone.musicxml"
    alone.write_bytes(written(demo, staff=False))
    places = [[(n.start, n.string, n.fret) for n in read_score(p).notes] for p in (path, alone)]
    assert places[0] == places[1]
    assert len(places[0]) == len(demo.notes)


def test_marks_beams_instrument_and_final_bar(demo: Project) -> None:
    root = etree.fromstring(written(demo, staff=True))
    assert [e.text for e in root.iter("rehearsal")] == [s.name for s in demo.sections]
    assert root.findtext(".//midi-instrument/midi-program") == "28"
    assert [e.text for e in root.iter("bar-style")] == ["light-heavy"]
    begins, ends = (
        [e for e in root.iter("beam") if e.text == kind and e.get("number") == "1"] for kind in ("begin", "end")
    )
    assert len(begins) == len(ends) > 10
    doubts = [w.text for w in root.iter("words") if (w.get("id") or "").startswith("doubt")]
    assert len(doubts) == sum(n.doubt is not None for n in demo.notes)


def test_a_bend_says_when_it_moves_and_arrives(project: Project) -> None:
    """From a tenth of its top to nine tenths, in percent of the note: 0.25 s and 0.75 s of two seconds."""
    shape = ((0.0, 0.0), (0.25, 20.0), (0.75, 180.0), (1.0, 200.0), (2.0, 200.0))
    slow = note(1, 1.0, 3, 9, length=2.0, bend=Bend(BendKind.BEND, 200, shape))
    root = etree.fromstring(written(project.with_notes([slow]), staff=False))
    bend = next(root.iter("bend"))
    assert (bend.get("first-beat"), bend.get("last-beat")) == ("12", "38")
    plain = project.with_notes([note(1, 1.0, 3, 9, length=2.0, bend=Bend(BendKind.BEND, 200))])
    assert "first-beat" not in next(etree.fromstring(written(plain, staff=False)).iter("bend")).attrib


def test_advice_and_doubts_of_a_grace_note_are_written_too(project: Project) -> None:
    """A phrase that begins with a grace note has its advice there."""
    first = project.notes[0]
    grace = replace(first, marks=first.marks | {Mark.GRACE}, doubt="under the cymbal", advice="flick it")
    phrase = replace(project.phrases[0], start=first.onset, advice="lean back", listen_for="the slur")
    made = replace(project, phrases=(phrase, *project.phrases[1:])).with_notes([grace, *project.notes[1:]])
    said = [w.text for w in etree.fromstring(render(made, "musicxml")).iter("words")]
    assert {"flick it", "lean back", "the slur", "? under the cymbal"} <= set(said)
