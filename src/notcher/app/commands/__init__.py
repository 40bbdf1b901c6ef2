"""All commands, as data. The window makes actions, menus and the sheet of keys from these lists."""

from collections.abc import Iterable

from notcher.app.commands import beats, handout, notes, phrases, place, play, sections, teach, versions, view
from notcher.app.commands.command import Command

ALL: tuple[Command, ...] = (
    *play.COMMANDS, *beats.COMMANDS, *sections.COMMANDS, *phrases.COMMANDS, *versions.COMMANDS, *notes.COMMANDS,
    *notes.DIGITS, *place.COMMANDS, *teach.COMMANDS, *handout.COMMANDS, *view.COMMANDS,
)  # fmt: skip


def with_rooms(rooms: Iterable[tuple[str, str, str]]) -> tuple[Command, ...]:
    """All commands, and one for each room: (id, title, key)."""
    return (*(view.room_command(*room) for room in rooms), *ALL)


__all__ = ["ALL", "Command", "with_rooms"]
