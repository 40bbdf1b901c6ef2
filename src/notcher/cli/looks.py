"""The options on what is printed, made from their table (formats/printing.py)."""

import argparse
from typing import Any

from notcher.cli.values import dialect, offset_s, pace, size
from notcher.formats.printing import OPTIONS, Option, look_of
from notcher.formats.sheet.look import Look
from notcher.teach.layers import Layer
from notcher.wording import tr
from notcher.wording.lesson import shown_words

_READ = {"size": size, "pace": pace, "offset": offset_s, "dialect": dialect}


def printing(command: argparse.ArgumentParser, *names: str) -> None:
    """Those options, or all of them."""
    for name in names or OPTIONS:
        _add(command, OPTIONS[name])


def _add(command: argparse.ArgumentParser, option: Option) -> None:
    more: dict[str, Any] = {"help": tr(option.help)}
    if isinstance(option.usual, bool):
        more["action"] = "store_true"
    else:
        more["default"] = option.usual
        if option.choices:
            more["choices"] = option.choices
        else:
            more |= {"metavar": option.metavar, "type": _READ.get(option.name, str)}
    command.add_argument(option.flag, **more)


def given(options: argparse.Namespace) -> dict[str, Any]:
    """What was given of the table's options, by name."""
    return {name: value for name, value in vars(options).items() if name in OPTIONS}


def look(options: argparse.Namespace) -> Look:
    """How pages are to look. Raises FileFormatError."""
    return look_of(given(options))


def shown(options: argparse.Namespace) -> str:
    """The version and the layer that are written, in words."""
    return shown_words(options.showing, Layer(options.layer))
