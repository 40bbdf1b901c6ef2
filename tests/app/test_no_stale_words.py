"""What is said and selected goes with what the person does next: loops, refusals, lines of notes."""

import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import NOTCH, SOURCE
from tests.app.conftest import Driver


def test_the_next_doubt_lies_where_the_playhead_goes_also_under_a_loop(opened: Driver) -> None:
    """U leaves a loop that its note lies outside of, so that A writes where it is seen."""
    opened.desk.show_room(NOTCH)
    notes = opened.project.notes
    opened.desk.transport.set_loop((notes[0].onset - 0.05, notes[0].onset + 0.05))
    opened.key("U")
    (chosen,) = opened.desk.session.selection
    note = opened.project.note(chosen)
    assert not notes[0].onset - 0.05 <= note.onset <= notes[0].onset + 0.05
    assert opened.desk.transport.loop is None
    assert opened.desk.transport.position == pytest.approx(note.onset, abs=0.02)
    assert opened.desk.axis.start <= note.onset <= opened.desk.axis.start + opened.desk.axis.span


def test_a_refusal_goes_when_it_is_mended(opened: Driver) -> None:
    """A tuning that there is not, then one that there is: the sentence on the first does not stay."""
    opened.desk.show_room(SOURCE)
    panel = opened.source.tuning
    for words in ("X Y Z", "DADGBE"):
        panel.tuning.setEditText(words)
        opened.bot.keyClick(panel.tuning, Qt.Key.Key_Return)
        opened.settle()
        if words == "X Y Z":
            refused = opened.message
            assert refused
    assert opened.message != refused


def test_a_refusal_does_not_follow_into_another_room(opened: Driver) -> None:
    opened.desk.show_room(SOURCE)
    panel = opened.source.tuning
    panel.tuning.setEditText("X Y Z")
    opened.bot.keyClick(panel.tuning, Qt.Key.Key_Return)
    refused = opened.message
    assert refused
    opened.desk.show_room(NOTCH)
    assert opened.message != refused
