"""The recording that a project is about: found where it is said to be, or elsewhere, and heard from then on."""

from dataclasses import dataclass, replace
from pathlib import Path

from notcher.app.jobs.job import Report
from notcher.app.jobs.runner import Runner
from notcher.audio.peaks import Peaks
from notcher.audio.recording import Audio
from notcher.formats.recordings import Found, State, find_recording, is_recording
from notcher.score.project import Project, Recording
from notcher.stopping import apart
from notcher.wording import later, render_message, tr

_WITHOUT_RECORDING = later("a written score, without a recording")


@dataclass(frozen=True)
class Sound:
    """A decoded recording, its waveform to draw, and how a project refers to it."""

    audio: Audio
    peaks: Peaks
    recording: Recording | None = None


class RecordingTask:
    """Looks for the recording, asks where it is, and gives it to the transport."""

    def __init__(self, runner: Runner) -> None:
        self._runner, self._desk, self._messages = runner, runner.desk, runner.messages

    def find(self) -> None:
        session = self._desk.session
        project, anchor = session.project, session.path or Path.cwd() / "unsaved"
        if not project.recording.path:
            self.do_without()
            return

        def work(report: Report) -> tuple[Found, Sound | None]:
            found = find_recording(project, anchor)
            if found.is_it and found.path is not None:
                return found, decoded(found.path, report)
            return found, None

        def done(result: tuple[Found, Sound | None]) -> None:
            found, sound = result
            if sound is None:
                self._recording_not_here(found)
                return
            if found.state is State.MOVED and found.path is not None:
                self._refer_to(found.path)
                self._desk.said.emit(tr("the recording had moved; it was found as '{path}'", path=found.path))
            self.take(sound)

        def failed(why: str) -> None:
            self._desk.recording_state = why
            self._desk.transport.set_audio(None, None)
            self._desk.said.emit(tr("{why}; the written tab can be heard without it", why=why))

        self._runner.run(tr("Reading the recording"), work, done, failed=failed)

    def do_without(self) -> None:
        """The project is a written score only: its tab can be heard, and nothing is missing."""
        self._desk.recording_state = tr(_WITHOUT_RECORDING)
        self._desk.transport.set_audio(None, None)

    def _recording_not_here(self, found: Found) -> None:
        name = found.path.name if found.path else self._desk.session.project.recording.path
        self._desk.transport.set_audio(None, None)
        if found.state is State.DIFFERENT and found.path is not None:
            path = found.path
            self._desk.recording_state = tr("'{name}' is another recording than the one that was measured", name=name)
            self._messages.say(
                tr(
                    "'{name}' is not the recording this project was measured from: its content is different.", name=name
                ),
                (tr("Find the right one …"), self._ask_recording),
                (tr("Use it all the same"), lambda: self._use_recording(path, any_content=True)),
            )
        else:
            self._desk.recording_state = tr("the recording '{name}' is missing", name=name)
            self._messages.say(
                tr(
                    "The recording '{name}' is not where it was ('{path}'). The notes are all here; find the "
                    "recording to hear it.",
                    name=name,
                    path=found.path,
                ),
                (tr("Find it …"), self._ask_recording),
                (tr("Go on without it"), lambda: None),
            )
        self._desk.transport.changed.emit()

    def _ask_recording(self) -> None:
        path = self._runner.ask.open_file(
            tr("Where is '{name}' now?", name=Path(self._desk.session.project.recording.path).name)
        )
        if path is None:
            self._recording_not_here(Found(State.MISSING, Path(self._desk.session.project.recording.path)))
        else:
            self._use_recording(path, any_content=False)

    def _use_recording(self, path: Path, *, any_content: bool) -> None:
        wanted = self._desk.session.project.recording

        def work(report: Report) -> tuple[bool, Sound | None]:
            from notcher.audio.recording import AudioError

            if not path.is_file():
                raise AudioError("there is no file '{path}'; choose another", path=path)
            same = is_recording(path, wanted)
            return same, decoded(path, report) if same or any_content else None

        def done(result: tuple[bool, Sound | None]) -> None:
            same, sound = result
            if sound is None:
                self._recording_not_here(Found(State.DIFFERENT, path))
                return
            self._refer_to(path, sound.recording if not same else None)
            self.take(sound)

        self._runner.run(tr("Reading the recording"), work, done)

    def _refer_to(self, path: Path, described: Recording | None = None) -> None:
        def change(project: Project) -> Project:
            recording = described or replace(project.recording, path=str(path.resolve()))
            return replace(project, recording=recording)

        self._desk.session.edit(tr("Where the recording is"), change)

    def take(self, sound: Sound) -> None:
        """Hear a recording from now on."""
        self._desk.recording_state = ""
        self._desk.transport.set_audio(sound.audio, sound.peaks)
        if sound.audio.warnings:
            self._desk.said.emit("; ".join(render_message(w) for w in sound.audio.warnings))


def decoded(path: Path, report: Report) -> Sound:
    """Read a recording, for use in a job."""
    from notcher.audio.decode import load
    from notcher.pipeline.transcribe import describe

    audio = load(path, progress=lambda share: report(tr("Reading the recording"), share))
    recording = describe(path.resolve(), audio)
    return Sound(audio, apart(lambda: Peaks(audio)), recording)
