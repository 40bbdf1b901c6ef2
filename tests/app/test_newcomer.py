"""DEVELOPERS.md's table of where a change goes, walked row by row: what the row names is all that is touched.

The technique's, the room's, the language's and the export's rows are walked beside what they belong to:
tests/score/test_technique.py, tests/app/test_rooms.py, tests/wording/test_catalogue.py, tests/test_cli.py.
"""

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication, QLabel

from notcher.app import commands
from notcher.app.commands import Command
from notcher.app.rooms.ids import SOURCE
from notcher.app.rooms.source.room import STEPS
from notcher.app.state.settings import Settings
from notcher.formats import heading
from notcher.formats.export import render
from notcher.formats.incoming import open_score
from notcher.formats.incoming.found import ReadScore
from notcher.formats.incoming.open_score import Reader
from notcher.formats.incoming.text_tab import read_text_tab
from notcher.formats.limits import Kind
from notcher.pipeline import import_score
from notcher.score import tuning
from notcher.score.project import Project
from notcher.score.tuning import Tuning, parse_tuning
from notcher.wording.names import called
from tests.app.conftest import Driver


def test_a_tuning_is_one_row(opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    fourths = Tuning((65, 60, 55, 50, 45, 40), "all-fourths")
    monkeypatch.setitem(tuning.NAMED, fourths.name, fourths)
    assert parse_tuning("all fourths") == fourths
    opened.desk.show_room(SOURCE)
    opened.source.show_step(STEPS.index("Tuning"))
    panel = opened.source.tuning
    panel._take_tuning("all fourths")
    assert opened.project.tuning.pitches == fourths.pitches
    assert panel.tuning.currentText() == called(fourths) == "all fourths"
    assert "E A D G C F" in render(opened.project, "text").decode()


def test_a_key_is_one_entry(opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    from notcher.app.shell.window import Window

    pressed: list[str] = []
    hum = Command("play.hum", "Hum it first", ("Ctrl+J",), "Playing", lambda desk: pressed.append(desk.room))
    monkeypatch.setattr(commands, "ALL", (*commands.ALL, hum))
    window = Window(Settings())
    window.show()
    opened.bot.waitExposed(window)
    window.desk.session._document = opened.desk.session._document
    assert "Hum it first" in {a.text() for a in window.actions()}
    window.actions_by_id["play.hum"].trigger()
    assert pressed == [window.desk.room]
    window._show_keys()
    keys = window._keys
    assert keys is not None
    shown = {label.text() for label in keys.findChildren(QLabel)}
    assert {"Hum it first", "<b>Ctrl+J</b>"} <= shown
    window._leaving = True
    window.desk.session._document = None
    window.close()
    QApplication.processEvents()


def test_a_default_is_one_field(driver: Driver) -> None:
    """As the language is: set in the class, kept in the file, an unknown value of it left as at first."""
    assert Settings().language == ""
    Settings(language="pl").save()
    assert Settings.load().language == "pl"
    Settings.path().write_text('{"language": 5, "scale": 130}')
    assert (Settings.load().language, Settings.load().scale) == ("", 130)


def test_an_element_of_every_page_is_said_in_one_place(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    known = heading.facts
    monkeypatch.setattr(heading, "facts", lambda p: [*known(p), "Strings: ten to forty-six"])
    for kind in ("text", "svg"):
        assert "Strings: ten to forty-six" in render(project, kind).decode()


def test_a_reader_is_one_row(tmp_path: Path, opened: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """A text tab backwards."""

    def backwards(data: bytes, part: str) -> ReadScore:
        return read_text_tab(data[::-1])

    row = Reader((".bat",), Kind("backward tab", 1_000_000), backwards)
    monkeypatch.setattr(open_score, "READERS", (*open_score.READERS, row))
    path = tmp_path / "solo.bat"
    path.write_bytes(render(opened.project, "text")[::-1])
    found = import_score.read_in(path)
    assert len(found.project.notes) == len(opened.project.notes)
    opened.open(path)
    assert [n.fret for n in opened.project.notes] == [n.fret for n in found.project.notes]
    asked: list[str] = []
    monkeypatch.setattr(
        "notcher.app.shell.window.QFileDialog.getOpenFileName", lambda *a: (asked.append(a[-1]), ("", ""))[1]
    )
    opened.window._ask_open("which?")
    assert "*.bat" in asked[0]


def test_a_figure_of_the_bench_is_one_row(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from benchmarks import run

    def colour() -> str:
        return "## Colour\n\n| of | hue |\n|---|---|\n| the neck | 0.08 |\n"

    monkeypatch.setattr(run, "SECTIONS", (("colour", colour),))
    monkeypatch.setattr(run, "PAGE", tmp_path / "page.md")
    run.main([])
    assert "| the neck | 0.08 |" in (tmp_path / "page.md").read_text()
