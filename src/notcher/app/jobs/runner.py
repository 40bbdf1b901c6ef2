"""Runs one piece of work at a time, with a bar that shows it; a new one stops the old, unless that writes a file."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Job, Report, T, Work
from notcher.app.shell.messages import MessageBar
from notcher.app.shell.work_bar import WorkBar
from notcher.app.state.desk import Desk
from notcher.formats.errors import ExistsError
from notcher.formats.outputs import Outputs
from notcher.wording import tr

if TYPE_CHECKING:
    from PyQt6.QtPrintSupport import QPrinter


@dataclass(slots=True)
class Ask:
    """How a file or a printer is asked for; the window puts its dialogs here. open_file, open_folder: (title);
    save_file: (title, suggested path, pattern of names); all give None where the person thought better of it."""

    open_file: Callable[[str], Path | None] = lambda _title: None
    save_file: Callable[[str, str, str], Path | None] = lambda _title, _suggestion, _pattern: None
    open_folder: Callable[[str], Path | None] = lambda _title: None
    printer: Callable[[], "QPrinter | None"] = lambda: None


class Runner(QObject):
    """What all tasks share: the desk, what is said, how files are asked for, and the one thing that is under way.
    settled: nothing is under way any more."""

    settled = pyqtSignal()

    def __init__(self, desk: Desk, messages: MessageBar, work_bar: WorkBar, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.desk, self.messages, self.ask = desk, messages, Ask()
        self._bar = work_bar
        self._job: QObject | None = None
        self._jobs: set[Job[Any]] = set()
        self._stop: Callable[[], None] = lambda: None
        self.what = ""
        """What is under way, in words."""
        self._writes = False

    @property
    def busy(self) -> bool:
        """Whether something is under way."""
        return self._job is not None

    def is_current(self, job: QObject) -> bool:
        """Whether a job's result is still wanted."""
        return self._job is job

    def run(
        self,
        what: str,
        work: Work[T],
        done: Callable[[T], None],
        *,
        stopped: str = "",
        failed: Callable[[str], None] | None = None,
    ) -> Job[T]:
        """Do a piece of work off the interface's thread. stopped: what is said where the person stops it; failed: what
        is done with the sentence on why it failed, else it is said."""
        job: Job[T] = Job(work, self)
        self._begin(what, job, done, stopped=stopped, failed=failed)
        return job

    def write(
        self, what: str, outputs: Outputs, work: Callable[[Outputs, Report], T], done: Callable[[T], None]
    ) -> None:  # fmt: skip
        """Write files for the person. Where one is there already, they are asked whether it may be replaced."""

        def failed(why: str) -> None:
            if not isinstance(job.error, ExistsError):
                self.desk.said.emit(why)
                return
            self.messages.say(
                tr("'{path}' is already there, so nothing was written.", path=job.error.path),
                (tr("Replace"), lambda: self.write(what, replace(outputs, replace=True), work, done)),
                (tr("Keep"), lambda: None),
            )

        job: Job[T] = Job(lambda report: work(outputs, report), self)
        self._begin(what, job, done, stopped=tr("stopped; nothing was written"), failed=failed, writes=True)

    def _begin(
        self, what: str, job: Job[T], done: Callable[[T], None], *, stopped: str,
        failed: Callable[[str], None] | None, writes: bool = False,
    ) -> None:  # fmt: skip
        if self._writes and self.busy:
            # What somebody waits for is not thrown away for a key pressed meanwhile. Whoever began this is told at once
            # that it does not run, however the question ends.
            if failed is not None:
                failed(tr("{what} was not begun", what=what))
            self.messages.say(
                tr("{what} is not finished yet.", what=self.what),
                (tr("Stop it"), lambda: self._begin_now(what, job, done, stopped, failed, writes)),
                (tr("Let it finish"), job.deleteLater),
            )
            return
        self._begin_now(what, job, done, stopped, failed, writes)

    def _begin_now(
        self, what: str, job: Job[T], done: Callable[[T], None], stopped: str,
        failed: Callable[[str], None] | None, writes: bool,
    ) -> None:  # fmt: skip
        self.stop()
        self._job, self._stop = job, job.stop
        self.what, self._writes = what, writes
        self._jobs.add(job)
        self._bar.begin(what, job.stop)
        job.progress.connect(lambda name, share: self._bar.update_progress(name, share) if self._job is job else None)

        def end(then: Callable[[], object]) -> None:
            if self._job is not job:
                return
            self._job = None
            self._bar.end()
            then()
            if self._job is None:
                self.settled.emit()

        job.on_done(lambda result: end(lambda: done(result)))
        job.on_failed(lambda why: end(lambda: (failed or self.desk.said.emit)(why)))
        job.stopped.connect(lambda: end(lambda: self.desk.said.emit(stopped) if stopped else None))
        job.finished.connect(lambda: self._over(job))
        job.begin()

    def _over(self, job: Job[T]) -> None:
        self._jobs.discard(job)
        if not sip.isdeleted(job):
            job.deleteLater()

    def stop(self) -> None:
        """Stop what is under way; its result is not used."""
        if self._job is not None:
            self._stop()
            self._job = None
            self._bar.end()

    def wait(self) -> None:
        """Stop, and wait until every thread has ended: a thread must not outlive its window."""
        self.stop()
        for job in list(self._jobs):
            job.wait()
