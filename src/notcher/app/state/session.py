"""The open document as the window sees it: signals, the selection, and what it has to say about keeping edits safe."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from notcher.document.store import Document
from notcher.document.undo import UndoStack
from notcher.score.errors import NotcherError, ScoreError
from notcher.score.note import Note
from notcher.score.playing import USUAL, Playing
from notcher.score.project import Project
from notcher.wording import render_message, tr

_KEEP_AGAIN_MS = 5000


class Session(QObject):
    """Holds the document. `edit` is the only way to change it."""

    project_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    opened = pyqtSignal()
    saved = pyqtSignal()
    trouble = pyqtSignal(str)
    carried = pyqtSignal(tuple)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document: Document | None = None
        self._selection: frozenset[str] = frozenset()
        self._no_steps = UndoStack()
        self._letting_go = False
        self.usual: Playing = USUAL
        # A disk that was full may have room again, without another edit being made.
        self._keeping = QTimer(self)
        self._keeping.setInterval(_KEEP_AGAIN_MS)
        self._keeping.timeout.connect(self.keep)

    @property
    def document(self) -> Document:
        """What is open. Raises ScoreError while nothing is."""
        if self._document is None:
            raise ScoreError("no project is open; open a recording or a project first")
        return self._document

    @property
    def project(self) -> Project:
        """The project as it is now. Raises ScoreError while none is open."""
        return self.document.project

    @property
    def is_open(self) -> bool:
        """Whether there is a project."""
        return self._document is not None

    @property
    def path(self) -> Path | None:
        """The file it is kept in, None before it was saved first."""
        return self._document.path if self._document else None

    @property
    def is_dirty(self) -> bool:
        """Whether there is anything that is not saved."""
        return self._document is not None and self._document.is_dirty

    @property
    def looking(self) -> bool:
        """Whether it is only looked at, as another session edits it."""
        return self._document is not None and self._document.looking

    @property
    def undo_stack(self) -> UndoStack:
        """What was done; empty while nothing is open."""
        return self._document.undo_stack if self._document else self._no_steps

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
        return [n for n in self.project.notes if n.id in self._selection] if self.is_open else []

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
            done = self.document.edit(
                change, label=label, selected_before=self._selection, select=select, merge=merge, linked=linked
            )
        except NotcherError as error:
            self.trouble.emit(render_message(error))
            return False
        if done is None:
            return False
        self._changed(select)
        if done.carried:
            self.carried.emit(done.carried)
        return True

    def undo(self) -> None:
        """Take the last step back."""
        step = self._document.undo() if self._document else None
        if step is not None:
            self._changed(step.selected_before)

    def redo(self) -> None:
        """Do again what was taken back."""
        step = self._document.redo() if self._document else None
        if step is not None:
            self._changed(step.selected_after)

    def let_go(self) -> None:
        """What is not saved may go, once something else is open; until then it is all here."""
        self._letting_go = True

    def _changed(self, selection: frozenset[str] | None) -> None:
        self._letting_go = False
        self._say_unkept()
        ids = {n.id for n in self.project.notes}
        self._selection = frozenset((self._selection if selection is None else selection) & ids)
        self.project_changed.emit()
        self.selection_changed.emit()

    def keep(self) -> None:
        """Try again to put on disk what it did not take."""
        if self._document is None or self._document.unkept is None:
            self._keeping.stop()
        elif self._document.keep():
            self._keeping.stop()
            self.trouble.emit(tr("there is room on the disk again: all edits are kept for recovery"))

    def _say_unkept(self) -> None:
        unkept = self._document.unkept if self._document else None
        if unkept is not None:
            self.trouble.emit(render_message(unkept))
            self._keeping.start()

    # -- opening and saving --------------------------------------------------------------------------------------

    def start(self, project: Project, path: Path | None = None, *, unsaved: bool = False) -> None:
        """Open a project that comes from no file of its own, as from measuring, or read from a score. unsaved: it would
        be lost unless it is kept."""
        self.take(Document(project, path, unsaved=unsaved))

    def take(self, document: Document) -> None:
        """Open a document; what was open before stays recoverable where it was neither saved nor let go."""
        if self._document is not None:
            self._document.close(discard=self._letting_go or not self._document.is_dirty)
        self._letting_go = False
        self._document = document
        self._selection = frozenset()
        self._say_unkept()
        self.opened.emit()
        self.project_changed.emit()
        self.selection_changed.emit()

    def save(
        self, path: Path | None = None, *, over_changes: bool = False, over_protected: bool = False
    ) -> Path:  # fmt: skip
        """Write the project. Raises FileFormatError, and keeps the journal, where it cannot be written;
        ChangedOnDiskError where its file was changed by something else, ProtectedError where it is write-protected."""
        goal = self.document.save(path, over_changes=over_changes, over_protected=over_protected)
        self.saved.emit()
        return goal

    def close(self, *, discard: bool) -> None:
        """End the session; discard the journal when the person let the edits go or all is saved."""
        if self._document is not None:
            self._document.close(discard=discard)
