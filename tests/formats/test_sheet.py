"""The printed page: what a music school hands out, read back by a general-purpose PDF library."""

import re
import xml.etree.ElementTree as ET
from dataclasses import replace

import pypdfium2
import pytest

from notcher.formats.export import render
from notcher.formats.sheet.layout import MARGIN, lay_out
from notcher.formats.sheet.measure import text_width
from notcher.formats.sheet.shapes import A4, Line, Text
from notcher.score.note import Attack, Bend, BendKind, Mark, Vibrato
from notcher.score.project import Phrase, Project, Section
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED
from tests.conftest import note, small_project


def long_project(bars: int = 200) -> Project:
    """A solo that fills eight pages or so."""
    notes = []
    for k in range(bars * 8):
        bend = Bend(BendKind.BEND, (50, 100, 200, 300, 400)[k % 5]) if k % 11 == 0 else None
        vibrato = Vibrato(5.5, 25.0, 0.1) if k % 13 == 0 else None
        attack = (Attack.PICK, Attack.HAMMER, Attack.PULL, Attack.SLIDE)[k % 7 % 4]
        marks = frozenset({Mark.PALM_MUTE}) if k % 40 < 4 else frozenset()
        more = {"bend": bend, "vibrato": vibrato, "attack": attack, "marks": marks}
        notes.append(note(k, 0.25 * k, 1 + k // 8 % 6, 5 + k % 8, length=0.22, **more))
    phrases = tuple(Phrase(f"p{i}", f"Phrase {i}", 8.0 * i, 8.0 * i + 8) for i in range(bars * 2 // 8))
    base = small_project()
    tempo = TempoMap.steady(120, first_beat=0.0, count=bars * 4 + 8)
    return replace(base, phrases=phrases, sections=(Section("A", 0.0),), tempo=tempo).with_notes(notes)


@pytest.fixture(scope="module")
def long_pdf() -> pypdfium2.PdfDocument:
    return pypdfium2.PdfDocument(render(long_project(), "pdf"))


def text_of(page: pypdfium2.PdfPage) -> str:
    return str(page.get_textpage().get_text_bounded())


def test_the_first_page_says_what_it_is(project: Project) -> None:
    text = text_of(pypdfium2.PdfDocument(render(project, "pdf"))[0])
    for wanted in ("Low Tide", "The Invented", "for Ansa", "Pellan Quay Music Room", "E A D G B E", "14 cents flat",
                   "First", "0:00.9", "full", "1 of 1", "free"):  # fmt: skip
        assert wanted in text, wanted


def test_the_capo_and_the_version_stand_on_the_page_and_in_the_text(project: Project) -> None:
    capo = replace(
        project, tuning=replace(project.tuning, capo=3), request=replace(project.request, version="the quay sessions")
    )
    page = text_of(pypdfium2.PdfDocument(render(capo, "pdf"))[0])
    for text in (page, render(capo, "text").decode(), render(capo, "svg").decode()):
        assert "Capo at fret 3; frets are counted from it" in text
        assert "the quay sessions" in text
    assert "Capo" not in text_of(pypdfium2.PdfDocument(render(project, "pdf"))[0])


def test_long_facts_take_a_second_line_and_stay_on_the_page(project: Project) -> None:
    capo = replace(project, tuning=replace(NAMED["drop-c-sharp"], capo=3), offset_cents=-33.0)
    shapes = [s for s in lay_out(capo, capo.notes)[0].shapes if isinstance(s, Text) and s.anchor == "start"]
    for shape in shapes:
        assert shape.x + text_width(shape.text, shape.size, shape.style) <= A4.width - MARGIN, shape.text
    facts = {shape.y for shape in shapes if "Capo at" in shape.text or "beats a minute" in shape.text}
    assert len(facts) == 2


def test_doubts_are_stated_on_the_sheet(project: Project) -> None:
    text = text_of(pypdfium2.PdfDocument(render(project, "pdf"))[0])
    assert "buried under the organ" in text


def test_a_solo_of_eight_pages(long_pdf: pypdfium2.PdfDocument) -> None:
    pages = len(long_pdf)
    assert pages >= 8
    texts = [text_of(long_pdf[k]) for k in range(pages)]
    for k, text in enumerate(texts, 1):
        assert f"{k} of {pages}" in text
        assert "Low Tide" in text
    whole = "\n".join(texts)
    for i in range(50):
        assert re.search(rf"Phrase {i}\b", whole), i
    for interval in ("¼", "½", "full", "1½", "2"):
        assert interval in whole


def test_nothing_is_drawn_off_the_page() -> None:
    project = long_project()
    for page in lay_out(project, project.notes):
        for s in page.shapes:
            if isinstance(s, Line):
                assert all(MARGIN - 12 <= x <= A4.width - MARGIN + 12 for x in (s.x1, s.x2))
                assert all(0 < y < A4.height for y in (s.y1, s.y2))
            elif isinstance(s, Text):
                assert 0 < s.x < A4.width
                assert 20 < s.y < A4.height - 10


def test_every_fret_is_printed() -> None:
    project = long_project(20)
    frets = [t.text.strip("()") for page in lay_out(project, project.notes) for t in page.shapes
             if isinstance(t, Text) and t.text.strip("()").isdigit() and t.style == "B"]  # fmt: skip
    assert sorted(frets) >= sorted(str(n.fret) for n in project.notes)[:10]
    assert len(frets) >= len(project.notes)


def test_the_pdf_is_vector_with_its_fonts_in_it(long_pdf: pypdfium2.PdfDocument) -> None:
    kinds = {o.type for k in range(2) for o in long_pdf[k].get_objects()}
    assert pypdfium2.raw.FPDF_PAGEOBJ_IMAGE not in kinds
    assert pypdfium2.raw.FPDF_PAGEOBJ_PATH in kinds
    data = render(small_project(), "pdf")
    assert b"/FontFile2" in data
    assert b"Atkinson" in data


def test_the_legend_explains_the_signs_that_are_used(project: Project) -> None:
    text = text_of(pypdfium2.PdfDocument(render(project, "pdf"))[0]).lower()
    for word in ("hammer", "pull", "slide", "tap", "vibrato", "bend", "harmonic"):
        assert word in text, word


def test_svg_is_well_formed_and_png_is_a_picture(project: Project) -> None:
    root = ET.fromstring(render(project, "svg").decode())
    assert root.tag.endswith("svg")
    assert any("Low Tide" in (e.text or "") for e in root.iter())
    assert render(project, "png")[:8] == b"\x89PNG\r\n\x1a\n"


def test_a_lowered_guitar_is_named_first(project: Project) -> None:
    from notcher.score.tuning import NAMED

    text = text_of(pypdfium2.PdfDocument(render(replace(project, tuning=NAMED["half-step-down"]), "pdf"))[0])
    assert "E♭ A♭ D♭ G♭ B♭ E♭" in text
