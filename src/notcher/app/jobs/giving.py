"""Writing what is more than one file or takes long: sounds, strips, films, the lesson page, the packet."""

import datetime
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from notcher.app.jobs.exporting import outputs_of, suggested_name
from notcher.app.jobs.job import Report, T
from notcher.app.jobs.runner import Runner
from notcher.formats.outputs import Outputs
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

    def _ask_file(
        self, title: str, ending: str, pattern: str, phrases: list[Phrase]
    ) -> tuple[Path, Outputs] | None:  # fmt: skip
        """The file to write, and what may be replaced for it."""
        session = self._desk.session
        folder = session.path.parent if session.path else Path.cwd()
        path = self._runner.ask.save_file(title, suggested_name(session.project, folder, ending, phrases), pattern)
        if path is None:
            return None
        return path if path.suffix else path.with_name(path.name + ending), outputs_of(session, path)

    def _ask_folder(self, title: str) -> tuple[Path, Outputs] | None:
        folder = self._runner.ask.open_folder(title)
        return None if folder is None else (folder, outputs_of(self._desk.session))

    def _write(
        self, goal: Path, outputs: Outputs, work: Callable[[Outputs, Report], T], words: Callable[[T], str],
        *, what: str = "",
    ) -> None:  # fmt: skip
        self._runner.write(
            what or tr("Writing {name}", name=goal.name),
            outputs,
            work,
            lambda found: self._desk.said.emit(words(found)),
        )

    def sounds(self, project: Project, phrases: list[Phrase], wanted: "Wanted") -> None:
        """Practice sounds into a folder."""
        asked = self._ask_folder(tr("A folder for the sounds"))
        if asked is None:
            return
        folder, may = asked
        audio = self._desk.transport.audio

        def work(outputs: Outputs, report: Report) -> int:
            from notcher.formats.practice import write_practice

            return len(write_practice(
                project, audio, folder, phrases, wanted, lambda share: report(tr("Writing"), share), outputs
            ))  # fmt: skip

        self._write(
            folder, may, work, lambda n: trn("{folder}: {n} sound", "{folder}: {n} sounds", n, folder=folder),
            what=tr("Writing sounds"),
        )  # fmt: skip

    def strips(self, project: Project, phrases: list[Phrase], look: "Strips") -> None:
        """Strips as PNG or SVG."""
        asked = self._ask_file(tr("Write the strips"), ".png", "PNG, SVG (*.png *.svg)", phrases)
        if asked is None:
            return
        goal, may = asked

        def work(outputs: Outputs, _: Report) -> int:
            from notcher.formats.strip import write_strips

            return len(write_strips(project, goal, phrases, look, outputs))

        self._write(
            goal,
            may,
            work,
            lambda n: trn("written: {n} picture", "written: {n} pictures", n),
            what=tr("Writing strips"),
        )

    def film(self, project: Project, phrases: list[Phrase], look: "Film") -> None:
        """A film."""
        asked = self._ask_file(tr("Write the film"), ".webm", "WebM, MP4, MOV (*.webm *.mp4 *.mov)", phrases)
        if asked is None:
            return
        goal, may = asked
        audio = self._desk.transport.audio

        def work(outputs: Outputs, report: Report) -> float:
            from notcher.formats.film.writing import write_film

            return write_film(
                project,
                audio,
                goal,
                phrases,
                look,
                outputs=outputs,
                progress=lambda share: report(tr("Writing"), share),
            ).seconds

        self._write(goal, may, work, lambda s: tr("{output}: {seconds:.1f} s", output=goal, seconds=s))

    def lesson(
        self, project: Project, phrases: list[Phrase], *, recording: bool, dialect: int, left_handed: bool
    ) -> None:
        """The lesson page."""
        asked = self._ask_file(tr("Write the lesson page"), ".html", "HTML (*.html)", phrases)
        if asked is None:
            return
        goal, may = asked
        audio = self._desk.transport.audio if recording else None

        def work(outputs: Outputs, _: Report) -> int:
            from notcher.formats.lesson_page.page import write_lesson_page

            return write_lesson_page(
                project, goal, phrases, audio=audio, dialect=dialect, left_handed=left_handed, outputs=outputs
            )

        self._write(goal, may, work, lambda _: tr("written: {goal}", goal=goal))

    def packet(
        self, project: Project, phrases: list[Phrase], packet: "Packet", since: "Since | None", *, zipped: bool
    ) -> None:
        """All that one learner gets; then the solo is kept as it was handed out."""
        if zipped:
            asked = self._ask_file(tr("Hand out as a zip file"), ".zip", "ZIP (*.zip)", phrases)
        else:
            asked = self._ask_folder(tr("A folder for the packet"))
        if asked is None:
            return
        target, may = asked
        audio = self._desk.transport.audio

        def work(outputs: Outputs, report: Report) -> list[str]:
            from notcher.formats.packet.wanted import PART_WORDS
            from notcher.formats.packet.writing import write_packet

            made = write_packet(
                project, audio, target, phrases, packet, since=since, outputs=outputs,
                progress=lambda share: report(tr("Writing"), share),
            )  # fmt: skip
            said = [trn("{folder}: {n} file", "{folder}: {n} files", len(made.files), folder=target)]
            return said + [
                tr("not written: {part}: {why}", part=tr(PART_WORDS[part]), why=why) for part, why in made.missing
            ]

        self._runner.write(tr("Handing out"), may, work, lambda said: self._handed(said, packet))

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
