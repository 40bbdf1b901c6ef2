"""How a command runs: what it says, its progress, and that Ctrl+C stops it."""

import argparse
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from notcher.wording import tr, trn

if TYPE_CHECKING:
    from notcher.score.project import Project


T = TypeVar("T")
_PATIENCE_S = 5.0


def complain(text: str) -> None:
    """Say something on standard error."""
    print(f"notcher: {text}", file=sys.stderr)


def interruptible(work: Callable[[], T], stop: threading.Event | None = None) -> T:
    """Do something that lasts inside a library, and still stop at once at Ctrl+C. stop: what the work looks at now and
    then; it is given a moment to leave nothing half done."""
    results: list[T] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            results.append(work())
        except BaseException as error:
            errors.append(error)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    try:
        while thread.is_alive():
            thread.join(0.1)
    except KeyboardInterrupt:
        if stop is not None:
            stop.set()
            thread.join(_PATIENCE_S)
        raise
    if errors:
        raise errors[0]
    return results[0]


class Progress:
    """One line on a terminal, rewritten; silent where the output is no terminal."""

    def __init__(self) -> None:
        self._shown = sys.stderr.isatty()

    def __call__(self, what: str, share: float) -> None:
        if self._shown:
            print(f"\r{tr(what)} {share * 100:3.0f} %", end="", file=sys.stderr, flush=True)

    def done(self) -> None:
        if self._shown:
            print("\r" + " " * 30 + "\r", end="", file=sys.stderr, flush=True)


def check_project(options: argparse.Namespace, *inputs: Path) -> None:
    """Whether a project may be written where it was said. Raises FileFormatError."""
    from notcher.formats.atomic import check_output
    from notcher.formats.project_file import SUFFIX

    check_output(options.output, inputs=inputs, endings=(SUFFIX,), replace=options.replace)


def may_replace(command: argparse.ArgumentParser) -> None:
    """The option without which no project is replaced."""
    command.add_argument("--replace", action="store_true", help=tr("replace a project that is there already"))


def counts(project: "Project") -> str:
    """How many notes and phrases a project has, in words."""
    notes = trn("{n} note", "{n} notes", len(project.notes))
    return trn("{notes} in {n} phrase", "{notes} in {n} phrases", len(project.phrases), notes=notes)
