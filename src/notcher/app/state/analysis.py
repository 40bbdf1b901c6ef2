"""What the notes do: degrees over chords and key, and the figures that come again, kept up with the project."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.state.session import Session
from notcher.app.state.settings import Settings
from notcher.harmony.patterns import Figure, solo_figures
from notcher.harmony.roles import Doing, doings
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.wording.chords import degree_words

DEGREES = ("off", "chord", "key", "words")
"""How degrees are shown at the notes: not at all, against the chord, against the key, against the chord in words."""


@dataclass(frozen=True, slots=True)
class _Known:
    doings: Mapping[str, Doing]
    figures: tuple[Figure, ...]


class Analysis(QObject):
    """Found off the interface's thread after each edit; until then what was found before stays."""

    changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._settings: Settings | None = None
        self._finding: Latest[_Known] = Latest(self)
        self._known = _Known({}, ())
        session.opened.connect(self._forget)
        session.project_changed.connect(self._find)

    def shown_as(self, settings: Settings) -> None:
        """What the person chose to see."""
        self._settings = settings

    @property
    def degrees(self) -> str:
        """One of DEGREES."""
        chosen = self._settings.degrees if self._settings else "off"
        return chosen if chosen in DEGREES else "off"

    @property
    def figures(self) -> tuple[Figure, ...]:
        """Those that are to be shown, by their first playing."""
        return self._known.figures if self._settings is None or self._settings.figures else ()

    def figures_within(self, notes: Sequence[Note]) -> list[Figure]:
        """Those of which at least two playings lie within some notes."""
        ids = {n.id for n in notes}
        return [f for f in self.figures if sum(set(p.notes) <= ids for p in f.playings) > 1]

    def degree_at(self, note_id: str) -> str:
        """What stands at a note, '' for nothing."""
        found = self._known.doings.get(note_id)
        return "" if found is None or self.degrees == "off" else degree_words(found, how=self.degrees)

    def turn_degrees(self) -> str:
        """The next of DEGREES; returns it."""
        chosen = DEGREES[(DEGREES.index(self.degrees) + 1) % len(DEGREES)]
        if self._settings is not None:
            self._settings.degrees = chosen
            self._settings.save()
        self.changed.emit()
        return chosen

    def turn_figures(self) -> bool:
        """Show figures or not; returns whether they are shown."""
        if self._settings is None:
            return True
        self._settings.figures = not self._settings.figures
        self._settings.save()
        self.changed.emit()
        return self._settings.figures

    @property
    def busy(self) -> bool:
        """Whether the newest project is not looked through yet."""
        return self._finding.running

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes."""
        self._finding.wait()

    def _forget(self) -> None:
        self._take(_Known({}, ()))

    def _find(self) -> None:
        if not self._session.is_open:
            return
        project = self._session.project

        def work(_: Report) -> _Known:
            return _known(project)

        self._finding.start(work, self._take)

    def _take(self, known: _Known) -> None:
        self._known = known
        self.changed.emit()


def _known(project: Project) -> _Known:
    found = doings(project, project.notes)
    return _Known({n.id: d for n, d in zip(project.notes, found, strict=True)}, solo_figures(project))
