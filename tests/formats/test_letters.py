"""Any alphabet is printed: letters that the type lacks come from fonts beside it, right to left is right to left."""

from dataclasses import replace

import pypdfium2
import pytest

from notcher.formats.export import render
from notcher.formats.sheet.measure import FALLBACK_FILES, FONT_FILES, UNKNOWN, broken, runs, text_width
from notcher.score.project import Project, Request


def test_letters_come_from_the_font_that_has_them() -> None:
    assert runs("Tide") == [(FONT_FILES[""], "Tide")]
    assert runs("F♯", "B") == [(FONT_FILES["B"], "F"), (FALLBACK_FILES[0], "♯")]
    assert runs("港") == [(FALLBACK_FILES[1], "港")]
    assert runs("a🎸") == [(FONT_FILES[""], "a"), (FALLBACK_FILES[0], UNKNOWN)]


def test_right_to_left_is_printed_so() -> None:
    """Of the worked examples of Unicode Standard Annex 9: letters turn round, figures and Latin words do not, brackets
    are mirrored."""
    seen = "".join(piece for _, piece in runs("אבג 12 (דה)"))
    assert seen == "(הד) 12 גבא"
    assert "".join(piece for _, piece in runs("abc אבג")) == "abc גבא"


def test_arabic_letters_are_joined() -> None:
    """BEH at a word's beginning, in its middle and at its end (Unicode, Arabic Presentation Forms-B: FE91, FE92,
    FE90)."""
    seen = "".join(piece for _, piece in runs("ببب"))
    assert [f"{ord(c):04X}" for c in seen] == ["FE90", "FE92", "FE91"]


@pytest.mark.parametrize("title", ["港の歌", "Σελήνη", "море", "אבג", "Łódź"])
def test_a_title_in_any_alphabet_can_be_read_from_the_page(project: Project, title: str) -> None:
    named = replace(project, request=Request(title, "", "", "", ""))
    text = str(pypdfium2.PdfDocument(render(named, "pdf"))[0].get_textpage().get_text_bounded())
    assert title in text or title[::-1] in text


def test_a_word_that_is_wider_than_the_line_is_cut() -> None:
    lines = broken("x" * 300, 200.0, 10.0)
    assert len(lines) > 1
    assert "".join(lines) == "x" * 300
    assert max(text_width(line, 10.0) for line in lines) <= 200.0
