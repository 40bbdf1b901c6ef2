"""The Collect room: a folder chosen, phrases found as one types, one opened, one copied as a version."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.collect.room import CollectRoom
from notcher.app.rooms.ids import COLLECT, NOTCH
from notcher.formats import project_file
from tests.app.conftest import Driver
from tests.collect.test_index import song


@pytest.fixture
def room(opened: Driver, tmp_path: Path) -> CollectRoom:
    folder = tmp_path / "songs"
    folder.mkdir()
    for seed in (3, 5):
        project_file.save(song(f"Song {seed}", seed), folder / f"{seed}.notcher")
    project_file.save(song("Grey Sea"), folder / "grey.notcher")
    view = opened.window.views[COLLECT]
    assert isinstance(view, CollectRoom)
    opened.key((Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier))
    assert "Choose the folder" in view.said.text()
    opened.window.tasks.ask.open_folder = lambda _: folder
    opened.bot.mouseClick(view.choose, Qt.MouseButton.LeftButton)
    opened.settle()
    assert "3 projects" in view.said.text()
    return view


def looked(driver: Driver, room: CollectRoom, text: str) -> list[str]:
    room.field.clear()
    driver.bot.keyClicks(room.field, text)
    driver.bot.waitUntil(lambda: not room.busy, timeout=5000)
    cells = [room.table.item(k, 0) for k in range(room.table.rowCount())]
    return [c.text() for c in cells if c is not None]


def test_found_as_one_types(opened: Driver, room: CollectRoom) -> None:
    assert looked(opened, room, "song 3") == ["Line 3"]
    assert looked(opened, room, "tap") == ["Second"]
    assert looked(opened, room, "nowhere at all") == []
    assert "nothing is found" in room.said.text()
    assert not room.open_button.isEnabled()
    looked(opened, room, "over Qx")
    assert "no chord symbol" in room.said.text()


def test_like_the_phrase_in_hand(opened: Driver, room: CollectRoom) -> None:
    opened.bot.mouseClick(room.like, Qt.MouseButton.LeftButton)
    opened.bot.waitUntil(lambda: not room.busy, timeout=5000)
    first = room.table.item(0, 0)
    assert first is not None
    assert first.text() == "First"


def test_a_hit_is_opened_at_its_phrase(opened: Driver, room: CollectRoom) -> None:
    looked(opened, room, "grey second")
    opened.bot.keyClick(room.field, Qt.Key.Key_Return)
    opened.bot.keyClick(room.table, Qt.Key.Key_Return)
    opened.settle()
    assert opened.desk.room == NOTCH
    assert opened.project.request.title == "Grey Sea"
    assert opened.desk.phrase is not None
    assert opened.desk.phrase.name == "Second"


def test_a_hit_is_copied_as_a_version(opened: Driver, room: CollectRoom) -> None:
    looked(opened, room, "song 5")
    opened.bot.mouseClick(room.copy_button, Qt.MouseButton.LeftButton)
    opened.settle()
    phrase = opened.project.phrases[0]
    assert phrase.showing == "Line 5, Song 5"
    assert "as played" in phrase.versions
    opened.window.grab()


def test_the_index_is_thrown_away_and_made_anew(opened: Driver, room: CollectRoom) -> None:
    opened.bot.mouseClick(room.again, Qt.MouseButton.LeftButton)
    opened.settle()
    assert looked(opened, room, "song 5") == ["Line 5"]
