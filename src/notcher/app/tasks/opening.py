"""Opening, finding recordings, measuring and saving: everything that goes between files and the desk."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.desk import Desk
from notcher.app.session import Session
from notcher.app.shell.messages import MessageBar
from notcher.app.shell.work_bar import WorkBar
from notcher.app.tasks.jobs import Job, Work
from notcher.audio.peaks import Peaks
from notcher.audio.recording import Audio
from notcher.document.lock import InUseError
from notcher.document.recovery import LeftBehind, left_of
from notcher.document.store import ChangedOnDiskError, Document, open_document, open_to_look
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.open_score import is_score
from notcher.formats.project_file import Found
from notcher.listen.listener import Heard
from notcher.score.compare import with_state_of
from notcher.score.errors import NotcherError
from notcher.score.note import Note
from notcher.score.project import Phrase, Project, Recording, Request
from notcher.score.tempo import TempoMap

_WITHOUT_RECORDING = "a written score, without a recording"
AskOpen = Callable[[str], Path | None]
AskSave = Callable[[str, str, str], Path | None]


@dataclass(frozen=True)
class _Opened:
    """document: None where the file could not be read, for the reason why, and left has its edits. left: what killed
    sessions left of it, the newest first."""

    document: Document | None
    left: tuple[LeftBehind, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class Sound:
    """A decoded recording, its waveform to draw, and how a project refers to it."""

    audio: Audio
    peaks: Peaks
    recording: Recording | None = None


class Opening(QObject):
    """Runs one piece of work at a time; a new one stops the old. settled: nothing is under way any more."""

    settled = pyqtSignal()
    shown = pyqtSignal()
    compare_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, messages: MessageBar, work_bar: WorkBar, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk, self._messages, self._bar = desk, messages, work_bar
        self._job: Job | None = None
        self._jobs: set[Job] = set()
        self._measurings = 0
        self._copied_from: Path | None = None
        self.ask_open: AskOpen = lambda _title: None
        self.open_score: Callable[[Path], None] = lambda _path: None
        self.ask_save: AskSave = lambda _title, _suggestion, _filter: None

    @property
    def busy(self) -> bool:
        """Whether something is under way."""
        return self._job is not None

    # -- jobs ----------------------------------------------------------------------------------------------------

    def run(self, what: str, work: Work, done: Callable[[object], None], *, stopped: str = "",
             failed: Callable[[str], None] | None = None) -> Job:  # fmt: skip
        """Do a piece of work off the interface's thread, with a bar that shows it; what was under way is stopped."""
        self.stop()
        job = Job(work, self)
        self._job = job
        self._jobs.add(job)
        self._bar.begin(what, job.stop)
        job.progress.connect(lambda name, share: self._bar.update_progress(name, share) if self._job is job else None)

        def end(then: Callable[[], None]) -> None:
            if self._job is not job:
                return
            self._job = None
            self._bar.end()
            then()
            if self._job is None:
                self.settled.emit()

        job.done.connect(lambda result: end(lambda: done(result)))
        job.failed.connect(lambda why: end(lambda: (failed or self._desk.said.emit)(why)))
        job.stopped.connect(lambda: end(lambda: self._desk.said.emit(stopped) if stopped else None))
        job.finished.connect(lambda: self._jobs.discard(job))
        job.start()
        return job

    def stop(self) -> None:
        """Stop what is under way; its result is not used."""
        if self._job is not None:
            self._job.stop()
            self._job = None
            self._bar.end()

    def wait(self) -> None:
        """Stop, and wait until every thread has ended."""
        self.stop()
        for job in list(self._jobs):
            job.wait(20000)

    # -- opening -------------------------------------------------------------------------------------------------

    def ask_and_open(self) -> None:
        """Let the person choose a file."""
        path = self.ask_open("Open a recording, project or score")
        if path is not None:
            self.open(path)

    def open(self, path: Path) -> None:
        """Open a project or a recording; what is not saved is asked about first."""
        self._when_saved(lambda: self._open(path))

    def _when_saved(self, then: Callable[[], None]) -> None:
        if not self._desk.session.is_dirty:
            then()
            return

        def discard() -> None:
            self._desk.session.let_go()
            then()

        def save() -> None:
            if self.save():
                then()

        self._messages.say(
            f"'{self.name}' has changes that are not saved.", ("Save them", save), ("Let them go", discard)
        )

    @property
    def name(self) -> str:
        """What the project is called on screen."""
        session = self._desk.session
        if session.path is not None:
            return session.path.stem
        return (session.project.request.title if session.is_open else "") or "Untitled"

    def _open(self, path: Path) -> None:
        self._messages.clear()
        if path.suffix.lower() == project_file.SUFFIX:
            self._open_project(path)
        elif is_score(path):
            self.open_score(path)
        else:
            self._open_recording(path)

    def _open_project(self, path: Path, *, recover: bool = True) -> None:
        session = self._desk.session
        if session.path is not None and session.path.resolve() == path.resolve():
            session.document.release()

        def work(progress: object, stop: object) -> _Opened:
            left = tuple(left_of(path)) if recover else ()
            try:
                return _Opened(open_document(path), left)
            except InUseError:
                return _Opened(open_to_look(path))
            except FileFormatError as error:
                if not left:
                    raise
                # The file is damaged or gone, and its edits are not.
                return _Opened(None, left, str(error))

        def done(result: object) -> None:
            assert isinstance(result, _Opened)
            if result.left:
                if result.document is not None:
                    result.document.close()
                self._recover(result.left[0])
                if result.why:
                    self._desk.said.emit(result.why)
            elif result.document is not None:
                self._start(result.document)

        self.run(f"Opening {path.name}", work, done)

    def _start(self, document: Document) -> None:
        session = self._desk.session
        self._desk.recording_state = "looking for the recording"
        session.take(document)
        if document.looking and document.path is not None:
            self._messages.say(
                f"'{document.path.name}' is open for editing in another Notcher. Here it can be looked at, heard and "
                "handed out.",
                ("Work on a copy", self.work_on_a_copy),
                ("Look only", lambda: None),
            )
        self._desk.show_room("Notch" if session.project.notes else "Source")
        self.shown.emit()
        self._find_recording()

    def _recover(self, left: LeftBehind) -> None:
        try:
            document = left.recover()
        except FileFormatError as error:
            self._desk.said.emit(str(error))
            return
        path, n = document.path, left.recovered.edits
        self._start(document)
        what = f"{n} edit{'' if n == 1 else 's'} made before Notcher was last stopped"
        if path is not None:
            self._messages.say(
                f"{what} in '{path.name}' came back. Save to keep them.",
                ("Keep them", lambda: None),
                ("Go back to the file as saved", lambda: self._back_to_saved(path)),
            )
        else:
            self._messages.say(f"Work that was never saved came back ({what}).", ("Save it …", self.save_as))

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
        self._copied_from = path
        session.start(project, None, unsaved=True)
        self._desk.transport.seek(at)
        self._desk.said.emit("this is a copy now, with no file yet; save it under a name of its own")

    def recover_unsaved(self) -> bool:
        """Bring back work of a killed program that had no file yet; whether there was any."""
        left = left_of(None)
        if not left:
            return False
        self._recover(left[0])
        return True

    # -- the recording -------------------------------------------------------------------------------------------

    def _find_recording(self) -> None:
        session = self._desk.session
        project, anchor = session.project, session.path or Path.cwd() / "unsaved"
        if not project.recording.path:
            self.without_recording()
            return

        def work(progress: object, stop: object) -> tuple[Found, Sound | None]:
            found = project_file.find_recording(project, anchor)
            if found.state in ("here", "moved") and found.path is not None:
                return found, decoded(found.path, progress)
            return found, None

        def done(result: object) -> None:
            assert isinstance(result, tuple)
            found, sound = result
            if sound is None:
                self._recording_not_here(found)
                return
            if found.state == "moved":
                self._refer_to(found.path)
                self._desk.said.emit(f"the recording had moved; it was found as '{found.path}'")
            self.take_sound(sound)

        def failed(why: str) -> None:
            self._desk.recording_state = why
            self._desk.transport.set_audio(None, None)
            self._desk.said.emit(f"{why}; the written tab can be heard without it")

        self.run("Reading the recording", work, done, failed=failed)

    def without_recording(self) -> None:
        """The project is a written score only: its tab can be heard, and nothing is missing."""
        self._desk.recording_state = _WITHOUT_RECORDING
        self._desk.transport.set_audio(None, None)

    def _recording_not_here(self, found: Found) -> None:
        name = found.path.name if found.path else self._desk.session.project.recording.path
        self._desk.transport.set_audio(None, None)
        if found.state == "different" and found.path is not None:
            path = found.path
            self._desk.recording_state = f"'{name}' is another recording than the one that was measured"
            self._messages.say(
                f"'{name}' is not the recording this project was measured from: its content is different.",
                ("Find the right one …", self._ask_recording),
                ("Use it all the same", lambda: self._use_recording(path, any_content=True)),
            )
        else:
            self._desk.recording_state = f"the recording '{name}' is missing"
            self._messages.say(
                f"The recording '{name}' is not where it was ('{found.path}'). The notes are all here; find the "
                "recording to hear it.",
                ("Find it …", self._ask_recording),
                ("Go on without it", lambda: None),
            )
        self._desk.transport.changed.emit()

    def _ask_recording(self) -> None:
        path = self.ask_open(f"Where is '{Path(self._desk.session.project.recording.path).name}' now?")
        if path is None:
            self._recording_not_here(Found("missing", Path(self._desk.session.project.recording.path)))
        else:
            self._use_recording(path, any_content=False)

    def _use_recording(self, path: Path, *, any_content: bool) -> None:
        wanted = self._desk.session.project.recording.sha256

        def work(progress: object, stop: object) -> tuple[bool, Sound | None]:
            from notcher.audio.decode import file_hash
            from notcher.audio.recording import AudioError

            if not path.is_file():
                raise AudioError(f"there is no file '{path}'; choose another")
            same = file_hash(path) == wanted
            return same, decoded(path, progress) if same or any_content else None

        def done(result: object) -> None:
            assert isinstance(result, tuple)
            same, sound = result
            if sound is None:
                self._recording_not_here(Found("different", path))
                return
            self._refer_to(path, sound.recording if not same else None)
            self.take_sound(sound)

        self.run("Reading the recording", work, done)

    def _refer_to(self, path: Path, described: Recording | None = None) -> None:
        def change(project: Project) -> Project:
            recording = described or replace(project.recording, path=str(path.resolve()))
            return replace(project, recording=recording)

        self._desk.session.edit("Where the recording is", change)

    def take_sound(self, sound: Sound) -> None:
        """Hear a recording from now on."""
        self._desk.recording_state = ""
        self._desk.transport.set_audio(sound.audio, sound.peaks)
        if sound.audio.warnings:
            self._desk.said.emit("; ".join(sound.audio.warnings))

    def _open_recording(self, path: Path) -> None:
        def done(result: object) -> None:
            from notcher.work import title_of

            assert isinstance(result, Sound)
            assert result.recording is not None
            project = Project(result.recording, request=Request(title=title_of(path)))
            self._desk.session.start(project, None, unsaved=True)
            self._desk.show_room("Source")
            self.take_sound(result)
            self.shown.emit()
            self.measure(None)

        self.run(f"Reading {path.name}", lambda progress, _: decoded(path, progress), done)

    # -- measuring -----------------------------------------------------------------------------------------------

    def measure(self, stretch: tuple[float, float] | None) -> None:
        """Measure all of the recording, or a stretch of it in seconds."""
        audio, session = self._desk.transport.audio, self._desk.session
        if audio is None:
            self._desk.said.emit("there is no recording to measure; open one first")
            return
        project = session.project
        start, end = stretch or (0.0, audio.duration)
        in_view = min(max(self._desk.axis.start, start), end)
        fresh = not project.notes
        self._measurings += 1
        merge = self._measurings

        def work(progress: Callable[[str, float], None], stop: Callable[[], bool]) -> object:
            from notcher.work import hear, placed_notes

            def part(heard: Heard, low: float, high: float) -> None:
                placed = placed_notes(heard.notes, project.tuning)
                if not stop():
                    job.part.emit((heard, placed, low, high))

            heard, trouble = hear(
                audio, project.recording.sha256, lead=project.lead, start=start, end=end, first=in_view, cancelled=stop,
                on_part=part if fresh else None, progress=lambda share: progress("Listening", 0.95 * share),
            )  # fmt: skip
            return heard, placed_notes(heard.notes, project.tuning), trouble

        def first_part(result: object) -> None:
            assert isinstance(result, tuple)
            heard, placed, low, high = result
            if self._job is job and session.project.tuning == project.tuning and session.project.lead == project.lead:
                self._take_heard(heard, placed, low, high, merge=merge, phrases=False)

        def done(result: object) -> None:
            assert isinstance(result, tuple)
            heard, placed, trouble = result
            if session.project.tuning != project.tuning:
                placed = None
            if session.project.lead != project.lead:
                # The isolation was changed meanwhile: what was heard is not what the person now wants measured.
                self.measure(stretch)
                return
            if not self._take_heard(heard, placed, start, end, merge=merge, phrases=True):
                self._desk.said.emit("measuring found nothing new")
            if fresh and session.project.notes:
                self._desk.phrase_id = session.project.phrases[0].id if session.project.phrases else ""
                first = session.project.notes[0].onset
                self._desk.axis.reveal_range(first - 0.5, first + self._desk.axis.span - 0.5)
            if trouble:
                self._desk.said.emit(trouble)
            if fresh and session.project.tempo is None:
                self.find_beats(quietly=True)

        job = self.run("Listening", work, done, stopped="measuring was stopped; what is written stays as it is")
        job.part.connect(first_part)

    def _take_heard(
        self, heard: Heard, placed: "list[Note] | None", start: float, end: float, *, merge: int, phrases: bool
    ) -> bool:
        from notcher.work import with_heard

        def change(p: Project) -> Project:
            # The first part was measured apart, for the eye; the whole measuring takes its place.
            after = with_heard(p, heard, start=start, end=end, placed=placed)
            return after if phrases else replace(after, phrases=p.phrases, lead=p.lead)

        return self._desk.session.edit("Measure", change, merge=merge, linked=False)

    def find_beats(self, *, quietly: bool = False) -> None:
        """Listen for beats and bars. quietly: say nothing where there are none."""
        audio, session = self._desk.transport.audio, self._desk.session
        if audio is None:
            self._desk.said.emit("there is no recording to listen to; open one first")
            return

        def work(progress: Callable[[str, float], None], stop: Callable[[], bool]) -> object:
            from notcher.listen.beats import guess_beats

            progress("Finding the beat", 0.3)
            return guess_beats(audio, cancelled=stop)

        def done(result: object) -> None:
            if result is None:
                if not quietly:
                    self._desk.said.emit("no steady beat is to be heard; tap along with T, or go on without one")
                return
            assert isinstance(result, TempoMap)
            session.edit("Find the beat", lambda p: p.with_tempo(result))

        self.run("Finding the beat", work, done, stopped="finding the beat was stopped")

    def find_repeats(self) -> None:
        """Look for phrases that come again; many phrases take a while."""
        from notcher.app.commands.versions import offer_repeats
        from notcher.score.alike import find_alike

        project = self._desk.session.project

        def done(found: object) -> None:
            assert isinstance(found, list)
            if self._desk.session.project.phrases == project.phrases:
                offer_repeats(self._desk, found)

        self.run("Comparing phrases", lambda _progress, stop: find_alike(project, cancelled=stop), done)

    # -- saving and exporting ------------------------------------------------------------------------------------

    def save(self) -> bool:
        """Write the project where it is kept; ask where, the first time. Whether it was written."""
        if not self._desk.session.is_open:
            self._desk.said.emit("there is nothing to save yet")
            return False
        if self._desk.session.path is None:
            return self.save_as()
        return self._save_to(self._desk.session.path)

    def save_as(self) -> bool:
        """Ask for a name, and write the project there."""
        if not self._desk.session.is_open:
            self._desk.said.emit("there is nothing to save yet")
            return False
        recording = Path(self._desk.session.project.recording.path)
        folder = recording.parent if recording.is_absolute() else Path.cwd()
        stem = recording.stem or self.name
        suggestion = self._desk.session.path or folder / f"{stem}{project_file.SUFFIX}"
        if self._copied_from is not None:
            suggestion = self._copied_from.with_name(f"{self._copied_from.stem} copy{project_file.SUFFIX}")
        path = self.ask_save("Save the project", str(suggestion), "Notcher project (*.notcher)")
        if path is None:
            return False
        whole = path if path.suffix == project_file.SUFFIX else path.with_name(path.name + project_file.SUFFIX)
        return self._save_to(whole)

    def _save_to(self, path: Path, *, over_changes: bool = False) -> bool:
        try:
            self._desk.session.save(path, over_changes=over_changes)
        except ChangedOnDiskError:
            self._ask_about_disk()
            return False
        except NotcherError as error:
            self._messages.say(f"{error}. Nothing is lost: your edits are kept.", ("Save elsewhere …", self.save_as))
            return False
        self._copied_from = None
        return True

    # -- a file that something else changed ----------------------------------------------------------------------

    def _ask_about_disk(self) -> None:
        """Read what lies on disk now, and let the person choose between it and what is open here."""
        document = self._desk.session.document

        def failed(why: str) -> None:
            self._messages.say(
                f"The file was changed by something else since it was opened here, and what lies there now cannot be "
                f"read: {why}.",
                ("Write mine over it", lambda: self._write_over(None)),
                ("Save mine elsewhere …", self.save_as),
            )

        def done(theirs: object) -> None:
            if isinstance(theirs, Project) and document is self._desk.session.document:
                self._offer(theirs)

        self.run("Reading what lies on disk", lambda _progress, _stop: document.on_disk(), done, failed=failed)

    def _offer(self, theirs: Project) -> None:
        path = self._desk.session.path
        name = path.name if path is not None else self.name
        self._messages.say(
            f"'{name}' was changed by something else since it was opened here. Nothing is written yet; whichever you "
            "take, the other stays as a state that the Hand out room compares with.",
            ("What differs", lambda: self._compare(theirs)),
            ("Write mine over it", lambda: self._write_over(theirs)),
            ("Take theirs", lambda: self._take_theirs(theirs)),
            ("Save mine elsewhere …", self.save_as),
        )

    def _compare(self, theirs: Project) -> None:
        name = kept_beside(self._desk.session, theirs, "on disk")
        self._desk.show_room("Hand out")
        self.compare_wanted.emit(name)
        self._offer(theirs)

    def _write_over(self, theirs: Project | None) -> None:
        path = self._desk.session.path
        if path is None:
            return
        if theirs is not None:
            kept_beside(self._desk.session, theirs, "on disk")
        if self._save_to(path, over_changes=True):
            self._desk.said.emit(f"yours was written as '{path.name}'")

    def _take_theirs(self, theirs: Project) -> None:
        session = self._desk.session
        mine = session.project
        session.document.saw_disk()
        # As one edit, so that undo brings one's own back.
        session.edit(
            "Take what is on disk", lambda _: with_state_of(theirs, mine, "before taking theirs"), linked=False
        )
        self._desk.said.emit("theirs is open now; undo brings yours back, and it is kept as a state")

    def export(self, kind: str, phrases: list[Phrase], project: Project) -> None:
        """Ask where, and write one kind of export of the project as it is handed out."""
        from notcher.app.rooms.handout.room import suggested_name
        from notcher.formats.export import BY_NAME, export

        session = self._desk.session
        folder = session.path.parent if session.path else Path.cwd()
        row = BY_NAME[kind]
        patterns = " ".join(f"*{ending}" for ending in row.endings)
        suggestion = suggested_name(session.project, folder, row.endings[0], phrases)
        path = self.ask_save("Write the file", suggestion, f"{row.label} ({patterns})")
        if path is None:
            return
        goal = path if path.suffix else path.with_name(path.name + row.endings[0])
        recording = Path(session.project.recording.path)
        inputs = [p for p in (session.path, recording if recording.is_absolute() else folder / recording) if p]

        def work(progress: object, stop: object) -> str:
            return export(project, goal, kind=kind, phrases=phrases, inputs=inputs)

        self.run(f"Writing {goal.name}", work, lambda _: self._desk.said.emit(f"written: {goal}"))


def kept_beside(session: Session, other: Project, what: str) -> str:
    """Keep another project's notes as a state of the one that is open, once; the state's name."""
    notes = other.notes
    known = next((s.name for s in session.project.states if s.notes == notes and s.phrases == other.phrases), "")
    if known:
        return known
    session.edit("Keep what is on disk as a state", lambda p: with_state_of(p, other, what), linked=False)
    return session.project.states[-1].name


def decoded(path: Path, progress: object) -> Sound:
    """Read a recording, for use in a job."""
    from notcher.audio.decode import load
    from notcher.work import describe

    report = progress if callable(progress) else None
    audio = load(path, progress=(lambda share: report("Reading the recording", share)) if report else None)
    recording = describe(path.resolve(), audio)
    return Sound(audio, Peaks(audio), recording)
