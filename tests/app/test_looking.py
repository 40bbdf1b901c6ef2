"""Going through what is likeliest wrong, and places where a note may be missing."""

from dataclasses import replace

import pytest
from PyQt6.QtCore import Qt

from notcher.score.gap import Gap
from tests.app.conftest import Driver

Key = Qt.Key
MISSING = Gap(5.0, 5.3, 64, 0.9)


@pytest.fixture
def unsure(opened: Driver) -> Driver:
    """All confirmed but n2 (0.5) and n5 (0.8); something may be missing between them."""

    def change(note):
        chance = {"n2": 0.5, "n5": 0.8}.get(note.id)
        return replace(note, confidence=chance or 1.0, confirmed=chance is None, doubt=None, by_hand=False)

    opened.desk.session.edit("unsure", lambda p: replace(p.with_notes([change(n) for n in p.notes]), gaps=(MISSING,)))
    opened.select()
    return opened


def test_u_goes_by_what_looking_is_worth_and_back(unsure: Driver) -> None:
    unsure.key("u")
    assert unsure.desk.looking.gap == MISSING, "nine in ten that a note is missing"
    assert "90 %" in unsure.notch.inspector.state.text()
    assert unsure.desk.transport.position == pytest.approx(5.0)
    unsure.key("u")
    assert (unsure.desk.looking.gap, unsure.desk.session.selection) == (None, {"n2"})
    unsure.key("u")
    assert unsure.desk.session.selection == {"n5"}
    unsure.key((Key.Key_U, Qt.KeyboardModifier.ShiftModifier))
    assert unsure.desk.session.selection == {"n2"}


def test_the_corner_says_how_many_mistakes_are_to_be_expected(unsure: Driver) -> None:
    corner = unsure.notch.standing.left
    assert corner.text() == "about 2 mistakes in 2"
    unsure.select("n2")
    unsure.key("c")
    assert corner.text() == "about 1 mistake in 1"


def test_what_was_missing_is_written_with_one_key_and_undone(unsure: Driver) -> None:
    before = len(unsure.project.notes)
    unsure.key("u", "a")
    assert len(unsure.project.notes) == before + 1
    (chosen,) = unsure.desk.session.selected_notes()
    assert (chosen.onset, chosen.pitch(unsure.project.tuning), chosen.confirmed) == (5.0, 64, True)
    assert unsure.desk.looking.gap is None
    unsure.key((Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert len(unsure.project.notes) == before


def test_that_nothing_is_missing_is_said_with_one_key_and_undone(unsure: Driver) -> None:
    unsure.key("u", Key.Key_Delete)
    assert unsure.project.gaps == ()
    assert len(unsure.project.notes) == 8
    unsure.key((Key.Key_Z, Qt.KeyboardModifier.ControlModifier))
    assert unsure.project.gaps == (MISSING,)


def test_the_mark_of_a_gap_can_be_clicked(unsure: Driver) -> None:
    strand = unsure.notch.strand
    unsure.desk.axis.show_range(3.0, 8.0)
    frame = strand._frame()
    marks = strand._gap_marks
    places = [(x, y) for y in frame.lanes for x in (frame.x_of(5.0) + 6,) if marks.under(x, y)]
    assert len(places) == 1
    unsure.bot.mouseClick(strand, Qt.MouseButton.LeftButton, pos=_point(*places[0]))
    assert unsure.desk.looking.gap == MISSING
    assert "missing here" in unsure.notch.inspector.heading.text()


def test_when_all_is_confirmed_it_says_so(opened: Driver) -> None:
    opened.desk.session.edit("sure", lambda p: p.with_notes([replace(n, confirmed=True, doubt=None) for n in p.notes]))
    opened.key("u")
    assert "Every note is confirmed" in opened.message


def _point(x: float, y: float):
    from PyQt6.QtCore import QPoint

    return QPoint(round(x), round(y))
