"""Fingers, strokes of the pick and the neck in what is handed out, read back by general-purpose libraries."""

import xml.etree.ElementTree as ET
from dataclasses import replace

import music21
import pypdfium2
import pytest

from notcher.formats.export import render
from notcher.formats.incoming.text_tab import read_text_tab
from notcher.formats.printing import With
from notcher.formats.sheet.layout import MARGIN, lay_out
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.neck import Necks
from notcher.formats.sheet.shapes import A4, Text
from notcher.place.solver import in_full
from notcher.score import edits
from notcher.score.note import Mark, strikes
from notcher.score.project import Project
from notcher.score.tuning import STANDARD, Tuning
from tests.conftest import note
from tests.formats.test_sheet import long_project

BOTH = With(hands=True, look=Look(neck=Necks()))
_STROKES = {Mark.DOWN_STROKE, Mark.UP_STROKE}


def test_musicxml_has_fingers_and_strokes_as_the_standard_says_them(demo: Project) -> None:
    """music21, a general-purpose library, reads `fingering`, `down-bow` and `up-bow`."""
    score = music21.converter.parseData(render(demo, "musicxml", (), BOTH).decode(), format="musicxml")
    alone = [g[0] for g in strikes(in_full(demo).notes) if len(g) == 1]
    back = [
        {type(a).__name__: getattr(a, "fingerNumber", None) for a in n.articulations}
        for n in score.recurse().getElementsByClass(music21.note.Note) if n.tie is None or n.tie.type == "start"
    ]  # fmt: skip
    assert [found.get("Fingering") for found in back] == [n.finger for n in alone]
    assert ["DownBow" in found for found in back] == [Mark.DOWN_STROKE in n.marks for n in alone]
    assert ["UpBow" in found for found in back] == [Mark.UP_STROKE in n.marks for n in alone]
    assert sum("UpBow" in found for found in back) > 10


def test_without_asking_only_what_was_said_is_written(demo: Project) -> None:
    said = edits.set_finger(demo, {demo.notes[0].id}, finger=2)
    root = ET.fromstring(render(said, "musicxml").decode().split("\n", 2)[2])
    assert [e.text for e in root.iter("fingering")] == ["2"]
    assert not list(root.iter("down-bow"))


def test_lines_of_fingers_and_strokes_in_text_tab_on_request(demo: Project) -> None:
    text = render(demo, "text", (), BOTH).decode()
    lines = text.splitlines()
    fingers, strokes = (sum(line.startswith(f"{row}. ") for line in lines) for row in "fs")
    assert fingers > strokes > 7, "a line of strokes stands only where something is picked"
    assert "f. the fretting hand: 1 to 4 its fingers, T the thumb" in text, "the legend explains them"
    assert all(len(line) <= 80 for line in lines)
    assert "f. " not in render(demo, "text").decode()


def test_fingers_and_strokes_come_back_from_text_tab(demo: Project) -> None:
    read = read_text_tab(render(demo, "text", (), BOTH))
    full = in_full(demo)
    assert [(n.string, n.finger, n.marks & _STROKES) for n in read.notes] == [
        (n.string, n.finger, n.marks & _STROKES) for n in full.notes
    ]
    assert not any("f." in what for what in read.skipped)


def test_chords_open_strings_and_the_thumb_in_text_tab(project: Project) -> None:
    notes = [
        note(1, 1.0, 1, 0, length=0.4), note(2, 1.0, 2, 3, length=0.4, finger=4), note(3, 1.0, 3, 2, finger=2),
        note(4, 1.0, 6, 3, length=0.4, finger=0), note(5, 2.0, 3, 12, finger=3, marks=frozenset({Mark.UP_STROKE})),
    ]  # fmt: skip
    read = read_text_tab(render(project.with_notes(notes), "text", (), With(hands=True)))
    found = {(n.string, n.fret): n.finger for n in read.notes}
    full = in_full(project.with_notes(notes))
    assert found == {(n.string, n.fret): n.finger for n in full.notes}
    assert found[6, 3] == 0


@pytest.mark.parametrize("left_handed", [False, True])
def test_the_neck_stands_over_each_phrase(demo: Project, left_handed: bool) -> None:
    """Its frets' numbers are printed in their order, from the left or from the right, and all of it is on the page."""
    pages = lay_out(demo, demo.notes, Look(neck=Necks(left_handed=left_handed)))
    texts = [s for page in pages for s in page.shapes if isinstance(s, Text)]
    assert sum(s.text.startswith("hand: ") for s in texts) == len(demo.phrases)
    hands = [s for s in pages[0].shapes if isinstance(s, Text) and s.text.startswith("hand: ")]
    numbers = [
        (s.x, int(s.text)) for s in pages[0].shapes
        if isinstance(s, Text) and s.size == 7.0 and s.text.isdigit() and abs(s.y - hands[0].y) < 16
    ]  # fmt: skip
    assert len(numbers) >= 5
    assert [n for _, n in sorted(numbers, reverse=left_handed)] == sorted(n for _, n in numbers)
    for page in pages:
        for s in page.shapes:
            if isinstance(s, Text):
                assert 0 < s.x < A4.width
                assert 0 < s.y < A4.height
    assert len(pages) > len(lay_out(demo, demo.notes))


def test_a_page_with_both_hands_says_what_the_signs_mean(demo: Project) -> None:
    document = pypdfium2.PdfDocument(render(demo, "pdf", (), BOTH))
    text = "".join(str(page.get_textpage().get_text_bounded()) for page in document)
    for wanted in ("pick downwards", "pick upwards", "finger 1 to 4 of the fretting hand", "hand: "):
        assert wanted in text


def test_the_legend_stays_within_its_box(demo: Project) -> None:
    from notcher.formats.sheet.measure import text_width

    for page in lay_out(in_full(demo), in_full(demo).notes):
        for s in page.shapes:
            if isinstance(s, Text) and s.anchor == "start":
                assert s.x + text_width(s.text, s.size, s.style) <= A4.width - MARGIN + 1, s.text


def test_eight_pages_with_necks() -> None:
    long = long_project(60)
    pages = lay_out(long, long.notes, Look(neck=Necks()))
    assert max(s.y for page in pages for s in page.shapes if isinstance(s, Text)) < A4.height


def test_a_neck_of_seven_strings_and_a_capo(project: Project) -> None:
    seven = Tuning((*STANDARD.pitches, 35), capo=3)
    pages = lay_out(replace(project, tuning=seven), project.notes, Look(neck=Necks()))
    letters = [s.text for s in pages[0].shapes if isinstance(s, Text) and (s.size, s.anchor) == (7.0, "end")]
    assert letters[:7] == seven.letters()[:7] or letters[:7] == list(seven.letters())
