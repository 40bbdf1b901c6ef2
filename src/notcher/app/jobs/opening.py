"""Opening what a person works on: a project, a recording, a score, or what a killed program left behind."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Report
from notcher.app.jobs.measuring import Measuring
from notcher.app.jobs.recording import RecordingTask, Sound, decoded
from notcher.app.jobs.runner import Runner
from notcher.app.jobs.saving import Saving
from notcher.app.jobs.scores import Scores
from notcher.app.rooms.ids import NOTCH, SOURCE
from notcher.document.lock import InUseError
from notcher.document.recovery import LeftBehind, left_of
from notcher.document.store import Document, open_document, open_to_look
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.open_score import is_score
from notcher.score.errors import NotcherError
from notcher.score.project import Project, Request
from notcher.wording import render_message, tr, trn


@dataclass(frozen=True)
class _Opened:
    """document: None where the file could not be read, for the reason why, and left has its edits. left: what killed
    sessions left of it, the newest first."""

    document: Document | None
    left: tuple[LeftBehind, ...] = ()
    why: str = ""


class Opening(QObject):
    """shown: something else is open now, and on screen."""

    shown = pyqtSignal()

    def __init__(self, runner: Runner, recording: RecordingTask, measuring: Measuring, saving: Saving) -> None:
        super().__init__(runner)
        self._runner, self._desk, self._messages = runner, runner.desk, runner.messages
        self._recording, self._measuring, self._saving = recording, measuring, saving
        self._scores = Scores(runner, recording)
        self._scores.opened.connect(self.shown)

    @property
    def scores(self) -> Scores:
        """Scores from elsewhere."""
        return self._scores

    def ask_and_open(self) -> None:
        """Let the person choose a file."""
        path = self._runner.ask.open_file(tr("Open a recording, project or score"))
        if path is not None:
            self.open(path)

    def open(self, path: Path) -> None:
        """Open a project or a recording; what is not saved is asked about first."""
        self._when_saved(lambda: self._open(path))

    def open_demo(self) -> None:
        """Open the demo, in a copy of its own."""
        from notcher.demo_copy import demo_project

        try:
            self.open(demo_project())
        except NotcherError as error:
            self._desk.said.emit(render_message(error))

    def _when_saved(self, then: Callable[[], None]) -> None:
        if not self._desk.session.is_dirty:
            then()
            return

        def discard() -> None:
            self._desk.session.let_go()
            then()

        def save() -> None:
            if self._saving.save():
                then()

        self._messages.say(
            tr("'{name}' has changes that are not saved.", name=self._saving.name),
            (tr("Save them"), save),
            (tr("Let them go"), discard),
        )

    def _open(self, path: Path) -> None:
        self._messages.clear()
        if path.suffix.lower() == project_file.SUFFIX:
            self._open_project(path)
        elif is_score(path):
            self._scores.open(path)
        else:
            self._open_recording(path)

    def _open_project(self, path: Path, *, recover: bool = True) -> None:
        session = self._desk.session
        if session.path is not None and session.path.resolve() == path.resolve():
            session.document.release()

        def work(_: Report) -> _Opened:
            left = tuple(left_of(path)) if recover else ()
            try:
                return _Opened(open_document(path), left)
            except InUseError:
                return _Opened(open_to_look(path))
            except FileFormatError as error:
                if not left:
                    raise
                # The file is damaged or gone, and its edits are not.
                return _Opened(None, left, render_message(error))

        def done(result: _Opened) -> None:
            if result.left:
                if result.document is not None:
                    result.document.close()
                self._recover(result.left[0])
                if result.why:
                    self._desk.said.emit(result.why)
            elif result.document is not None:
                self._start(result.document)

        self._runner.run(tr("Opening {name}", name=path.name), work, done)

    def _start(self, document: Document) -> None:
        session = self._desk.session
        self._desk.recording_state = tr("looking for the recording")
        session.take(document)
        if document.looking and document.path is not None:
            self._messages.say(
                tr(
                    "'{name}' is open for editing in another Notcher. Here it can be looked at, heard and handed out.",
                    name=document.path.name,
                ),
                (tr("Work on a copy"), self.work_on_a_copy),
                (tr("Look only"), lambda: None),
            )
        self._desk.show_room(NOTCH if session.project.notes else SOURCE)
        self.shown.emit()
        self._recording.find()

    def _recover(self, left: LeftBehind) -> None:
        try:
            document = left.recover()
        except FileFormatError as error:
            self._desk.said.emit(render_message(error))
            return
        path, n = document.path, left.recovered.edits
        self._start(document)
        what = trn("{n} edit made before Notcher was last stopped", "{n} edits made before Notcher was last stopped", n)
        if path is not None:
            self._messages.say(
                tr("{what} in '{name}' came back. Save to keep them.", what=what, name=path.name),
                (tr("Keep them"), lambda: None),
                (tr("Go back to the file as saved"), lambda: self._back_to_saved(path)),
            )
        else:
            self._messages.say(
                tr("Work that was never saved came back ({what}).", what=what), (tr("Save it …"), self._saving.save_as)
            )

    def _back_to_saved(self, path: Path) -> None:
        self._desk.session.let_go()
        self._open_project(path, recover=False)

    def work_on_a_copy(self) -> None:
        """Go on with what is open as a project of its own, which has no file yet."""
        session = self._desk.session
        project, path = session.project, session.path
        place = Path(project.recording.path)
        if path is not None and project.recording.path and not place.is_absolute():
            project = replace(project, recording=replace(project.recording, path=str((path.parent / place).resolve())))
        at = self._desk.transport.position
        self._saving.copied_from = path
        session.start(project, None, unsaved=True)
        self._desk.transport.seek(at)
        self._desk.said.emit(tr("this is a copy now, with no file yet; save it under a name of its own"))

    def recover_unsaved(self) -> bool:
        """Bring back work of a killed program that had no file yet; whether there was any."""
        left = left_of(None)
        if not left:
            return False
        self._recover(left[0])
        return True

    def _open_recording(self, path: Path) -> None:
        def done(result: Sound) -> None:
            from notcher.pipeline.transcribe import title_of

            assert result.recording is not None
            project = Project(result.recording, playing=self._desk.session.usual, request=Request(title=title_of(path)))
            self._desk.session.start(project, None, unsaved=True)
            self._desk.show_room(SOURCE)
            self._recording.take(result)
            self.shown.emit()
            self._measuring.measure(None)

        self._runner.run(tr("Reading {name}", name=path.name), lambda report: decoded(path, report), done)
