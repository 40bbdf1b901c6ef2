"""All commands, as data. The window makes actions, menus and the sheet of keys from this one list."""

from notcher.app.commands import beats, notes, phrases, play, sections, versions, view
from notcher.app.commands.command import Command

ALL: tuple[Command, ...] = (
    *play.COMMANDS, *beats.COMMANDS, *sections.COMMANDS, *phrases.COMMANDS, *versions.COMMANDS, *notes.COMMANDS,
    *notes.DIGITS, *view.COMMANDS,
)  # fmt: skip

__all__ = ["ALL", "Command"]
