"""The command line: `notcher` and its commands, each in the module of its kind."""

import argparse
import io
import logging
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from notcher import __version__
from notcher.cli import handing, measuring, packets
from notcher.cli.running import complain, interruptible
from notcher.score.errors import NotcherError
from notcher.stopping import CancelledError, left_apart
from notcher.wording import render_message, system_language, tr, use
from notcher.wording.parser import speak_for_argparse

_ADD: dict[str, Callable[[Any], None]] = {
    "demo": lambda commands: _add_demo(commands),
    "transcribe": measuring.add_transcribe,
    "read": measuring.add_read,
    "place": measuring.add_place,
    "slow": measuring.add_slow,
    "isolate": measuring.add_isolate,
    "check": measuring.add_check,
    "export": handing.add_export,
    "backing": handing.add_backing,
    "practice": handing.add_practice,
    "strip": handing.add_strip,
    "film": handing.add_film,
    "lesson": handing.add_lesson,
    "packet": packets.add_packet,
}
"""The commands, in the order in which they are told of."""


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit status: 0 done, 1 could not be done, 2 wrong usage."""
    args = list(sys.argv[1:] if argv is None else argv)
    use(system_language())
    speak_for_argparse()
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    # A file's name may hold bytes that are no text.
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")
    try:
        if not args or (args[0] not in _ADD and not args[0].startswith("-")):
            return _window(Path(args[0]) if args else None, args[1:])
        options = _parser().parse_args(args)
        run: Callable[[argparse.Namespace], int | None] = options.run
        if run is _demo:
            # Qt must have the main thread.
            return _demo(options)
        return interruptible(lambda: run(options)) or 0
    except NotcherError as error:
        complain(render_message(error))
        return 1
    except (KeyboardInterrupt, CancelledError):
        complain(tr("stopped"))
        return 1
    except MemoryError:
        complain(tr("not enough memory for this recording; cut out the solo first"))
        return 1


def entry() -> None:
    """The program: runs a command and ends the process, at once where work that was stopped still runs by itself."""
    status = main()
    if left_apart():
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)
    sys.exit(status)


class _Exact(argparse.ArgumentParser):
    """Takes options by their whole names alone, so that a new one takes nothing away from scripts."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **(options | {"allow_abbrev": False}))


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="notcher",
        description=tr(
            "Measured guitar tablature from a recording. Without a command: opens the window, on FILE if one is named "
            "(a project or a recording)."
        ),
    )
    parser.add_argument(
        "--version",
        action="version",
        version=f"notcher {__version__}",
        help=tr("show program's version number and exit"),
    )
    commands = parser.add_subparsers(required=True, metavar="COMMAND", parser_class=_Exact)
    for add in _ADD.values():
        add(commands)
    return parser


def _add_demo(commands: Any) -> None:
    demo = commands.add_parser("demo", help=tr("open the window on the demo project, in a copy of its own"))
    demo.set_defaults(run=_demo)


def _window(path: Path | None, rest: Sequence[str]) -> int:
    if rest:
        complain(tr("'{rest}' is too much; open one file, or see notcher --help", rest=rest[0]))
        return 2
    from notcher.app.shell.start import run_window

    return int(run_window(path))


def _demo(_: argparse.Namespace) -> int:
    from notcher.app.shell.start import run_window
    from notcher.demo_copy import demo_project

    return int(run_window(demo_project()))
