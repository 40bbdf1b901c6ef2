"""The open project: what it is now, what it was before, what is selected, and how it is kept from loss."""

import hashlib
import logging
import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import platformdirs
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from notcher.formats import journal as journals
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.score.alike import corrected, without_lost_links
from notcher.score.delta import Delta
from notcher.score.errors import NotcherError, ScoreError
from notcher.score.note import Note
from notcher.score.project import Project

log = logging.getLogger(__name__)


def journal_folder() -> Path:
    """Where recovery journals lie."""
    return Path(platformdirs.user_state_dir("notcher")) / "recovery"


def journal_path(saved_as: Path | None) -> Path:
    """The journal of a project file, or of this process where it was not saved yet."""
    if saved_as is None:
        return journal_folder() / f"unsaved-{os.getpid()}.jsonl"
    name = hashlib.sha256(str(saved_as.resolve()).encode()).hexdigest()[:20]
    return journal_folder() / f"{name}.jsonl"


class _Replace(QUndoCommand):
    """Every edit is the same to undo: what it changed, applied backwards."""

    def __init__(
        self, session: "Session", after: Project, label: str, selection: frozenset[str] | None, merge: int = -1
    ) -> None:
        super().__init__(label)
        self._merge = merge
        self._session = session
        self._delta = Delta.between(session.project, after)
        # The first time it is done the project is at hand.
        self._made: Project | None = after
        self._selected_before, self._selected_after = session.selection, selection

    def id(self) -> int:
        return self._merge

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        """One step for undo, where the next edit goes on with this one."""
        if not isinstance(other, _Replace) or self._merge < 0:
            return False
        self._delta, self._selected_after = self._delta.then(other._delta), other._selected_after
        return True

    def redo(self) -> None:
        after = self._delta.redone(self._session.project) if self._made is None else self._made
        self._made = None
        self._session.take(after, self._selected_after)

    def undo(self) -> None:
        self._session.take(self._delta.undone(self._session.project), self._selected_before)


class Session(QObject):
    """Holds the project. `edit` is the only way to change it."""

    project_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    opened = pyqtSignal()
    trouble = pyqtSignal(str)
    carried = pyqtSignal(tuple)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._project: Project | None = None
        self._selection: frozenset[str] = frozenset()
        self.path: Path | None = None
        self.undo_stack = QUndoStack(self)
        self._journal: journals.Journal | None = None
        self._never_saved = False

    @property
    def project(self) -> Project:
        """The project as it is now. Raises ScoreError while none is open."""
        if self._project is None:
            raise ScoreError("no project is open; open a recording or a project first")
        return self._project

    @property
    def is_open(self) -> bool:
        """Whether there is a project."""
        return self._project is not None

    @property
    def journal_in_use(self) -> Path | None:
        """The file that edits are kept in now."""
        return self._journal.path if self._journal else None

    @property
    def is_dirty(self) -> bool:
        """Whether there is anything that is not saved."""
        return self.is_open and (self._never_saved or not self.undo_stack.isClean())

    # -- selection -----------------------------------------------------------------------------------------------

    @property
    def selection(self) -> frozenset[str]:
        """Ids of the selected notes."""
        return self._selection

    def select(self, ids: frozenset[str]) -> None:
        """Select these notes and no others."""
        if ids != self._selection:
            self._selection = ids
            self.selection_changed.emit()

    def selected_notes(self) -> list[Note]:
        """The selected notes in time order."""
        return [n for n in self._project.notes if n.id in self._selection] if self._project else []

    def step_selection(self, steps: int, *, extend: bool = False, near: float = 0.0) -> Note | None:
        """Select the next or previous note; without a selection, the one nearest to a time."""
        notes = self.project.notes
        if not notes:
            return None
        chosen = [i for i, n in enumerate(notes) if n.id in self._selection]
        if chosen:
            at = max(0, min(len(notes) - 1, (chosen[-1] if steps > 0 else chosen[0]) + steps))
        else:
            at = min(range(len(notes)), key=lambda i: abs(notes[i].onset - near))
        self.select(self._selection | {notes[at].id} if extend else frozenset({notes[at].id}))
        return notes[at]

    # -- editing -------------------------------------------------------------------------------------------------

    def edit(
        self,
        label: str,
        change: Callable[[Project], Project],
        *,
        select: frozenset[str] | None = None,
        merge: int = -1,
        linked: bool = True,
    ) -> bool:
        """Apply an edit; what does not apply is said through `trouble` and changes nothing.

        merge: edits in a row with the same number of 0 or more are one step for undo (a slider being moved). linked:
        whether phrases that repeat one that is corrected are corrected with it, which `carried` then names.
        """
        try:
            after = change(self.project)
        except NotcherError as error:
            self.trouble.emit(str(error))
            return False
        if after == self._project:
            return False
        names: tuple[str, ...] = ()
        if linked and any(p.like for p in self.project.phrases):
            after, names = corrected(self.project, without_lost_links(after))
        self.undo_stack.push(_Replace(self, after, label, select, merge))
        if names:
            self.carried.emit(names)
        return True

    def take(self, project: Project, selection: frozenset[str] | None) -> None:
        """Make this the project (called by undo and redo only) and write it to the journal."""
        before = self.project
        self._project = project
        try:
            if self._journal is None:
                self._journal = journals.Journal(journal_path(self.path))
            self._journal.record(before, project, saved_as=self.path)
        except FileFormatError as error:
            self.trouble.emit(str(error))
        ids = {n.id for n in project.notes}
        self._selection = frozenset((self._selection if selection is None else selection) & ids)
        self.project_changed.emit()
        self.selection_changed.emit()

    # -- opening and saving --------------------------------------------------------------------------------------

    def start(self, project: Project, path: Path | None, *, unsaved: bool = False) -> None:
        """Open a project. unsaved: it holds what its file does not (fresh from measuring, or recovered)."""
        self._drop_journal(discard=False)
        self._project, self.path, self._never_saved = project, path, unsaved
        self._selection = frozenset()
        self.undo_stack.clear()
        self.undo_stack.setClean()
        if unsaved:
            self._journal = journals.Journal(journal_path(path))
            try:
                self._journal.record(project, project, saved_as=path)
            except FileFormatError as error:
                self.trouble.emit(str(error))
        self.opened.emit()
        self.project_changed.emit()
        self.selection_changed.emit()

    def save(self, path: Path | None = None) -> Path:
        """Write the project. Raises FileFormatError, and keeps the journal, where it cannot be written."""
        goal = path or self.path
        if goal is None:
            raise FileFormatError("the project has no name yet; choose one")
        project_file.save(self._with_whole_path(goal), goal)
        self._drop_journal(discard=True)
        self.path, self._never_saved = goal, False
        self.undo_stack.setClean()
        return goal

    def _with_whole_path(self, goal: Path) -> Project:
        """The project with a recording path that still leads there when it is saved in another folder."""
        project = self.project
        place = Path(project.recording.path)
        if not project.recording.path:
            return project
        if self.path is not None and not place.is_absolute() and self.path.parent.resolve() != goal.parent.resolve():
            place = (self.path.parent / place).resolve()
        return replace(project, recording=replace(project.recording, path=str(place)))

    def close(self, *, discard: bool) -> None:
        """End the session; discard the journal when the person let the edits go or all is saved."""
        self._drop_journal(discard=discard)
        self._never_saved = False
        self.undo_stack.setClean()

    def _drop_journal(self, *, discard: bool) -> None:
        if self._journal is not None:
            self._journal.close(discard=discard)
            self._journal = None
        elif discard and self.is_open:
            journal_path(self.path).unlink(missing_ok=True)


@dataclass(frozen=True, slots=True)
class LeftBehind:
    """Edits of a killed program, and the journal that holds them."""

    recovered: journals.Recovered
    journal: Path

    def taken(self, *, by: Path | None) -> None:
        """The edits are safe in another journal; take the old one away unless it is that one."""
        if self.journal != by:
            self.journal.unlink(missing_ok=True)


def left_behind(path: Path | None) -> LeftBehind | None:
    """Edits of a killed program: those of this project file, or for None the newest that was never saved."""
    if path is not None:
        candidates = [journal_path(path)]
    else:
        found = journal_folder().glob("unsaved-*.jsonl") if journal_folder().is_dir() else iter(())
        candidates = sorted(found, key=lambda p: p.stat().st_mtime, reverse=True)
    for candidate in candidates:
        if not candidate.exists() or journals.owner_alive(candidate):
            continue
        try:
            return LeftBehind(journals.recover(candidate), candidate)
        except FileFormatError as error:
            log.warning("%s", error)
    return None
