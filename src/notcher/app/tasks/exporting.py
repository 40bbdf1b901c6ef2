"""Writing a project as something else."""

from pathlib import Path
from typing import TYPE_CHECKING

from notcher.app.tasks.jobs import Report, Stop
from notcher.app.tasks.runner import Runner
from notcher.score.project import Phrase, Project
from notcher.wording import tr

if TYPE_CHECKING:
    from notcher.formats.export import With


class Exporting:
    """Asks where, and writes."""

    def __init__(self, runner: Runner) -> None:
        self._runner, self._desk = runner, runner.desk

    def export(self, kind: str, phrases: list[Phrase], project: Project, beside: "With") -> None:
        """Ask where, and write one kind of export of the project as it is handed out."""
        from notcher.formats.export import BY_NAME, export

        session = self._desk.session
        folder = session.path.parent if session.path else Path.cwd()
        row = BY_NAME[kind]
        patterns = " ".join(f"*{ending}" for ending in row.endings)
        suggestion = suggested_name(session.project, folder, row.endings[0], phrases)
        path = self._runner.ask.save_file(tr("Write the file"), suggestion, f"{tr(row.label)} ({patterns})")
        if path is None:
            return
        goal = path if path.suffix else path.with_name(path.name + row.endings[0])
        recording = Path(session.project.recording.path)
        inputs = [p for p in (session.path, recording if recording.is_absolute() else folder / recording) if p]

        def work(report: Report, _: Stop) -> str:
            return export(project, goal, kind=kind, phrases=phrases, beside=beside, inputs=inputs)

        self._runner.run(
            tr("Writing {name}", name=goal.name), work, lambda _: self._desk.said.emit(tr("written: {goal}", goal=goal))
        )


def suggested_name(project: Project, folder: Path, ending: str, phrases: list[Phrase]) -> str:
    """A file name from the title, and the phrase's name where only one is handed out."""
    words = [project.request.title or "solo"] + [p.name for p in phrases]
    plain = "-".join(words).lower()
    safe = "".join(c if c.isalnum() else "-" for c in plain)
    while "--" in safe:
        safe = safe.replace("--", "-")
    return str(folder / f"{safe.strip('-') or 'solo'}{ending}")
