"""Adding a note where a person points at: the program listens there, and writes what it hears."""

from collections import deque
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Job, Report
from notcher.app.state.session import Session
from notcher.app.state.transport import Transport
from notcher.score.project import Project
from notcher.wording import tr
from notcher.wording.numbers import clock

if TYPE_CHECKING:
    from notcher.listen.candidates.heard_note import HeardNote


class Pointing(QObject):
    """Listens at one place after the other, so that one may point along while it plays."""

    said = pyqtSignal(str)

    def __init__(self, session: Session, transport: Transport, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._transport = session, transport
        self._waiting: deque[float] = deque()
        self._job: Job[HeardNote | None] | None = None
        session.opened.connect(self._waiting.clear)

    @property
    def busy(self) -> bool:
        """Whether it still listens."""
        return self._job is not None or bool(self._waiting)

    def add(self, at: float) -> None:
        """Write what is heard at a time in seconds and not written yet."""
        self._waiting.append(at)
        self._next()

    @property
    def idle(self) -> bool:
        """Whether nothing is being listened to."""
        return self._job is None and not self._waiting

    def wait(self) -> None:
        """Wait until no thread runs."""
        self._waiting.clear()
        if self._job is not None:
            self._job.stop()
            self._job.wait()

    def _next(self) -> None:
        audio = self._transport.audio
        if self._job is not None or not self._waiting or audio is None:
            return
        at, project = self._waiting.popleft(), self._session.project
        known = project.pitches_at(at)
        offset = project.offset_cents if project.contour is not None else None

        def work(_: Report) -> "HeardNote | None":
            from notcher.pipeline.point import heard_here

            return heard_here(
                audio, project.lead, at, known=known, offset_cents=offset, lowest=min(project.tuning.open_pitches)
            )

        job: Job[HeardNote | None] = Job(work, self)
        self._job = job
        job.on_done(lambda heard: self._take(heard, at))
        job.failed.connect(self.said)
        job.finished.connect(self._over)
        job.begin()

    def _over(self) -> None:
        if self._job is not None:
            self._job.deleteLater()
        self._job = None
        if self._session.is_open:
            self._next()

    def _take(self, heard: "HeardNote | None", at: float) -> None:
        from notcher.pipeline.place_heard import placed_among

        if not self._session.is_open:
            return
        if heard is None:
            self.said.emit(
                tr(
                    "nothing is heard at {clock} that is not written; double-click a string to write it there",
                    clock=clock(at),
                )
            )
            return

        def change(project: Project) -> Project:
            return project.with_notes([*project.notes, placed_among(project, heard)])

        before = {n.id for n in self._session.project.notes}
        if self._session.edit(tr("Add what is heard"), change):
            self._session.select(frozenset(n.id for n in self._session.project.notes if n.id not in before))
