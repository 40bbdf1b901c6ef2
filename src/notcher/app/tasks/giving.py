"""Writing what is more than one file or takes long: sounds, strips, films, the lesson page, the packet."""

import datetime
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from notcher.app.tasks.exporting import suggested_name
from notcher.app.tasks.jobs import Report, Stop
from notcher.app.tasks.runner import Runner
from notcher.score.compare import free_state_name, name_state
from notcher.score.project import Phrase, Project
from notcher.wording import tr, trn

if TYPE_CHECKING:
    from notcher.formats.film.look import Film
    from notcher.formats.heading import Since
    from notcher.formats.packet.wanted import Packet
    from notcher.formats.practice import Wanted
    from notcher.formats.strip import Strips


class Giving:
    """Asks where, and writes, with progress and a way to stop."""

    def __init__(self, runner: Runner) -> None:
        self._runner, self._desk = runner, runner.desk

    def _folder(self) -> Path:
        path = self._desk.session.path
        return path.parent if path else Path.cwd()

    def _inputs(self) -> list[Path]:
        recording = Path(self._desk.session.project.recording.path)
        here = [recording if recording.is_absolute() else self._folder() / recording]
        return [*([self._desk.session.path] if self._desk.session.path else []), *here]

    def _ask_file(self, title: str, ending: str, pattern: str, phrases: list[Phrase]) -> Path | None:
        suggestion = suggested_name(self._desk.session.project, self._folder(), ending, phrases)
        path = self._runner.ask.save_file(title, suggestion, pattern)
        if path is None:
            return None
        return path if path.suffix else path.with_name(path.name + ending)

    def _say(self, words: str) -> Callable[[object], None]:
        return lambda _: self._desk.said.emit(words)

    def sounds(self, project: Project, phrases: list[Phrase], wanted: "Wanted") -> None:
        """Practice sounds into a folder."""
        folder = self._runner.ask.open_folder(tr("A folder for the sounds"))
        if folder is None:
            return
        audio = self._desk.transport.audio

        def work(report: Report, stop: Stop) -> int:
            from notcher.formats.practice import write_practice

            def progress(share: float) -> None:
                _stop_at(stop)
                report("Writing", share)

            return len(write_practice(project, audio, folder, phrases, wanted, progress))

        self._runner.run(
            tr("Writing sounds"), work,
            lambda n: self._desk.said.emit(trn("{folder}: {n} sound", "{folder}: {n} sounds", n, folder=folder)),
            stopped=tr("stopped; what was written by then is whole"),
        )  # fmt: skip

    def strips(self, project: Project, phrases: list[Phrase], look: "Strips") -> None:
        """Strips as PNG or SVG."""
        goal = self._ask_file(tr("Write the strips"), ".png", "PNG, SVG (*.png *.svg)", phrases)
        if goal is None:
            return
        inputs = self._inputs()

        def work(_: Report, __: Stop) -> int:
            from notcher.formats.strip import write_strips

            return len(write_strips(project, goal, phrases, look, inputs=inputs))

        self._runner.run(
            tr("Writing strips"), work,
            lambda n: self._desk.said.emit(trn("written: {n} picture", "written: {n} pictures", n)),
        )  # fmt: skip

    def film(self, project: Project, phrases: list[Phrase], look: "Film") -> None:
        """A film."""
        goal = self._ask_file(tr("Write the film"), ".webm", "WebM, MP4, MOV (*.webm *.mp4 *.mov)", phrases)
        if goal is None:
            return
        inputs, audio = self._inputs(), self._desk.transport.audio

        def work(report: Report, stop: Stop) -> float:
            from notcher.formats.film.writing import write_film

            return write_film(
                project, audio, goal, phrases, look, inputs=inputs, progress=lambda share: report("Writing", share),
                cancelled=stop,
            ).seconds  # fmt: skip

        self._runner.run(
            tr("Writing {name}", name=goal.name), work,
            lambda s: self._desk.said.emit(tr("{output}: {seconds:.1f} s", output=goal, seconds=s)),
            stopped=tr("stopped; nothing was written"),
        )  # fmt: skip

    def lesson(
        self, project: Project, phrases: list[Phrase], *, recording: bool, dialect: int, left_handed: bool
    ) -> None:
        """The lesson page."""
        goal = self._ask_file(tr("Write the lesson page"), ".html", "HTML (*.html)", phrases)
        if goal is None:
            return
        inputs, audio = self._inputs(), self._desk.transport.audio if recording else None

        def work(_: Report, __: Stop) -> int:
            from notcher.formats.lesson_page.page import write_lesson_page

            return write_lesson_page(
                project, goal, phrases, audio=audio, dialect=dialect, left_handed=left_handed, inputs=inputs
            )

        self._runner.run(tr("Writing {name}", name=goal.name), work, self._say(tr("written: {goal}", goal=goal)))

    def packet(
        self, project: Project, phrases: list[Phrase], packet: "Packet", since: "Since | None", *, zipped: bool
    ) -> None:
        """All that one learner gets; then the solo is kept as it was handed out."""
        if zipped:
            goal = self._ask_file(tr("Hand out as a zip file"), ".zip", "ZIP (*.zip)", phrases)
        else:
            goal = self._runner.ask.open_folder(tr("A folder for the packet"))
        if goal is None:
            return
        inputs, audio, target = self._inputs(), self._desk.transport.audio, goal

        def work(report: Report, stop: Stop) -> list[str]:
            from notcher.formats.packet.wanted import PART_WORDS
            from notcher.formats.packet.writing import write_packet

            made = write_packet(
                project, audio, target, phrases, packet, since=since, inputs=inputs,
                progress=lambda share: report("Writing", share), cancelled=stop,
            )  # fmt: skip
            said = [trn("{folder}: {n} file", "{folder}: {n} files", len(made.files), folder=target)]
            return said + [
                tr("not written: {part}: {why}", part=tr(PART_WORDS[part]), why=why) for part, why in made.missing
            ]

        self._runner.run(
            tr("Handing out"), work, lambda said: self._handed(said, packet),
            stopped=tr("stopped; what was written by then is whole"),
        )  # fmt: skip

    def _handed(self, said: list[str], packet: "Packet") -> None:
        from notcher.formats.packet.writing import learner_of

        session = self._desk.session
        if not session.looking:
            learner, today = learner_of(session.project, packet), datetime.date.today().isoformat()
            name = (
                tr("handed to {name}, {day}", name=learner, day=today)
                if learner
                else tr("handed out, {day}", day=today)
            )
            session.edit(
                tr("Hand out"), lambda p: name_state(p, free_state_name(p, name), made=today, learner=learner)
            )  # fmt: skip
        self._desk.said.emit("; ".join(said))


def _stop_at(stop: Stop) -> None:
    from notcher.listen.listener import CancelledError

    if stop():
        raise CancelledError
