"""How a command runs: what it says, its progress, and that Ctrl+C stops it."""

import argparse
import contextlib
import signal
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from notcher.stopping import look_for_stop, stoppable
from notcher.wording import tr, trn

if TYPE_CHECKING:
    from notcher.formats.outputs import Outputs
    from notcher.score.project import Project


T = TypeVar("T")
_LOOK_S = 0.1


def complain(text: str) -> None:
    """Say something on standard error."""
    print(f"notcher: {text}", file=sys.stderr)


def interruptible(work: Callable[[], T]) -> T:
    """Do a command's work so that Ctrl+C and a request to end stop it at once, and nothing is left half done.

    Raises what the work raises; CancelledError where it was stopped.
    """
    stop = threading.Event()
    results: list[T] = []
    errors: list[BaseException] = []

    def run() -> None:
        try:
            with stoppable(stop.is_set):
                results.append(work())
        except BaseException as error:
            errors.append(error)

    thread = threading.Thread(target=run, name="notcher-work", daemon=True)
    thread.start()
    with _asked_to_end(stop):
        while thread.is_alive():
            thread.join(_LOOK_S)
    if errors:
        raise errors[0]
    return results[0]


@contextlib.contextmanager
def _asked_to_end(stop: threading.Event) -> Iterator[None]:
    """Ctrl+C and a request to end the process ask the work to stop, however often they come: what was begun is cleared
    away first, which takes a moment. Outside the main thread, where nobody can be asked, nothing does."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    # By handlers, not by KeyboardInterrupt: where that comes during a join, Python 3.11 takes the thread for ended.
    asks = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
    kept = {s: signal.signal(s, lambda *_: stop.set()) for s in asks}
    try:
        yield
    finally:
        for number, handler in kept.items():
            # Pressed once more while the process ends, it would cut off what is said.
            signal.signal(number, signal.SIG_IGN if stop.is_set() else handler)


class Progress:
    """One line on a terminal, rewritten; silent where the output is no terminal."""

    def __init__(self) -> None:
        self._shown = sys.stderr.isatty()

    def __call__(self, what: str, share: float) -> None:
        look_for_stop()
        if self._shown:
            print(f"\r{tr(what)} {share * 100:3.0f} %", end="", file=sys.stderr, flush=True)

    def done(self) -> None:
        if self._shown:
            print("\r" + " " * 30 + "\r", end="", file=sys.stderr, flush=True)


def may_replace(command: argparse.ArgumentParser) -> None:
    """The option without which no file is replaced: every command that writes has it."""
    command.add_argument("--replace", action="store_true", help=tr("replace files that are already there"))


def outputs_of(options: argparse.Namespace, *inputs: Path, source: Path | None = None) -> "Outputs":
    """What a command may write. inputs: what it is made from; source: the project that a folder's files are of."""
    from notcher.formats.outputs import Outputs

    return Outputs(tuple(inputs), replace=options.replace, source=str(source.resolve()) if source else "")


@contextlib.contextmanager
def project_output(options: argparse.Namespace, *inputs: Path) -> "Iterator[Callable[[Project], None]]":
    """What saves the project that a command makes; whether it may is looked at before the work begins. Raises
    FileFormatError, InUseError where the project that it would take the place of is open in a window."""
    from notcher.document.lock import claim
    from notcher.formats import project_file

    outputs, goal = outputs_of(options, *inputs), options.output
    outputs.check(goal, endings=(project_file.SUFFIX,))
    held = claim(goal)
    try:

        def save(project: "Project") -> None:
            project_file.save(project, goal, over=outputs.replace)

        yield save
    finally:
        held.release()


def counts(project: "Project") -> str:
    """How many notes and phrases a project has, in words."""
    notes = trn("{n} note", "{n} notes", len(project.notes))
    return trn("{notes} in {n} phrase", "{notes} in {n} phrases", len(project.phrases), notes=notes)
