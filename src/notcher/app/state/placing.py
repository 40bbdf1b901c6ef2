"""What follows when the person says where notes lie: their phrases at once, all later ones a moment after."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.state.session import Session
from notcher.place.solver import settle
from notcher.score.project import Project
from notcher.wording import trn

_FIRST_STEP = 400_000


@dataclass(frozen=True, slots=True)
class _FingeringEdit:
    """What was said: of which notes, as which step for undo, and how many steps were done then."""

    label: str
    ids: frozenset[str]
    step: int
    done: int


class Placing(QObject):
    """Edits that say a place. The search of a whole solo takes longer than a key may, so what lies later is placed off
    the interface's thread and joined to the same step for undo; what moved is marked until it is confirmed, or until
    the next word."""

    said = pyqtSignal(str)
    marks_changed = pyqtSignal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._following: Latest[Project] = Latest(self)
        self._open: _FingeringEdit | None = None
        self._steps = _FIRST_STEP
        self._was: dict[str, tuple[int, int]] = {}
        self._own: frozenset[str] = frozenset()
        self.moved: frozenset[str] = frozenset()
        session.opened.connect(self._forget)
        session.project_changed.connect(self._project_changed)

    @property
    def busy(self) -> bool:
        """Whether later phrases are still being placed."""
        return self._open is not None

    def edit_fingering(self, label: str, change: Callable[[Project], Project], ids: frozenset[str]) -> bool:
        """An edit that says where some notes lie. The rest of their phrases follows in it. Whether it applied."""
        before = self._session.project
        self._steps += 1
        # What was said just before may not be followed yet; both are from now on.
        unfollowed = self._open.ids if self._open is not None else frozenset()
        self._was = {n.id: (n.string, n.fret) for n in before.notes}
        self._own = ids
        if not self._session.edit(label, lambda p: settle(change(p), ids, later=False), merge=self._steps):
            return False
        self._open = _FingeringEdit(label, ids | unfollowed, self._steps, self._session.undo_stack.index)
        self._follow()
        return True

    def wait(self) -> None:
        """Wait until no thread runs, as the window goes."""
        self._open = None
        self._following.wait()

    def _forget(self) -> None:
        self._open, self._was, self._own = None, {}, frozenset()
        self._following.forget()
        self._mark()

    def _follow(self) -> None:
        assert self._open is not None
        project, ids = self._session.project, self._open.ids

        def work(_: Report) -> Project:
            return settle(project, ids)

        self._following.start(work, lambda settled: self._followed(project, settled))

    def _followed(self, asked: Project, settled: Project) -> None:
        said = self._open
        if said is None:
            return
        if self._session.undo_stack.index < said.done:
            self._open = None
        elif self._session.project is not asked:
            # Something else was edited meanwhile.
            self._follow()
        else:
            self._open = None
            self._session.edit(said.label, lambda _: settled, merge=said.step)
            self._mark()
            if self.moved:
                self.said.emit(
                    trn(
                        "{n} other note was placed anew; undo takes all of it back",
                        "{n} other notes were placed anew; undo takes all of it back", len(self.moved),
                    )
                )  # fmt: skip

    def _project_changed(self) -> None:
        if self._open is not None and self._session.undo_stack.index < self._open.done:
            self._open = None
            self._following.forget()
        self._mark()

    def _mark(self) -> None:
        notes = self._session.project.notes if self._session.is_open and self._was else ()
        others = [n for n in notes if not n.confirmed and n.id not in self._own and n.id in self._was]
        moved = frozenset(n.id for n in others if self._was[n.id] != (n.string, n.fret))
        if moved != self.moved:
            self.moved = moved
            self.marks_changed.emit()
