"""Finding notes and changing them all, by real keys."""

import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH
from tests.app.conftest import Driver


def open_find(driver: Driver) -> None:
    driver.desk.show_room(NOTCH)
    driver.key((Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier))


def test_found_selected_changed_and_taken_back(opened: Driver) -> None:
    before = opened.project
    open_find(opened)
    panel = opened.notch.find_notes
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
    opened.desk.session.undo()
    assert opened.project == before
    opened.bot.keyClick(panel.become, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_a_wrong_word_is_said_and_nothing_is_changed(opened: Driver) -> None:
    before = opened.project
    open_find(opened)
    panel = opened.notch.find_notes
    opened.bot.keyClicks(panel.wanted, "crul")
    assert "did you mean 'curl'" in panel.note.text()
    opened.bot.keyClicks(panel.become, "pull")
    opened.bot.keyClick(panel.become, Qt.Key.Key_Return)
    assert opened.project == before


def test_nothing_to_become_is_said(opened: Driver) -> None:
    open_find(opened)
    panel = opened.notch.find_notes
    opened.bot.keyClicks(panel.wanted, "no bend")
    opened.bot.keyClick(panel.become, Qt.Key.Key_Return)
    assert "what they are to become" in opened.message


def test_a_passage_is_copied_to_the_playhead(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
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


def test_a_phrase_is_selected_and_searched_alone(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
    opened.select("n5")
    opened.key((Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier))
    assert opened.desk.session.selection == {"n5", "n6", "n7", "n8"}
    opened.desk.phrase_id = "p2"
    open_find(opened)
    panel = opened.notch.find_notes
    opened.bot.mouseClick(panel.here, Qt.MouseButton.LeftButton)
    opened.bot.keyClicks(panel.wanted, "no vibrato")
    assert panel.note.text().startswith("4 notes")


def test_a_passage_is_moved_in_time_and_across_strings(opened: Driver) -> None:
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    opened.desk.show_room(NOTCH)
    before = opened.project
    opened.select("n5", "n6")
    opened.key((Qt.Key.Key_Down, both))
    assert [(n.string, n.fret) for n in opened.desk.session.selected_notes()] == [(3, 10), (3, 12)]
    opened.key((Qt.Key.Key_Up, both), (Qt.Key.Key_Up, both), (Qt.Key.Key_Up, both))
    assert [n.string for n in opened.desk.session.selected_notes()] == [1, 1]
    assert "no string beyond" in opened.message
    opened.desk.transport.seek(3.25)
    opened.key((Qt.Key.Key_M, both))
    assert [opened.project.note(i).onset for i in ("n5", "n6")] == pytest.approx([3.25, 3.5])
    assert len(opened.project.notes) == len(before.notes)
    opened.desk.transport.seek(2.0)
    opened.key((Qt.Key.Key_M, both))
    assert "already written where the passage would go" in opened.message


def test_the_corner_counts_and_shows_only_one_standing(opened: Driver) -> None:
    from notcher.score.find import Standing

    opened.desk.show_room(NOTCH)
    corner = opened.notch.standing
    assert [b.text() for b in corner.buttons.values()] == ["1 confirmed", "1 doubtful", "6 proposed"]
    opened.bot.mouseClick(corner.buttons[Standing.DOUBTFUL], Qt.MouseButton.LeftButton)
    assert opened.desk.session.selection == {"n8"}
    strand = opened.notch.strand
    assert strand._only is Standing.DOUBTFUL
    with_filter = strand.grab().toImage()
    opened.bot.mouseClick(corner.buttons[Standing.DOUBTFUL], Qt.MouseButton.LeftButton)
    assert strand._only is None
    assert strand.grab().toImage() != with_filter
    opened.key("c")
    assert [b.text() for b in corner.buttons.values()] == ["2 confirmed", "0 doubtful", "6 proposed"]


def test_keys_go_back_to_the_strands_when_a_panel_closes(opened: Driver) -> None:
    open_find(opened)
    panel = opened.notch.find_notes
    assert panel.wanted.hasFocus()
    opened.bot.keyClick(panel.wanted, Qt.Key.Key_Escape)
    assert opened.notch.strand.hasFocus()
