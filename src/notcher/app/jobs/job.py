"""Work that takes longer than a blink, off the interface thread, with progress and a way to stop it."""

import logging
import threading
from collections.abc import Callable
from typing import Any, Generic, TypeVar

from PyQt6 import sip
from PyQt6.QtCore import QObject, QThread, pyqtSignal

from notcher.app.shell.memory import give_back
from notcher.score.errors import NotcherError
from notcher.stopping import CancelledError, look_for_stop, stoppable
from notcher.wording import render_message, tr

log = logging.getLogger(__name__)

T = TypeVar("T")
_running: "set[Job[Any]]" = set()
Report = Callable[[str, float], None]
"""How far it is: what is being done, and the share of it that is over, 0 to 1."""
Work = Callable[[Report], T]
"""What a job does; it returns its result, and stops where `stopping.look_for_stop` says so."""


class Job(QThread, Generic[T]):
    """One piece of work; its work may emit `part` with what it knows already. Exactly one of done, failed and stopped
    comes at its end, on the interface thread; `on_done` takes the result with its type."""

    progress = pyqtSignal(str, float)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal()
    part = pyqtSignal(object)

    def __init__(self, work: Work[T], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work = work
        self._stop = threading.Event()
        self.finished.connect(lambda: _running.discard(self))
        self.error: NotcherError | None = None
        """Why it failed, where that can be said; set before `failed` comes."""

    def on_done(self, take: Callable[[T], None]) -> None:
        """Call this with the result, on the interface thread; not where whoever asked has gone meanwhile."""
        self.done.connect(lambda result: None if sip.isdeleted(self) else take(result))

    def on_failed(self, take: Callable[[str], object]) -> None:
        """Call this with the sentence on why it failed, as on_done."""
        self.failed.connect(lambda why: None if sip.isdeleted(self) else take(why))

    def begin(self) -> None:
        """Start its thread."""
        _running.add(self)
        self.start()

    def stop(self) -> None:
        """Ask it to stop at the next step."""
        self._stop.set()

    def _report(self, what: str, share: float) -> None:
        look_for_stop()
        self.progress.emit(what, share)

    def run(self) -> None:
        """The thread's body; called by Qt."""
        try:
            with stoppable(self._stop.is_set):
                result = self._work(self._report)
        except CancelledError:
            self.stopped.emit()
        except NotcherError as error:
            self.error = error
            self.failed.emit(render_message(error))
        except MemoryError:
            self.failed.emit(tr("there is not enough memory for this recording; cut out the solo first"))
        except Exception:
            log.exception("a job failed")
            self.failed.emit(tr("something went wrong inside Notcher; your work is untouched, and the log says more"))
        else:
            if self._stop.is_set():
                self.stopped.emit()
            else:
                self.done.emit(result)
        give_back()


def running() -> "tuple[Job[Any], ...]":
    """All jobs whose thread runs, wanted or not; asked on the interface's thread."""
    return tuple(job for job in _running if not sip.isdeleted(job) and job.isRunning())


def stop_all() -> None:
    """Ask every job to stop."""
    for job in running():
        job.stop()
