"""Rhythm in the window: how early or late, written places and values by key and by hand."""

from dataclasses import replace
from fractions import Fraction

import pytest
from PyQt6.QtCore import Qt

from tests.app.conftest import Driver

ALT = Qt.KeyboardModifier.AltModifier


def settled(opened: Driver) -> None:
    opened.bot.waitUntil(lambda: opened.notch.timing_deviation.settled, timeout=10000)


def test_the_lean_line_says_how_late_each_note_is(opened: Driver) -> None:
    lean = opened.notch.timing_deviation
    assert lean.isVisible()
    settled(opened)
    assert lean.late_of("n2") == pytest.approx(0.0, abs=1e-6)
    opened.select("n2")
    opened.key(".", ".", ".", ".")
    settled(opened)
    assert lean.late_of("n2") == pytest.approx(0.02, abs=1e-6)
    assert lean.late_of("nowhere") is None


def test_without_a_beat_there_is_no_lean_line(opened: Driver) -> None:
    opened.desk.session.edit("No beat", lambda p: replace(p, tempo=None))
    assert not opened.notch.timing_deviation.isVisible()
    opened.select("n2")
    opened.key((Qt.Key.Key_Period, ALT))
    assert "no beat" in opened.message
    assert opened.project.note("n2").written_at is None


def test_a_place_is_moved_by_key_and_let_go(opened: Driver) -> None:
    opened.select("n2")
    opened.key((Qt.Key.Key_Period, ALT))
    assert opened.project.note("n2").written_at == Fraction(1, 4)
    opened.key((Qt.Key.Key_Comma, ALT))
    assert opened.project.note("n2").written_at == 0
    opened.key((Qt.Key.Key_Slash, ALT))
    assert opened.project.note("n2").written_at is None
    opened.window.desk.session.undo()
    assert opened.project.note("n2").written_at == 0


def test_place_and_value_are_chosen_in_the_inspector(opened: Driver) -> None:
    inspector = opened.notch.inspector
    opened.select("n4")
    place = inspector.written_at
    place.setCurrentIndex(place.findText("and"))
    place.activated.emit(place.currentIndex())
    assert opened.project.note("n4").written_at == Fraction(1, 2)
    assert inspector.written_at.currentText() == "and"
    value = inspector.written_length
    value.setCurrentIndex(value.findText("dotted quarter"))
    value.activated.emit(value.currentIndex())
    assert opened.project.note("n4").written_length == Fraction(3, 2)
    assert inspector.written_length.currentText() == "dotted quarter"
    assert "by hand" in inspector.measured.text()


def test_the_written_tab_on_the_beat_sounds_where_it_is_written(opened: Driver) -> None:
    """A note played 100 ms late is silent on the beat as played, and sounds there as written."""
    import numpy as np

    from notcher.app.state.transport import STRAIGHT, WRITTEN

    def late(p):
        n = p.note("n7")
        return p.with_notes([replace(n, onset=n.onset + 0.1, end=n.end + 0.1, written_at=Fraction(0))])

    opened.desk.session.edit("Late", late)
    sources = opened.desk.transport.player._sources
    played, straight = (float(np.abs(sources[name](4.5, 4.58)).max()) for name in (WRITTEN, STRAIGHT))
    assert played < 0.001 < straight
