"""Keeping a state under a name in the window, and going through what changed since."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from notcher.app.rooms.ids import HAND_OUT, NOTCH
from tests.app.conftest import Driver


def test_a_state_is_kept_and_compared(opened: Driver) -> None:
    opened.key((Qt.Key.Key_5, Qt.KeyboardModifier.ControlModifier))
    kept = opened.handout.kept
    opened.bot.keyClicks(kept.name, "first handout")
    opened.bot.keyClick(kept.name, Qt.Key.Key_Return)
    assert [s.name for s in opened.project.states] == ["first handout"]
    assert kept.comparing == ""
    opened.desk.show_room(NOTCH)
    opened.select("n1")
    opened.key("7")
    opened.desk.show_room(HAND_OUT)
    kept.since.setCurrentIndex(1)
    kept.since.activated.emit(1)
    assert kept.lines() == ["0:01.0  fret 9, 3rd string: now fret 7, 3rd string"]
    assert opened.handout.right.currentWidget() is kept.list
    opened.bot.mouseClick(kept.copy, Qt.MouseButton.LeftButton)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().startswith("Since 'first handout':\n0:01.0")
    kept.list.itemActivated.emit(kept.list.item(0))
    assert opened.desk.room == NOTCH
    assert opened.desk.session.selection == {"n1"}


def test_a_state_is_let_go_and_comes_back_by_undo(opened: Driver) -> None:
    opened.desk.show_room(HAND_OUT)
    kept = opened.handout.kept
    for name in ("one", "two"):
        kept.name.setText(name)
        kept.name.returnPressed.emit()
    kept.name.setText("ONE")
    kept.name.returnPressed.emit()
    assert "already" in opened.message
    kept.since.setCurrentIndex(1)
    kept.since.activated.emit(1)
    assert kept.lines() == ["Nothing has changed since."]
    opened.bot.mouseClick(kept.forget, Qt.MouseButton.LeftButton)
    assert [s.name for s in opened.project.states] == ["two"]
    assert opened.handout.right.currentIndex() == 0
    opened.desk.session.undo()
    assert [s.name for s in opened.project.states] == ["one", "two"]
