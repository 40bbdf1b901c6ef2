"""Starts the window, and keeps a record where something goes wrong inside it."""

import faulthandler
import logging
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

import platformdirs

from notcher.app.shell.screen import check_screen
from notcher.score.errors import NotcherError
from notcher.wording import tr

if TYPE_CHECKING:
    from notcher.app.shell.window import Window

log = logging.getLogger(__name__)

_ASKED_TO_END = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
"""Signals of a terminal or a session that ends."""


def run_window(path: Path | None, *, painted: Callable[[], None] | None = None) -> int:
    """Open the window, on a project or recording where one is named; returns the exit status when it is closed.

    painted: called once the first picture of what was opened is on screen (for measuring the start).
    Raises NotcherError where there is no screen.
    """
    check_screen()
    if path is not None and not path.exists():
        raise NotcherError("there is no file '{path}'; check the name", path=path)
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

    from notcher.app.shell.language import speak
    from notcher.app.shell.window import Window
    from notcher.app.state.settings import Settings
    from notcher.app.widgets.theme import load_fonts

    _keep_a_record()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName(tr("Notcher"))
    app.setStyle("Fusion")
    load_fonts()
    settings = Settings.load()
    qt_words = speak(app, settings)
    window = Window(settings)
    hook, sys.excepthook = sys.excepthook, lambda kind, error, trace: _on_error(window.messages.say, kind, error, trace)
    if painted is not None:
        window.tasks.opening.shown.connect(lambda: QTimer.singleShot(0, lambda: (window.repaint(), painted())))
    if path is not None:
        window.tasks.opening.open(path)
    else:
        window.tasks.opening.recover_unsaved()
    window.show()
    kept = {s: signal.signal(s, lambda *_: QTimer.singleShot(0, window.leave_at_once)) for s in _ASKED_TO_END}
    status = app.exec()
    take_down(window)
    # What goes wrong from here on has no window to say so.
    sys.excepthook = hook
    for number, handler in kept.items():
        signal.signal(number, handler)
    del qt_words
    return status


def take_down(window: "Window") -> None:
    """End what the window does and delete it while the application is there: left to Python, the two go in any order,
    and widgets that outlive their application bring the process down."""
    from PyQt6.QtCore import QCoreApplication, QEvent

    window.end_work()
    window.deleteLater()
    # Only a running event loop would delete it.
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


def log_path() -> Path:
    """Where the record of what went wrong is kept."""
    return Path(platformdirs.user_state_dir("notcher")) / "notcher.log"


def _keep_a_record() -> None:
    try:
        log_path().parent.mkdir(parents=True, exist_ok=True)
        handler = logging.FileHandler(log_path(), encoding="utf-8", delay=True)
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
        logging.getLogger().addHandler(handler)
        faulthandler.enable(log_path().open("a", encoding="utf-8"))
    except OSError as error:
        log.warning("no record can be kept: %s", error)


def _on_error(say: Callable[[str], None], kind: type[BaseException], error: BaseException,
              trace: TracebackType | None) -> None:  # fmt: skip
    """An error that nobody expected: write it down, say so, and go on. Every edit is in the journal already."""
    log.critical("unexpected error", exc_info=(kind, error, trace))
    say(
        tr("Something went wrong inside Notcher. Your edits are kept; the record is in {log_path}", log_path=log_path())
    )
