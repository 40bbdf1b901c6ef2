"""Finding notes and changing them all, by real keys."""

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
