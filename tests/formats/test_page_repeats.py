"""What comes again at once is printed once, between signs of repeat with their number, or with two endings."""

import json
from dataclasses import replace
from pathlib import Path

import music21
import pypdfium2
import pytest
from lxml import etree

from notcher.formats.export import render
from notcher.formats.incoming.open_score import read_score
from notcher.formats.printing import With
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.look import Look
from notcher.formats.sheet.shapes import Text
from notcher.formats.sheet.systems import Frame, systems
from notcher.score.project import Phrase, Project, Section
from notcher.score.tempo import TempoMap
from tests.conftest import note, small_project
from tests.formats.test_musicxml_staves import schema


def in_bars(*bars: tuple[int, ...]) -> Project:
    """Bars of four quarters at 120, each a phrase of its own that repeats the first; frets on the second string."""
    notes = [
        note(4 * b + k, 2.0 * b + 0.5 * k, 2, fret, length=0.48)
        for b, bar in enumerate(bars)
        for k, fret in enumerate(bar)
    ]
    phrases = tuple(
        Phrase(f"p{b}", f"Bell {b + 1}", 2.0 * b, 2.0 * b + 2, like="p0" if b else "") for b in range(len(bars))
    )
    tempo = TempoMap.steady(120, first_beat=0.0, count=4 * len(bars) + 4)
    base = small_project()
    recording = replace(base.recording, duration=2.0 * len(bars) + 1)
    return replace(base, recording=recording, phrases=phrases, tempo=tempo).with_notes(notes)


def words(project: Project, look: Look = Look()) -> list[str]:  # noqa: B008 - a Look is never changed
    return [s.text for page in lay_out(project, project.notes, look) for s in page.shapes if isinstance(s, Text)]


@pytest.mark.parametrize("staff", [False, True])
def test_three_times_the_same_is_printed_once(staff: bool) -> None:
    project = in_bars((5, 7, 8, 7), (5, 7, 8, 7), (5, 7, 8, 7))
    said = words(project, Look(staff=staff))
    assert said.count("8") == 1
    assert "×3" in said
    assert "Bell 1, Bell 2, Bell 3" in said
    assert not any("As 'Bell 1'" in w for w in said)


def test_what_differs_is_said_in_words_and_not_repeated() -> None:
    said = words(in_bars((5, 7, 8, 7), (5, 7, 8, 10)))
    assert "As 'Bell 1', but" in said
    assert not any(w.startswith("×") for w in said)


def test_another_last_bar_stands_under_a_second_ending() -> None:
    """Two bars, and the same with another second one."""
    first, one, two = (10, 12, 13, 12), (10, 8, 7, 5), (3, 1, 3, 1)
    project = in_bars(first, one, first, two)
    phrases = (Phrase("a", "Rope", 0.0, 4.0), Phrase("b", "Rope again", 4.0, 8.0, like="a"))
    project = replace(project, phrases=phrases)
    said = words(project)
    assert {"1.", "2.", "×2", "Rope, Rope again"} <= set(said)
    assert said.count("13") == 1
    rows = systems(project, project.notes, Look(), Frame(500.0))
    assert sum(len(s.xs) for s in rows) == 12


def test_a_repeat_that_does_not_begin_with_a_bar_is_said_in_words() -> None:
    project = in_bars((5, 7, 8, 7), (5, 7, 8, 7))
    tempo = TempoMap.steady(120, first_beat=0.5, count=20)
    said = words(replace(project, tempo=tempo))
    assert "As 'Bell 1'." in said
    assert "×2" not in said


def test_run_on_prints_all() -> None:
    project = in_bars((5, 7, 8, 7), (5, 7, 8, 7))
    said = words(project, Look(run_on=True))
    assert said.count("8") == 2
    assert "×2" not in said


def all_played(project: Project, *, staff: bool = False) -> list[tuple[float, int]]:
    """(beat, pitch) of all that music21 plays of the score, its repeats written out."""
    text = render(project, "musicxml", beside=With(look=Look(staff=staff)))
    part = music21.converter.parse(text, format="musicxml").parts[0].expandRepeats()
    return sorted(
        (float(n.getOffsetInHierarchy(part)), int(p.midi)) for n in part.recurse().notes
        if not isinstance(n, music21.harmony.Harmony) for p in n.pitches
    )  # fmt: skip


@pytest.mark.parametrize(
    "bars",
    [
        ((5, 7, 8, 7),) * 3,
        ((5, 7, 8, 7), (5, 7, 8, 7), (1, 3, 1, 3)),
        ((10, 12, 13, 12), (10, 8, 7, 5), (10, 12, 13, 12), (3, 1, 3, 1), (5, 5, 5, 5)),
    ],
    ids=["three times", "twice and on", "two endings"],
)
def test_musicxml_repeats_play_every_note(bars: tuple[tuple[int, ...], ...], tmp_path: Path) -> None:
    project = in_bars(*bars)
    if len(bars) == 5:
        phrases = (
            Phrase("a", "Rope", 0.0, 4.0),
            Phrase("b", "Again", 4.0, 8.0, like="a"),
            Phrase("c", "On", 8.0, 10.0),
        )
        project = replace(project, phrases=phrases)
    elif len(bars[2]) == 4 and bars[2] != bars[0]:
        project = replace(project, phrases=(*project.phrases[:2], replace(project.phrases[2], like="")))
    assert project.tempo is not None
    known = sorted((project.tempo.beat_at(n.onset), n.pitch(project.tuning)) for n in project.notes)
    for staff in (False, True):
        assert all_played(project, staff=staff) == known
    text = render(project, "musicxml")
    assert b'<repeat direction="backward"' in text
    assert schema().validate(etree.fromstring(text)), schema().error_log.last_error
    path = tmp_path / "again.musicxml"
    path.write_bytes(text)
    read = read_score(path)
    assert [(float(n.start), n.pitch) for n in read.notes] == known


def test_as_written_says_where_the_signs_of_repeat_are() -> None:
    first, one, two = (10, 12, 13, 12), (10, 8, 7, 5), (3, 1, 3, 1)
    project = in_bars(first, one, first, two)
    project = replace(project, phrases=(Phrase("a", "Rope", 0.0, 4.0), Phrase("b", "Again", 4.0, 8.0, like="a")))
    bars = json.loads(render(project, "written"))["bars"]
    assert [bar["repeat"] for bar in bars] == [
        {"begins": True, "times": None, "ending": None, "again": None},
        {"begins": False, "times": 2, "ending": 1, "again": None},
        {"begins": False, "times": None, "ending": None, "again": 1},
        {"begins": False, "times": None, "ending": 2, "again": None},
    ]
    thrice = json.loads(render(in_bars(*((5, 7, 8, 7),) * 3), "written"))["bars"]
    assert [bar["repeat"]["again"] for bar in thrice] == [None, 1, 1]
    alone = json.loads(render(in_bars((5, 7, 8, 7)), "written"))["bars"]
    assert alone[0]["repeat"] is None


def test_a_section_stands_with_the_first_note_after_it() -> None:
    """In a rest, in a phrase that is said in words, and in one that is not folded for its sake."""
    whole = in_bars((5, 7, 8, 7), (5, 7, 8, 10), (1, 3, 1, 3), (1, 3, 1, 3))
    phrases = [replace(p, like="") for p in whole.phrases]
    phrases[1], phrases[3] = replace(phrases[1], like="p0"), replace(phrases[3], like="p2")
    whole = replace(whole, phrases=tuple(phrases))
    late = [replace(n, onset=n.onset + 1.0, end=n.end + 1.0) for n in whole.notes]
    tempo = TempoMap.steady(120, first_beat=1.0, count=30)
    moved = [replace(p, start=p.start + 1.0, end=p.end + 1.0) for p in whole.phrases]
    project = replace(whole, tempo=tempo, phrases=tuple(moved)).with_notes(late)
    sections = tuple(Section(name, at) for name, at in (("In", 0.2), ("Two", 3.0), ("Three", 5.0), ("Four", 7.0)))
    project = replace(project, sections=sections)
    document = pypdfium2.PdfDocument(render(project, "pdf"))
    names = [mark.get_title() for mark in document.get_toc() if mark.level == 0]
    assert names == ["In", "Two", "Three", "Four"]
    said = words(project)
    assert all(name in said for name in names)
    alone = [mark.get_title() for mark in pypdfium2.PdfDocument(render(project, "pdf", [moved[2]])).get_toc()]
    assert "×2" not in said
    part = music21.converter.parse(render(project, "musicxml"), format="musicxml").parts[0]
    marks = [mark.content for mark in part.recurse().getElementsByClass("RehearsalMark")]
    assert marks == names
    assert "Two" not in alone
    assert "Four" not in alone
