"""The lead alone and all the rest, to be heard while the person works: at once by where the lead sits, and better by
its own pitches as soon as these are worked out."""

from dataclasses import replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.state.session import Session
from notcher.audio.lead import isolate_between
from notcher.audio.lines import lines_of_project
from notcher.audio.parted import BLOCK_S, Parted
from notcher.audio.recording import Audio, FloatArray
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.project import Project
from notcher.stopping import stop_asked

# Milliseconds an edit may be followed by another one before the lead's sound follows it.
_SETTLED_MS = 400


class LeadSound(QObject):
    """Asked for sound by the player's thread; parts blocks of the recording on another."""

    better = pyqtSignal()
    _wanted = pyqtSignal(float, float)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._audio: Audio | None = None
        self._parted: Parted | None = None
        self._made_of: Project | None = None
        self._last = (0.0, 0.0)
        self._place = Isolation()
        self._work: Latest[Parted] = Latest(self)
        self._edited = QTimer(self)
        self._edited.setSingleShot(True)
        self._edited.setInterval(_SETTLED_MS)
        self._edited.timeout.connect(self._follow_edit)
        session.project_changed.connect(self._edited.start)
        session.project_changed.connect(self._follow_place)
        self._wanted.connect(self._part)

    def set_audio(self, audio: Audio | None) -> None:
        """Another recording, or none."""
        self._work.forget()
        self._audio, self._parted, self._made_of = audio, None, None

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes."""
        self._edited.stop()
        self._work.wait()

    def ready(self, start: float, end: float) -> bool:
        """Whether that stretch is parted by the lead's own pitches."""
        made, now = self._made_of, self._session.project
        return self._parted is not None and made is not None and made.lead == now.lead and not self._parted.missing(
            start, end
        )  # fmt: skip

    def between(self, start: float, end: float, *, rest: bool) -> FloatArray:
        """The lead, or with `rest` all else, between two times in seconds: shape (channels, n). For any thread."""
        audio, made = self._audio, self._parted
        assert audio is not None
        self._last = (start, end)
        if made is not None and self.ready(start, end):
            return made.between(start, end, rest=rest)
        if self._session.project.notes:
            self._wanted.emit(start, end)
        return isolate_between(audio, start, end, _settled(self._session.project.lead), remove=rest)

    def _part(self, start: float, end: float) -> None:
        """Part what is wanted and what will be wanted next."""
        audio, made, before, project = self._audio, self._parted, self._made_of, self._session.project
        if audio is None or self._work.running:
            return

        def work(_: Report) -> Parted:
            isolation = _settled(project.lead)
            out = made
            if out is None:
                out = Parted(audio, lines_of_project(project, audio.duration), isolation)
            elif before is not project:
                out = out.following(lines_of_project(project, audio.duration), isolation)
            for number in out.missing(start, end + BLOCK_S):
                if stop_asked():
                    break
                out.prepare(number)
            return out

        def done(parted: Parted) -> None:
            self._parted, self._made_of = parted, project
            self.better.emit()

        self._work.start(work, done)

    def _follow_edit(self) -> None:
        made, project = self._made_of, self._session.project
        if made is not None and (
            made.notes != project.notes or made.lead != project.lead or made.contour is not project.contour
        ):
            self._part(*self._last)

    def _follow_place(self) -> None:
        """Where the lead sits is heard at once."""
        if self._session.project.lead != self._place:
            self._place = self._session.project.lead
            self.better.emit()


def _settled(lead: Isolation) -> Isolation:
    return replace(lead, stereo_position=StereoPosition.MIX) if lead.stereo_position is StereoPosition.AUTO else lead
