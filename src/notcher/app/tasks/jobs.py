"""Work that takes longer than a blink, off the interface thread, with progress and a way to stop it."""

import logging
import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from notcher.listen.listener import CancelledError
from notcher.score.errors import NotcherError
from notcher.wording import told, tr

log = logging.getLogger(__name__)

T = TypeVar("T")
Report = Callable[[str, float], None]
"""How far it is: what is being done, and the share of it that is over, 0 to 1."""
Stop = Callable[[], bool]
"""Whether to stop at the next step, by raising CancelledError."""
Work = Callable[[Report, Stop], T]
"""What a job does; it returns its result."""


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

    def on_done(self, take: Callable[[T], None]) -> None:
        """Call this with the result, on the interface thread."""
        self.done.connect(take)

    def stop(self) -> None:
        """Ask it to stop at the next step."""
        self._stop.set()

    def run(self) -> None:
        """The thread's body; called by Qt."""
        try:
            result = self._work(self.progress.emit, self._stop.is_set)
        except CancelledError:
            self.stopped.emit()
        except NotcherError as error:
            self.failed.emit(told(error))
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
