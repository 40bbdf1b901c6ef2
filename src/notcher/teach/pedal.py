"""What a pedal says, as a name that can be bound to an act."""

from typing import Any

_DOWN = 64


def message_name(message: Any) -> str:
    """The name of a MIDI message (as mido reads it) that a foot made: 'control 64', 'note 36', 'program 3'; '' for the
    pedal going up, and for what no pedal sends. MIDI 1.0: a switch is on from 64."""
    match message.type:
        case "control_change":
            return f"control {message.control}" if message.value >= _DOWN else ""
        case "note_on":
            return f"note {message.note}" if message.velocity > 0 else ""
        case "program_change":
            return f"program {message.program}"
        case _:
            return ""
