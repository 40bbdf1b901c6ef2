"""Finding notes and changing them all, by real keys."""

import pytest
from PyQt6.QtCore import Qt

from tests.app.conftest import Driver


def open_find(driver: Driver) -> None:
    driver.desk.show_room("Notch")
    driver.key((Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier))


def test_found_selected_changed_and_taken_back(opened: Driver) -> None:
    before = opened.project
    open_find(opened)
    panel = opened.window.notch.find_notes
    assert panel.isVisible()
    opened.bot.keyClicks(panel.wanted, "no bend")
    count = sum(n.bend is None for n in before.notes)
    assert panel.note.text().startswith(f"{count} notes")
    opened.bot.keyClick(panel.wanted, Qt.Key.Key_Return)
    assert len(opened.desk.session.selection) == count
    opened.bot.keyClicks(panel.become, "staccato")
    opened.bot.keyClick(panel.become, Qt.Key.Key_Return)
    assert sum("staccato" in n.marks for n in opened.project.notes) == count
    assert "Ctrl+Z takes it back" in panel.note.text()
    opened.desk.session.undo_stack.undo()
    assert opened.project == before
    opened.bot.keyClick(panel.become, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_a_wrong_word_is_said_and_nothing_is_changed(opened: Driver) -> None:
    before = opened.project
    open_find(opened)
    panel = opened.window.notch.find_notes
    opened.bot.keyClicks(panel.wanted, "crul")
    assert "did you mean 'curl'" in panel.note.text()
    opened.bot.keyClicks(panel.become, "pull")
    opened.bot.keyClick(panel.become, Qt.Key.Key_Return)
    assert opened.project == before


def test_nothing_to_become_is_said(opened: Driver) -> None:
    open_find(opened)
    panel = opened.window.notch.find_notes
    opened.bot.keyClicks(panel.wanted, "no bend")
    opened.bot.keyClick(panel.become, Qt.Key.Key_Return)
    assert "what they are to become" in opened.message


def test_a_passage_is_copied_to_the_playhead(opened: Driver) -> None:
    opened.desk.show_room("Notch")
    first, *others = opened.project.notes
    opened.select(*(n.id for n in others))
    opened.key(Qt.Key.Key_Delete)
    opened.select(first.id)
    opened.desk.transport.seek(first.end + 0.3)
    copy = (Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    opened.key(copy)
    assert len(opened.project.notes) == 2
    new = opened.project.notes[1]
    assert (new.string, new.fret) == (first.string, first.fret)
    assert new.onset == pytest.approx(first.end + 0.3, abs=0.01)
    assert opened.desk.session.selection == {new.id}
    # Once more at the same place: it is taken.
    opened.key(copy)
    assert "already written" in opened.message
    assert len(opened.project.notes) == 2
