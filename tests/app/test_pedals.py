"""Pedals: MIDI messages and keys that are bound to acts, learned, simulated, and found when plugged in."""

from typing import Any

import mido
import pytest
from PyQt6.QtCore import Qt

from notcher.app.rooms.ids import TEACH
from notcher.teach.pedal import message_name
from tests.app.conftest import Driver

Key, ALT = Qt.Key, Qt.KeyboardModifier.AltModifier


@pytest.mark.parametrize(
    ("message", "name"),
    [
        (mido.Message("control_change", control=64, value=127), "control 64"),
        (mido.Message("control_change", control=64, value=0), ""),
        (mido.Message("note_on", note=36, velocity=90), "note 36"),
        (mido.Message("note_on", note=36, velocity=0), ""),
        (mido.Message("program_change", program=3), "program 3"), (mido.Message("clock"), ""),
    ],
)  # fmt: skip
def test_what_a_foot_says(message: mido.Message, name: str) -> None:
    """MIDI 1.0: a switch is on from 64; a note on with velocity 0 is a note off."""
    assert message_name(message) == name


def test_the_pedals_on_the_screen_play_and_step(opened: Driver) -> None:
    opened.desk.show_room(TEACH)
    opened.key(("P", ALT))
    panel, pedals = opened.teach.pedals, opened.window.pedals
    assert panel.isVisible()
    pedals.pressed("pedal 1")
    assert opened.desk.transport.playing
    pedals.pressed("pedal 1")
    before = opened.desk.phrase_id
    pedals.pressed("pedal 2")
    assert opened.desk.phrase_id != before


def test_a_message_and_a_key_are_learned(opened: Driver) -> None:
    opened.desk.show_room(TEACH)
    opened.key(("P", ALT))
    panel, pedals = opened.teach.pedals, opened.window.pedals
    panel.learn["play.faster"].click()
    assert "press it now" in panel.learn["play.faster"].text()
    pedals.pressed("control 67")
    assert panel.learn["play.faster"].text() == "control 67"
    pace = opened.desk.transport.pace
    pedals.pressed("control 67")
    assert opened.desk.transport.pace > pace
    panel.learn["play.again"].click()
    opened.key("G")
    assert pedals.bound_to("play.again") == "key G"
    opened.key("G")
    assert opened.desk.transport.playing
    pedals.clear("play.again")
    assert pedals.bound_to("play.again") == ""


def test_inputs_are_found_when_plugged_in_and_forgotten_when_they_go(
    opened: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    names = ["foot 1"]
    callbacks: dict[str, Any] = {}

    class Port:
        """Stands in for a MIDI input."""

        def close(self) -> None:
            callbacks.clear()

    def open_input(name: str, callback: Any) -> Port:
        callbacks[name] = callback
        return Port()

    monkeypatch.setattr(mido, "get_input_names", lambda: list(names))
    monkeypatch.setattr(mido, "open_input", open_input)
    pedals = opened.window.pedals
    pedals.look()
    assert pedals.inputs == ("foot 1",)
    pedals.learn("play.toggle")
    callbacks["foot 1"](mido.Message("control_change", control=64, value=100))
    opened.bot.waitUntil(lambda: pedals.bound_to("play.toggle") == "control 64")
    names.clear()
    pedals.look()
    assert pedals.inputs == ()
    assert callbacks == {}
