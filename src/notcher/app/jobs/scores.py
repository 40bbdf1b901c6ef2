"""Scores from elsewhere in the window: opened alone, lined up with a recording, or laid over the one that is open."""

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication

from notcher.app.jobs.job import Report
from notcher.app.jobs.recording import RecordingTask, Sound, decoded
from notcher.app.jobs.runner import Runner
from notcher.app.rooms.ids import NOTCH
from notcher.rhythm.lineup import LinedUp, line_up
from notcher.score.project import Project
from notcher.stopping import apart
from notcher.wording import tr, trn

if TYPE_CHECKING:
    from notcher.pipeline.import_score import ReadIn

_NAMED = 3


class Scores(QObject):
    """opened: a score was opened as a project of its own."""

    opened = pyqtSignal()

    def __init__(self, runner: Runner, recording: RecordingTask) -> None:
        super().__init__(runner)
        self._runner, self._desk, self._messages = runner, runner.desk, runner.messages
        self._recording = recording

    def open(self, path: Path, part: str = "") -> None:
        """Open a MusicXML, MIDI or text tab file as a project without a recording."""

        def work(_: Report) -> "ReadIn":
            from notcher.pipeline.import_score import read_in

            return read_in(path, part=part)

        def done(result: "ReadIn") -> None:
            session = self._desk.session
            session.start(replace(result.project, playing=session.usual), None, unsaved=True)
            self._recording.do_without()
            self._desk.show_room(NOTCH)
            choices = [
                (tr("Line it up with a recording …"), self.ask_and_line_up),
                (tr("Go on without one"), lambda: None),
            ]
            choices += [
                (tr("Read '{other}' instead", other=other), lambda other=other: self.open(path, other))  # type: ignore[misc]
                for other in result.parts[:_NAMED]
            ]
            if len(result.skipped) > _NAMED:
                choices.append((tr("Copy what was not understood"), lambda: _copy(result.skipped)))
            self._messages.say(_said(result), *choices)
            self.opened.emit()

        self._runner.run(tr("Reading {name}", name=path.name), work, done)

    def ask_and_line_up(self) -> None:
        """Ask for a recording, listen to it, and lay the project's notes along it."""
        session = self._desk.session
        if not session.is_open or not session.project.notes:
            self._desk.said.emit(tr("there are no notes to line up; open a score first"))
            return
        path = self._runner.ask.open_file(tr("Which recording does this score belong to?"))
        if path is None:
            return
        score = session.project

        def work(report: Report) -> tuple[Sound, Project, LinedUp]:
            from notcher.pipeline.transcribe import measured_project

            sound = decoded(path, report)
            assert sound.recording is not None
            heard = measured_project(
                sound.audio, sound.recording, tuning=score.tuning, lead=score.lead, doubt=False, progress=report
            )
            recording = sound.recording
            return sound, heard, apart(lambda: line_up(score, heard.notes, recording))

        def done(result: tuple[Sound, Project, LinedUp]) -> None:
            sound, heard, lined = result
            if session.project is not score:
                self._desk.said.emit(tr("the score was changed meanwhile; line it up again"))
                return
            session.edit(
                tr("Line up with a recording"), lambda p: replace(lined.over(heard), request=p.request, states=p.states)
            )
            self._recording.take(sound)
            self._say_lined(lined)

        self._runner.run(tr("Lining up"), work, done, stopped=tr("lining up was stopped; the score is as it was"))

    def ask_and_lay_over(self) -> None:
        """Ask for a score, and lay it along the notes that were measured in the recording that is open."""
        session = self._desk.session
        if not session.is_open or not session.project.notes or not session.project.recording.path:
            self._desk.said.emit(tr("measure a recording first; a score is laid along the notes that were heard in it"))
            return
        path = self._runner.ask.open_file(tr("Which score belongs to this recording?"))
        if path is None:
            return
        measured = session.project

        def work(_: Report) -> "tuple[ReadIn, LinedUp]":
            from notcher.pipeline.import_score import read_in

            read = read_in(path, tuning=measured.tuning)
            return read, apart(lambda: line_up(read.project, measured.notes, measured.recording))

        def done(result: "tuple[ReadIn, LinedUp]") -> None:
            read, lined = result
            if session.project is not measured:
                self._desk.said.emit(tr("the project was changed meanwhile; lay the score over it again"))
                return
            session.edit(tr("Lay a score over it"), lined.over)
            self._say_lined(lined, read)

        self._runner.run(tr("Reading {name}", name=path.name), work, done)

    def _say_lined(self, lined: LinedUp, read: "ReadIn | None" = None) -> None:
        count = len(lined.project.notes)
        text = tr("{found} of {all} notes of the score were found in the recording", found=lined.matched, all=count)
        if lined.matched + len(lined.others) < count:
            text += "; " + tr("the others stand between them, marked as doubtful")
        said = [text]
        if lined.others:
            said.append(
                trn("{n} sounds another pitch than the score has: look at the doubt",
                    "{n} sound other pitches than the score has: look at the doubts", len(lined.others))
            )  # fmt: skip
        if lined.extra:
            said.append(trn("{n} more was heard that the score does not have",
                            "{n} more were heard that the score does not have", lined.extra))  # fmt: skip
        if read is not None and read.skipped:
            said.append(_not_understood(read.skipped))
        self._desk.said.emit(". ".join(said))


def _said(read: "ReadIn") -> str:
    count = len(read.project.notes)
    text = (
        trn("{n} note read from '{part}'", "{n} notes read from '{part}'", count, part=read.part) if read.part
        else trn("{n} note read", "{n} notes read", count)
    )  # fmt: skip
    if read.moved:
        text += "; " + trn(
            "{n} lay outside the neck and was put an octave or more into it",
            "{n} lay outside the neck and were put an octave or more into it", read.moved,
        )  # fmt: skip
    return text + (f". {_not_understood(read.skipped)}" if read.skipped else "")


def _not_understood(skipped: tuple[str, ...]) -> str:
    named, more = list(skipped[:_NAMED]), len(skipped) - _NAMED
    if more > 0:
        named.append(tr("and {n} more", n=more))
    return tr("Not understood: {what}", what="; ".join(named))


def _copy(lines: tuple[str, ...]) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText("\n".join(lines))
