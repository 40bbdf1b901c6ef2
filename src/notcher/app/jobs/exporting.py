"""Writing a project as something else."""

from pathlib import Path
from typing import TYPE_CHECKING

from notcher.app.jobs.job import Report
from notcher.app.jobs.runner import Runner
from notcher.app.state.session import Session
from notcher.formats.outputs import Outputs
from notcher.formats.recordings import files_of
from notcher.score.project import Phrase, Project
from notcher.wording import tr

if TYPE_CHECKING:
    from notcher.formats.printing import With


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

        def work(outputs: Outputs, _: Report) -> str:
            return export(project, goal, kind=kind, phrases=phrases, beside=beside, outputs=outputs)

        self._runner.write(
            tr("Writing {name}", name=goal.name), outputs_of(session, path), work,
            lambda _: self._desk.said.emit(tr("written: {goal}", goal=goal)),
        )  # fmt: skip


def outputs_of(session: Session, confirmed: Path | None = None) -> Outputs:
    """What may be written of the project that is open. confirmed: the file that was chosen in a dialog, which asks by
    itself whether one that is there may be replaced."""
    place = session.path or Path.cwd() / "unsaved"
    inputs = files_of(session.project, place)
    return Outputs(inputs, confirmed=frozenset([confirmed] if confirmed else []), source=str(place.resolve()))


def suggested_name(project: Project, folder: Path, ending: str, phrases: list[Phrase]) -> str:
    """A file name from the title, and the phrase's name where only one is handed out."""
    words = [project.request.title or "solo"] + [p.name for p in phrases]
    plain = "-".join(words).lower()
    safe = "".join(c if c.isalnum() else "-" for c in plain)
    while "--" in safe:
        safe = safe.replace("--", "-")
    return str(folder / f"{safe.strip('-') or 'solo'}{ending}")
