"""Options on how pages look, and which version and layer are written."""

import argparse
from typing import TYPE_CHECKING

from notcher.cli.values import size
from notcher.wording import tr

if TYPE_CHECKING:
    from notcher.formats.sheet.look import Look


def looks(command: argparse.ArgumentParser) -> None:
    """How pages look."""
    from notcher.formats.sheet.look import Rhythm
    from notcher.formats.sheet.shapes import PAPERS

    command.add_argument("--staff", action="store_true", help=tr("a standard staff over the tab"))
    command.add_argument("--rhythm", choices=tuple(Rhythm), default=None, help=tr("what of it stands under the tab"))
    command.add_argument("--paper", choices=tuple(PAPERS), default="a4")
    command.add_argument("--run-on", action="store_true", help=tr("phrases follow one another on a line"))
    command.add_argument("--size", type=size, default=100, metavar="PERCENT", help=tr("of all that is printed"))
    command.add_argument("--neck", action="store_true", help=tr("on pages: each phrase on the neck"))
    command.add_argument("--left-handed", action="store_true", help=tr("its nut on the right"))


def look(options: argparse.Namespace) -> "Look":
    """How pages are to look. Raises FileFormatError."""
    from notcher.formats.sheet.look import look_of

    return look_of(
        staff=options.staff, rhythm=options.rhythm, paper=options.paper, run_on=options.run_on, size=options.size,
        neck=options.neck, left_handed=options.left_handed,
    )  # fmt: skip


def layered(command: argparse.ArgumentParser) -> None:
    """The option for layers."""
    command.add_argument("--layer", choices=("notes", "legato", "bends", "all"), default="all",
                         help=tr("how much of each phrase is there"))  # fmt: skip


def shown(options: argparse.Namespace) -> str:
    """The version and the layer that are written, in words."""
    from notcher.teach.layers import Layer
    from notcher.wording.lesson import shown_words

    return shown_words(options.showing, Layer(options.layer))
