"""Quiet work beside the one task that is shown: of each kind only the newest result counts."""

from collections.abc import Callable
from typing import Generic

from PyQt6 import sip
from PyQt6.QtCore import QObject

from notcher.app.tasks.jobs import Job, T, Work


class Latest(Generic[T]):
    """Starts work of one kind; what an older one finds is no longer wanted. Threads are kept until they end."""

    def __init__(self, parent: QObject) -> None:
        self._parent = parent
        self._newest: Job[T] | None = None
        self._running: set[Job[T]] = set()
        self._over_for_good = False

    @property
    def running(self) -> bool:
        """Whether the newest is not over yet."""
        return self._newest is not None

    def start(self, work: Work[T], done: Callable[[T], None], failed: Callable[[str], None] | None = None) -> None:
        """Do it off the interface's thread."""
        if self._over_for_good:
            return
        if self._newest is not None:
            self._newest.stop()
        job: Job[T] = Job(work, self._parent)
        self._newest = job
        self._running.add(job)
        job.on_done(lambda result: done(result) if self._newest is job else None)
        if failed is not None:
            job.failed.connect(lambda why: failed(why) if self._newest is job else None)
        job.finished.connect(lambda: self._over(job))
        job.start()

    def forget(self) -> None:
        """What is under way is no longer wanted."""
        if self._newest is not None:
            self._newest.stop()
            self._newest = None

    def _over(self, job: Job[T]) -> None:
        if self._newest is job:
            self._newest = None
        self._running.discard(job)
        if not sip.isdeleted(job):
            job.deleteLater()

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes; nothing is started any more."""
        self._over_for_good = True
        self.forget()
        for job in list(self._running):
            job.wait(10000)
