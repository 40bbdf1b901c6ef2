"""The listening window follows the note being worked on."""

import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH
from notcher.app.state.listening import AFTER_S, BEFORE_S
from tests.app.conftest import Driver


def loop_of(driver: Driver, note_id: str) -> tuple[float, float]:
    note = driver.project.note(note_id)
    return max(0.0, note.onset - BEFORE_S), note.end + AFTER_S


def test_it_goes_along_as_notes_are_confirmed(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
    ids = [n.id for n in opened.project.notes]
    opened.select(ids[0])
    opened.key("K")
    transport = opened.desk.transport
    assert transport.playing
    assert transport.loop == pytest.approx(loop_of(opened, ids[0]), abs=0.02)
    opened.key("C")
    assert opened.project.note(ids[0]).confirmed
    assert opened.desk.session.selection == {ids[1]}
    assert transport.loop == pytest.approx(loop_of(opened, ids[1]), abs=0.02)
    assert transport.playing
    opened.key("K")
    assert not transport.playing
    assert transport.loop is None


def test_without_a_selection_it_begins_at_the_playhead(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
    opened.desk.transport.seek(opened.project.notes[2].onset)
    opened.key("K")
    assert opened.desk.session.selection == {opened.project.notes[2].id}
    assert opened.desk.listening.on
    opened.key("K")


def test_another_loop_ends_it(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
    ids = [n.id for n in opened.project.notes]
    opened.select(ids[0])
    opened.key("K")
    opened.desk.transport.set_loop((0.2, 0.9))
    opened.key(Qt.Key.Key_Right)
    assert not opened.desk.listening.on
    assert opened.desk.transport.loop == pytest.approx((0.2, 0.9), abs=0.01)
    # Wanted again, it takes the loop's place.
    opened.key("K")
    assert opened.desk.listening.on
    assert opened.desk.transport.loop == pytest.approx(loop_of(opened, ids[1]), abs=0.02)
    opened.desk.transport.pause()


def test_the_rest_of_a_phrase_is_confirmed_at_once(opened: Driver) -> None:
    opened.desk.show_room(NOTCH)
    project = opened.project
    phrase = project.phrases[0]
    inside = project.notes_between(phrase.start, phrase.end)
    following = project.notes_between(phrase.end, 99.0)
    opened.select(inside[1].id)
    opened.key((Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier))
    after = opened.project
    assert [after.note(n.id).confirmed for n in inside] == [inside[0].confirmed, *([True] * (len(inside) - 1))]
    assert [after.note(n.id).confirmed for n in following] == [n.confirmed for n in following]
    if following:
        assert opened.desk.session.selection == {following[0].id}
    opened.desk.session.undo()
    assert opened.project == project
