"""Advice and what to listen for, in every format that leaves the house, and back."""

import json
from dataclasses import replace

import music21
import pytest
from music21 import expressions

from notcher.formats.incoming.build import project_of
from notcher.formats.incoming.open_score import read_score
from notcher.formats.musicxml import musicxml
from notcher.formats.sheet.layout import lay_out
from notcher.formats.sheet.shapes import Text
from notcher.formats.tables import notes_json
from notcher.formats.text_tab import text_tab
from notcher.score.errors import ScoreError
from notcher.score.learning import LONGEST_ADVICE, advise, set_phrase_words
from notcher.score.project import Project


@pytest.fixture
def advised(project: Project) -> Project:
    told = advise(project, {"n6"}, text="pick once more before the slide")
    return set_phrase_words(told, "p1", advice="leave the finger down", listen_for="how late it comes", optional=True)


def test_musicxml_says_it_in_words_and_it_comes_back(advised: Project) -> None:
    text = musicxml(advised, advised.notes)
    score = music21.converter.parseData(text, format="musicxml")
    words = {e.content for e in score.recurse().getElementsByClass(expressions.TextExpression)}
    assert words >= {"pick once more before the slide", "leave the finger down", "how late it comes"}
    assert words >= {*(p.name for p in advised.phrases), "this phrase may be left out"}


def test_it_is_read_at_its_notes_again(advised: Project, tmp_path_factory: pytest.TempPathFactory) -> None:
    path = tmp_path_factory.mktemp("advice") / "score.musicxml"
    path.write_text(musicxml(advised, advised.notes))
    read = project_of(read_score(path))
    told = {(n.string, n.fret): n.advice for n in read.notes if n.advice}
    slide = advised.note("n6")
    first = advised.notes[0]
    assert told == {(slide.string, slide.fret): slide.advice, (first.string, first.fret): "leave the finger down"}
    assert [p.name for p in read.phrases] == [p.name for p in advised.phrases]


def test_page_and_text_print_it(advised: Project) -> None:
    page = " ".join(s.text for p in lay_out(advised, advised.notes) for s in p.shapes if isinstance(s, Text))
    tab = " ".join(text_tab(advised, advised.notes).split())
    for said in (
        "pick once more before the slide", "leave the finger down", "listen for: how late it comes",
        "this phrase may be left out",
    ):  # fmt: skip
        assert said in page
        assert said in tab
    signs = [s.text for p in lay_out(advised, advised.notes) for s in p.shapes if isinstance(s, Text)]
    assert signs.count("!") == 3, "at the phrase, at the note, and in the legend"
    assert "advice: see the notes at the end" in signs
    lines = text_tab(advised, advised.notes).splitlines()
    assert lines[lines.index(next(s for s in lines if s.startswith(advised.phrases[0].name))) + 1].startswith("! ")
    assert max(len(line) for line in text_tab(advised, advised.notes).splitlines()) <= 80


def test_text_tab_with_advice_is_read_as_without(advised: Project, tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = tmp_path_factory.mktemp("advice")
    plain = replace(advise(advised, {"n6"}, text=""), phrases=tuple(
        replace(p, advice="", listen_for="", optional=False) for p in advised.phrases))  # fmt: skip
    found = []
    for name, project in (("a.txt", advised), ("b.txt", plain)):
        (folder / name).write_text(text_tab(project, project.notes))
        read = project_of(read_score(folder / name))
        found.append(([(n.string, n.fret) for n in read.notes], [p.name for p in read.phrases]))
    assert found[0] == found[1]


def test_notes_say_it_where_there_is_some(advised: Project) -> None:
    rows = json.loads(notes_json(advised, advised.notes))["notes"]
    assert [r["id"] for r in rows if "advice" in r] == ["n6"]


def test_very_long_advice_is_refused(project: Project) -> None:
    with pytest.raises(ScoreError, match="up to 400 letters, got 401"):
        advise(project, {"n1"}, text="x" * (LONGEST_ADVICE + 1))
