"""Quiet work beside the one task that is shown: of each kind only the newest result counts."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic

from PyQt6 import sip
from PyQt6.QtCore import QObject

from notcher.app.jobs.job import Job, T, Work


@dataclass(frozen=True, slots=True)
class _Wanted(Generic[T]):
    work: Work[T]
    done: Callable[[T], None]
    failed: Callable[[str], None] | None


class Latest(Generic[T]):
    """Does work of one kind, one piece at a time. What is asked for meanwhile waits, and only the newest of it is done:
    work that cannot be stopped halfway would otherwise pile up, each piece with a thread and memory of its own."""

    def __init__(self, parent: QObject) -> None:
        self._parent = parent
        self._job: Job[T] | None = None
        self._newest: _Wanted[T] | None = None
        self._over_for_good = False

    @property
    def running(self) -> bool:
        """Whether the newest is not over yet."""
        return self._newest is not None

    def start(self, work: Work[T], done: Callable[[T], None], failed: Callable[[str], None] | None = None) -> None:
        """Do it off the interface's thread, as soon as what is under way has ended."""
        if self._over_for_good:
            return
        self._newest = _Wanted(work, done, failed)
        if self._job is not None:
            self._job.stop()
        else:
            self._begin(self._newest)

    def forget(self) -> None:
        """What is under way is no longer wanted."""
        self._newest = None
        if self._job is not None:
            self._job.stop()

    def _begin(self, wanted: _Wanted[T]) -> None:
        self._job = job = Job(wanted.work, self._parent)
        job.on_done(lambda result: wanted.done(result) if self._newest is wanted else None)
        if wanted.failed is not None:
            failed = wanted.failed
            job.on_failed(lambda why: failed(why) if self._newest is wanted else None)
        job.finished.connect(lambda: self._over(job, wanted))
        job.begin()

    def _over(self, job: Job[T], wanted: _Wanted[T]) -> None:
        self._job = None
        if not sip.isdeleted(job):
            job.deleteLater()
        if self._newest is wanted:
            self._newest = None
        elif self._newest is not None and not self._over_for_good and not sip.isdeleted(self._parent):
            self._begin(self._newest)

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes; nothing is started any more."""
        self._over_for_good = True
        self.forget()
        if self._job is not None:
            self._job.wait()
