"""Pace, click, breath and pitch in the window: one control for each thing, by key, typed and tapped."""

from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import TEACH
from tests.app.conftest import Driver

Key, SHIFT = Qt.Key, Qt.KeyboardModifier.ShiftModifier


def typed(driver: Driver, text: str) -> None:
    field = driver.window.transport_bar.pace
    field.setFocus()
    field.selectAll()
    driver.bot.keyClicks(field, text)
    driver.bot.keyClick(field, Key.Key_Return)


def test_the_pace_is_typed_in_percent_or_in_beats_a_minute(opened: Driver) -> None:
    """The small project goes at 120 beats a minute."""
    transport, field = opened.desk.transport, opened.window.transport_bar.pace
    typed(opened, "60 bpm")
    assert (transport.pace, field.text()) == (50, "50 %, 60 bpm")
    typed(opened, "+10")
    assert transport.pace == 60
    typed(opened, "quick")
    assert "no pace" in opened.message
    assert (transport.pace, field.text()) == (60, "60 %, 72 bpm")
    # What stands there can be taken as it is.
    opened.bot.keyClick(field, Key.Key_Return)
    assert transport.pace == 60


def test_the_pace_is_tapped(opened: Driver) -> None:
    for wait in (0, 1000, 1000):
        opened.bot.wait(wait)
        opened.key(("T", SHIFT))
    assert 45 <= opened.desk.transport.pace <= 55


def test_steps_go_as_they_are_set_in_teach(opened: Driver) -> None:
    opened.desk.show_room(TEACH)
    transport, time = opened.desk.transport, opened.teach.time
    assert transport.pace == 50
    opened.key("=")
    assert transport.pace == 60
    time.steps.setCurrentIndex(2)
    time.steps.activated.emit(2)
    opened.key("=")
    assert round(transport.pace * 1.2) == 75, "five beats a minute more"
    assert opened.teach.pace.text().endswith("bpm")


def test_click_breath_and_pitch(opened: Driver) -> None:
    opened.desk.show_room(TEACH)
    transport, time = opened.desk.transport, opened.teach.time
    opened.key(("I", SHIFT))
    assert transport.click
    assert opened.window.transport_bar.click.isChecked()
    assert transport.player._clicks is not None
    time.parts.activated.emit(1)
    clicks = transport.player._clicks(0.0, 1.0)
    assert [c.time for c in clicks] == [0.0, 0.25, 0.5, 0.75]
    time.accents.setChecked(False)
    assert {c.strength for c in transport.player._clicks(0.0, 4.0)} == {0, 1}
    time.breath.setValue(2)
    assert len(transport.player._breath) == 2
    time.shift.setValue(-1)
    assert transport.player.cents == -100.0
    opened.desk.session.edit("In tune", lambda p: p.__class__(**{f: getattr(p, f) for f in p.__dataclass_fields__}
                                                              | {"in_tune": True}))  # fmt: skip
    assert transport.player.cents == -100.0 + 14.0
    transport.play()
    opened.bot.wait(400)
    transport.pause()


def test_without_a_beat_percent_alone(opened: Driver) -> None:
    opened.desk.session.edit("No beat", lambda p: p.with_tempo(None))
    field = opened.window.transport_bar.pace
    opened.window.transport_bar.refresh()
    assert field.text() == "100 %"
    typed(opened, "46 bpm")
    assert "No beat is known" in opened.message
    assert not opened.window.transport_bar.click.isEnabled()
