"""The chord line: opened by its key, typed into bar by bar, wrong symbols said in place, and heard anew."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from notcher.app.rooms.ids import NOTCH
from notcher.app.rooms.notch.chord_line import ChordLine
from notcher.demo_copy import demo_project
from notcher.harmony.entry import bar_stretch, written
from tests.app.conftest import Driver

CTRL = Qt.KeyboardModifier.ControlModifier


def opened_line(driver: Driver) -> ChordLine:
    driver.desk.show_room(NOTCH)
    driver.desk.session.select(frozenset({"n1"}))
    driver.key("O")
    line = driver.notch.chords
    assert line.field.isVisible()
    return line


def typed(driver: Driver, text: str, key: Qt.Key) -> None:
    field = driver.notch.chords.field
    field.selectAll()
    driver.bot.keyClicks(field, text)
    driver.bot.keyClick(field, key)


def in_bar(driver: Driver, bar: int) -> str:
    return written(driver.project, bar_stretch(driver.project, bar))


def test_bars_are_entered_one_after_another_and_undone(opened: Driver) -> None:
    opened_line(opened)
    typed(opened, "F#m7", Qt.Key.Key_Tab)
    typed(opened, "D E", Qt.Key.Key_Tab)
    typed(opened, "as bars 1-2", Qt.Key.Key_Return)
    assert [in_bar(opened, bar) for bar in (1, 2, 3, 4)] == ["F♯m7", "D E", "F♯m7", "D E"]
    assert not opened.notch.chords.field.isVisible()
    assert all(c.decided for c in opened.project.chords)
    opened.key((Qt.Key.Key_Z, CTRL))
    assert in_bar(opened, 3) == "E"


def test_what_cannot_be_read_is_said_beside_the_field_and_nothing_is_lost(opened: Driver) -> None:
    line = opened_line(opened)
    before = opened.project
    typed(opened, "F#mq", Qt.Key.Key_Tab)
    assert any("'mq'" in label.text() for label in line.findChildren(QLabel))
    assert line.field.text() == "F#mq"
    assert opened.project == before
    opened.bot.keyClick(line.field, Qt.Key.Key_Escape)
    assert not line.field.isVisible()


def test_looking_through_bars_changes_nothing(opened: Driver) -> None:
    opened_line(opened)
    typed(opened, "Em", Qt.Key.Key_Tab)
    before = opened.project
    for key in (Qt.Key.Key_Backtab, Qt.Key.Key_Tab, Qt.Key.Key_Return):
        opened.bot.keyClick(opened.notch.chords.field, key)
    assert opened.project == before


def test_the_demos_chords_are_heard_again_and_the_next_best_is_offered(driver: Driver) -> None:
    from dataclasses import replace

    driver.open(demo_project())
    driver.desk.session.edit("none", lambda p: replace(p, chords=(), keys=()), linked=False)
    driver.desk.show_room(NOTCH)
    driver.key((Qt.Key.Key_K, CTRL))
    driver.settle()
    found = driver.project
    assert found.keys[0].key.tonic.plain() == "F#"
    assert len(found.chords) > 10
    line = driver.notch.chords
    line.open_at(found.chords[3].start + 0.2)
    driver.bot.keyClick(line.field, Qt.Key.Key_Down)
    assert line.field.text() == str(found.chords[3].offers[0])
    driver.bot.keyClick(line.field, Qt.Key.Key_Return)
    assert driver.project.chords != found.chords
    assert line.field.text() not in ("", "N.C.")
    assert line.names.in_words()
    driver.key((Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier))
    assert not line.isVisible()
