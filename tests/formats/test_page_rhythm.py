"""Pages with rhythm: nothing collides, the staff says what the score has, and what a page must say is on it."""

import re
from dataclasses import replace
from fractions import Fraction
from math import isclose

import pypdfium2
import pytest
from defusedxml.ElementTree import fromstring

from notcher.formats.errors import FileFormatError
from notcher.formats.export import render
from notcher.formats.heading import Said, facts
from notcher.formats.printing import With
from notcher.formats.sheet import staff, staff_mei
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.look import Look, Rhythm
from notcher.formats.sheet.neck import Necks
from notcher.formats.sheet.rows import Row
from notcher.formats.sheet.shapes import A4, LETTER, Paper, Text
from notcher.formats.sheet.staff_bends import SPACE
from notcher.rhythm.bars import bars_of
from notcher.rhythm.beams import beamed, tuplets
from notcher.rhythm.cells import barred
from notcher.rhythm.values import TICKS
from notcher.score.chords import key_at
from notcher.score.key import Key, KeyAt
from notcher.score.project import Project, Request, Section
from notcher.score.tempo import TempoMap
from notcher.teach.layers import Layer
from notcher.wording.names import string_names
from notcher.wording.numbers import clock
from notcher.wording.rhythm import counts_under
from tests.conftest import note, small_project
from tests.formats.generated import generated
from tests.formats.glyphs import glyphs_of, overlaps
from tests.formats.test_sheet import long_project

_SVG = "{http://www.w3.org/2000/svg}"


@pytest.mark.parametrize("with_staff", [False, True])
@pytest.mark.parametrize("seed", range(20))
def test_nothing_on_a_page_collides(seed: int, with_staff: bool) -> None:
    look = Look(staff=with_staff, run_on=seed % 4 == 2, size=(1.0, 0.8, 1.3)[seed % 3])
    pdf = render(generated(seed), "pdf", beside=With(hands=seed % 2 == 0, look=look))
    assert [(a.page, a.letter, b.letter, a.left, a.top) for a, b in overlaps(glyphs_of(pdf))] == []


@pytest.mark.parametrize("paper", [A4, LETTER])
@pytest.mark.parametrize("size", [0.7, 1.0, 1.6])
@pytest.mark.parametrize("seed", range(404, 407))
def test_nothing_collides_or_leaves_the_page_at_any_size_with_all_that_can_be_asked_for(
    seed: int, size: float, paper: Paper
) -> None:
    look = Look(staff=seed % 2 == 0, size=size, paper=paper, neck=Necks(left_handed=seed % 3 == 0))
    made = generated(seed)
    made = replace(made, request=replace(made.request, rights="For study alone, not to be passed on. " * 4))
    glyphs = glyphs_of(render(made, "pdf", beside=With(hands=True, look=look)))
    assert [(a.page, a.letter, b.letter, a.left, a.top) for a, b in overlaps(glyphs)] == []
    outside = [g for g in glyphs if g.left < 8 or g.right > paper.width - 8 or g.bottom < 8 or g.top > paper.height - 8]
    assert outside == []


@pytest.mark.parametrize("seed", range(3))
def test_all_that_is_printed_lies_on_the_paper(seed: int) -> None:
    pdf = render(generated(seed), "pdf", beside=With(look=Look(paper=LETTER, staff=True)))
    page = pypdfium2.PdfDocument(pdf)[0]
    assert (round(page.get_width()), round(page.get_height())) == (612, 792)
    for glyph in glyphs_of(pdf):
        assert 20 < glyph.left < glyph.right < 592, glyph
        assert 10 < glyph.bottom < glyph.top < 782, glyph


def quarters(*notes: tuple[float, int, int, float]) -> Project:
    """(beat, string, fret, beats) at sixty a minute, in bars of four."""
    made = [note(k, at, s, f, length=0.97 * beats) for k, (at, s, f, beats) in enumerate(notes)]
    return replace(
        small_project(), phrases=(), tempo=TempoMap.steady(60, first_beat=0.0, count=64), offset_cents=0.0
    ).with_notes(made)


def test_beams_go_by_the_metre_and_tuplets_are_bracketed() -> None:
    thirds = [(k / 3, 2, 5, 1 / 3) for k in range(3)]
    eighths = [(1 + k / 2, 2, 7, 0.5) for k in range(6)]
    cells = barred(bars_of(p := quarters(*thirds, *eighths), p.notes))
    assert [len(group) for group in beamed(cells)] == [3, 2, 2, 2]
    assert tuplets(cells) == [(0, 2, 3)]
    assert [float(c.beat) for c in cells if c.struck][3:] == [1, 1.5, 2, 2.5, 3, 3.5]


def test_silent_bars_stand_as_one_with_their_number() -> None:
    p = quarters((0, 2, 5, 4), (20, 2, 5, 4))
    cells = barred(bars_of(p, p.notes))
    assert [(c.bar, c.silent) for c in cells] == [(1, 0), (2, 4), (6, 0)]
    words = [s.text for page in lay_out(p, p.notes) for s in page.shapes if isinstance(s, Text)]
    assert "4" in words


def test_what_fills_a_tuplet_from_end_to_end_is_written_plain() -> None:
    p = quarters((0, 2, 5, 1), *((1 + k / 3, 2, 7, 1 / 3) for k in range(3)), (2, 2, 5, 2))
    values = [(c.value.type, c.value.dots, c.value.tuplet) for c in barred(bars_of(p, p.notes)) if c.value]
    assert values == [("quarter", 0, None), *[("eighth", 0, (3, 2))] * 3, ("half", 0, None)]


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 6, 7, 8, 9])
def test_the_engraved_staff_has_the_scores_pitches_and_values(seed: int) -> None:
    """Read back from verovio's drawing: a head stands where its tone, in the treble clef an octave below (C4 on the
    third space from below), must; flags, beams and heads have its value's kind."""
    project = generated(seed)
    found = bars_of(project, project.notes)
    cells = barred(found)
    firsts = {b.number: found.tempo.time_at(found.tempo.first_beat_of(b.number)) for b in found.bars}
    keys = {number: (at.key if (at := key_at(project, time)) else None) for number, time in firsts.items()}
    written = {b.number: b.unit.signature(b.beats) for b in found.bars}
    row = Row(tuple(cells), tuple(20.0 * k + 60 for k in range(len(cells))), 20.0 * len(cells) + 60)
    score = staff_mei.Score(project, keys, written, staff_mei.accidentals(cells, project, keys))
    made = staff.engrave(row, score, left=20.0, right=row.width + 26.0)
    seen = 0
    for k, cell in enumerate(cells):
        for n in cell.struck:
            tone, octave = staff_mei.tone_of(project, n)
            steps = octave * 7 + "CDEFGAB".index(tone.letter) - (3 * 7 + 2)  # E3 stands on the lowest line.
            x, y = made.heads[n.id]
            assert isclose(y, made.line - steps * SPACE / 2, abs_tol=0.1), n
            # Of two heads a step apart one stands on the other side of the stem.
            assert isclose(x, 20.0 + row.x[k], abs_tol=0.6 if len(cell.struck) == 1 else 6.0), n
            seen += 1
    assert seen == len(project.notes)
    root = fromstring(staff.svg_of(row, score))
    kinds = {"whole": "E0A2", "half": "E0A3"}
    for k, cell in enumerate(cells):
        if cell.value is None or not cell.struck or len(cell.struck) > 1:
            continue
        group = next(g for g in root.iter(f"{_SVG}g") if g.get("id") == staff_mei.note_name(k, cell.struck[0]))
        heads = [u.get("href", "")[1:5] for h in group.iter(f"{_SVG}g") if h.get("class") == "notehead"
                 for u in h.iter(f"{_SVG}use")]  # fmt: skip
        plain = not cell.struck[0].marks & {m for m in cell.struck[0].marks if m in ("dead", "natural-harmonic")}
        if plain:
            assert heads == [kinds.get(cell.value.type, "E0A4")], cell
        assert len(list(group.iter(f"{_SVG}ellipse"))) >= cell.value.dots


def test_a_bar_of_the_staff_lasts_as_long_as_its_metre() -> None:
    project = generated(3)
    cells = barred(bars_of(project, project.notes))
    lasts: dict[int, Fraction] = {}
    for cell in cells:
        for bar in range(cell.bar, cell.bar + max(1, cell.silent)):
            part = Fraction(cell.ticks, TICKS) / max(1, cell.silent)
            lasts[bar] = lasts.get(bar, Fraction(0)) + part
    assert project.tempo is not None
    assert all(beats == project.tempo.beats_in(bar) for bar, beats in lasts.items() if bar >= 1)


@pytest.mark.parametrize("paper", [A4, LETTER])
@pytest.mark.parametrize("run_on", [False, True])
@pytest.mark.parametrize("seed", [1, 7, 13, 22, 23])
def test_four_systems_with_both_staves_fit_every_page(seed: int, run_on: bool, paper: Paper) -> None:
    """All but the last hold four or more, the first one under its head, too: the third string is named so often."""
    made = generated(seed, bars=24)
    third = string_names(made.tuning)[2]
    look = Look(staff=True, run_on=run_on, paper=paper)
    found = [
        sum(isinstance(s, Text) and s.text == third and isclose(s.size, 7.5 * look.scale) for s in page.shapes)
        for page in lay_out(made, made.notes, look)
    ]
    of_music = [n for n in found if n]
    assert len(of_music) > 1
    assert all(n >= 4 for n in of_music[:-1])


def test_stems_counts_both_or_neither(project: Project) -> None:
    def drawn(rhythm: Rhythm) -> tuple[int, bool]:
        shapes = [s for page in lay_out(project, project.notes, Look(rhythm=rhythm)) for s in page.shapes]
        return len(shapes), any(isinstance(s, Text) and s.text == "and" for s in shapes)

    both, stems, counts, neither = (drawn(r) for r in (Rhythm.BOTH, Rhythm.STEMS, Rhythm.COUNTS, Rhythm.NEITHER))
    assert (both[1], stems[1], counts[1], neither[1]) == (True, False, True, False)
    assert both[0] > stems[0] > neither[0] < counts[0] < both[0]


def test_the_page_says_what_it_shows_and_what_it_is_a_part_of(project: Project) -> None:
    tuned = replace(project, tuning=replace(project.tuning, pitches=tuple(p - 2 for p in project.tuning.pitches)))
    said = Said(shown="easier", series="Lesson 3 of 8")
    text = render(tuned, "svg", beside=With(said=said)).decode()
    for words in ("easier", "Lesson 3 of 8", "Sounds 2 frets lower than written"):
        assert words in text


def test_bookmarks_language_and_title(demo: Project) -> None:
    pdf = render(demo, "pdf")
    document = pypdfium2.PdfDocument(pdf)
    marks = [(mark.get_title(), mark.level) for mark in document.get_toc()]
    assert [name for name, level in marks if level == 0] == [s.name for s in demo.sections]
    assert [name for name, level in marks if level == 1] == [p.name for p in demo.phrases]
    assert marks.index(("B", 0)) + 1 == marks.index(("Rope ladder", 1))
    assert document.get_metadata_dict()["Title"] == demo.request.title
    assert b"/Lang (en)" in pdf


def test_the_text_is_in_reading_order(demo: Project) -> None:
    page = pypdfium2.PdfDocument(render(demo, "pdf"))[0].get_textpage().get_text_bounded()
    places = [page.index(words) for words in (demo.request.title, *[p.name for p in demo.phrases[:3]], "1 of")]
    assert places == sorted(places)


def test_a_neck_needs_a_line_for_each_phrase() -> None:
    with pytest.raises(FileFormatError, match="begin a line with each phrase"):
        Look(run_on=True, neck=Necks())
    with pytest.raises(FileFormatError, match="size"):
        Look(size=3.0)


@pytest.mark.parametrize("run_on", [False, True])
def test_long_names_of_phrases_and_sections_stay_on_the_page(project: Project, run_on: bool) -> None:
    long = "A name that never ends " * 14
    phrases = tuple(replace(p, name=f"{k} {long}") for k, p in enumerate(project.phrases))
    named = replace(project, phrases=phrases, sections=(Section(long, 1.0), Section("B", 4.0, like=long)))
    pdf = render(named, "pdf", beside=With(look=Look(run_on=run_on)))
    assert all(0 < g.left < g.right < A4.width - 30 for g in glyphs_of(pdf))
    assert overlaps(glyphs_of(pdf)) == []


@pytest.mark.parametrize("title", ["Ti" * 150, "A " * 150, "שיר הים", "港の歌"])
def test_any_title_stays_on_the_page(project: Project, title: str) -> None:
    named = replace(project, request=Request(title, "", "", "", ""))
    for glyph in glyphs_of(render(named, "pdf")):
        assert glyph.right < 596
        assert glyph.left > 0


def test_one_note_makes_a_page(project: Project) -> None:
    one = project.with_notes(project.notes[:1])
    for look in (Look(), Look(staff=True)):
        assert len(pypdfium2.PdfDocument(render(one, "pdf", beside=With(look=look)))) == 1


def test_a_layer_is_handed_out_and_said(demo: Project) -> None:
    beside = With(layer=Layer.NOTES, said=Said(shown="the notes"))
    text = render(demo, "text", beside=beside).decode()
    assert "the notes" in text.split("\n\n")[0].replace("\n", " ")
    assert "~" not in text.split("c. the count")[0]
    assert "~" in render(demo, "text").decode().split("c. the count")[0]


def test_without_a_beat_there_is_no_staff_and_the_page_says_so(project: Project) -> None:
    bare = replace(project, tempo=None)
    words = [s.text for page in lay_out(bare, bare.notes, Look(staff=True)) for s in page.shapes if isinstance(s, Text)]
    assert any("No beat is known, so there is no staff" in w for w in words)
    assert not any("No beat" in s.text for s in lay_out(bare, bare.notes)[0].shapes if isinstance(s, Text))


@pytest.mark.parametrize("bars", [4, 30, 88, 220])
def test_pages_are_turned_where_it_makes_sense(bars: int) -> None:
    """From one page to twenty: all but the last are well filled, and no name of a phrase stands alone at a foot."""
    project = long_project(bars)
    pages = lay_out(project, project.notes)
    lowest = [max(s.y for s in page.shapes if isinstance(s, Text) and s.y < 800) for page in pages]
    assert all(y > 0.6 * A4.height for y in lowest[:-1])
    names = {p.name for p in project.phrases}
    for page in pages[:-1]:
        below = [s.y for s in page.shapes if isinstance(s, Text) and s.text in names]
        assert max(below, default=0.0) < 760


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 6, 7, 8, 9, 11, 12])
def test_counts_say_where_values_are_written(seed: int) -> None:
    """What is said under a number is the place of its stem: beats by their number, parts by their syllables."""
    project = generated(seed)
    counts = counts_under(project, project.notes)
    part = {
        Fraction(1, 4): "e",
        Fraction(1, 2): "and",
        Fraction(3, 4): "a",
        Fraction(1, 3): "trip",
        Fraction(2, 3): "let",
    }
    before = None
    for cell in barred(bars_of(project, project.notes)):
        for n in () if cell.grace else cell.struck[:1]:
            within, beat = cell.beat % 1, (cell.bar, int(cell.beat) + 1)
            said = re.fullmatch(r"(?:\((?P<passed>[0-9]+)\))?(?P<said>.+)", counts[n.id])
            assert said is not None
            if said["said"] != ".":
                assert said["said"] == (part[within] if within else str(beat[1])), n
            if cell.value is not None and cell.value.tuplet is None:
                assert said["passed"] == (str(beat[1]) if within and beat != before else None), n
            before = beat


def test_the_head_says_each_key_and_from_where_it_is(project: Project) -> None:
    assert project.tempo is not None
    later = project.tempo.time_at(project.tempo.first_beat_of(2))
    keys = (KeyAt(0.0, Key.of(6, "minor")), KeyAt(later, Key.of(9, "major")))
    changing = replace(project, keys=keys)
    assert "Key: F♯ minor, A major from bar 2" in facts(changing)
    assert "Key: F♯ minor, A major from " + clock(later) in facts(replace(changing, tempo=None))
