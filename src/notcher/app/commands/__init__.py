"""All commands, as data. The window makes actions, menus and the sheet of keys from this one list."""

from notcher.app.commands import notes, phrases, play, view
from notcher.app.commands.command import Command

ALL: tuple[Command, ...] = (*play.COMMANDS, *phrases.COMMANDS, *notes.COMMANDS, *notes.DIGITS, *view.COMMANDS)

__all__ = ["ALL", "Command"]
