"""In print: phrases that repeat another are said, not written again; without a beat, ringing and rests are marked."""

from dataclasses import replace

from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.shapes import Text
from notcher.formats.text_tab import text_tab
from notcher.score.project import Project
from tests.conftest import note
from tests.score.test_phrase_repeats import linked


def sheet_words(project: Project) -> list[str]:
    return [s.text for page in lay_out(project, project.notes) for s in page.shapes if isinstance(s, Text)]


def test_a_repeat_is_said_in_words() -> None:
    project = linked()
    text = text_tab(project, project.notes)
    assert "C  (0:08.0 - 0:11.8)\nAs 'A', 2 frets up.\n\n" in text
    assert "As 'A', but\n  4th note: fret 8, 2nd string\n" in text
    assert text.count("e |") == 2
    words = sheet_words(project)
    assert "As 'A', 2 frets up." in words
    assert "fret 12, 1st string is added" in words


def test_a_repeat_handed_out_alone_is_written_out() -> None:
    project = linked()
    alone = tuple(n for n in project.notes if 8 <= n.onset < 12)
    assert "As 'A'" not in text_tab(project, alone)
    assert text_tab(project, alone).count("e |") == 1


def without_a_beat() -> Project:
    notes = (note(1, 0.0, 2, 7, length=1.0), note(2, 1.0, 2, 9, length=0.25), note(3, 2.0, 1, 5, length=1.0))
    return replace(linked(), notes=notes, phrases=(), tempo=None)


def test_without_a_beat_a_note_rings_as_far_as_it_sounds() -> None:
    lines = text_tab(without_a_beat(), without_a_beat().notes).split("\n")
    second = next(line for line in lines if line.startswith("B "))
    assert "-7========9==------" in second
    assert any(line.startswith("= rings on") for line in lines)
    assert "=" not in next(
        line for line in text_tab(linked(), linked().notes).split("\n") if line.startswith("B ")
    )  # fmt: skip


def test_without_a_beat_the_sheet_marks_rests() -> None:
    words = sheet_words(without_a_beat())
    assert words.count(",") == 2  # one in the tab, one in the legend
    assert "rest: nothing sounds" in words
    assert "," not in sheet_words(linked())
