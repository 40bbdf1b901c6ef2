"""The open document: what the project is now, what it was before, and how it is kept from loss."""

import os
import stat
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from notcher.document.folders import new_journal
from notcher.document.journal import Journal
from notcher.document.lock import Claim, claim
from notcher.document.undo import Selection, Step, UndoStack
from notcher.formats import project_file
from notcher.formats.errors import FileFormatError
from notcher.score.delta import Delta
from notcher.score.errors import ScoreError
from notcher.score.phrase_repeats import corrected, without_lost_links
from notcher.score.project import Project


class ChangedOnDiskError(FileFormatError):
    """The project's file was changed by something else since it was opened or saved here."""


class ProtectedError(FileFormatError):
    """The file is write-protected: somebody meant it to stay as it is."""


class LookingOnlyError(ScoreError):
    """The document was opened to look at; another session edits it."""


@dataclass(frozen=True, slots=True)
class Edited:
    """What an edit did beyond what was asked. carried: the names of linked phrases that were corrected with it."""

    carried: tuple[str, ...] = ()


class Document:
    """One open project. `edit` is the only way to change it; undo and redo go through the same journal.

    path: its file, None where it has none yet. unsaved: it holds what its file does not (fresh from measuring, or
    recovered). saved: the fingerprint of its file as it was read, '' where there is none. looking: it cannot be edited.
    """

    def __init__(
        self,
        project: Project,
        path: Path | None = None,
        *,
        saved: str = "",
        unsaved: bool = False,
        looking: bool = False,
        held: Claim | None = None,
    ) -> None:
        self._project, self._path = project, path
        self._saved, self._unsaved, self.looking = saved, unsaved, looking
        self._claim = held
        self._journal: Journal | None = None
        self._unkept: FileFormatError | None = None
        self.undo_stack = UndoStack()
        if unsaved:
            self._start_journal()
            self.keep()

    # -- what it is ----------------------------------------------------------------------------------------------

    @property
    def project(self) -> Project:
        """The project as it is now."""
        return self._project

    @property
    def path(self) -> Path | None:
        """The file it is kept in, None before it was saved first."""
        return self._path

    @property
    def is_dirty(self) -> bool:
        """Whether it holds anything that its file does not."""
        return self._unsaved or not self.undo_stack.is_clean

    @property
    def journal(self) -> Path | None:
        """The file in which edits are kept for recovery now, None before the first one."""
        return self._journal.path if self._journal else None

    @property
    def unkept(self) -> FileFormatError | None:
        """Why the latest edits are not on disk for recovery, None where they are."""
        return self._unkept

    # -- editing -------------------------------------------------------------------------------------------------

    def edit(
        self,
        change: Callable[[Project], Project],
        *,
        label: str = "",
        selected_before: Selection = frozenset(),
        select: Selection | None = None,
        merge: int = -1,
        linked: bool = True,
    ) -> Edited | None:
        """Apply an edit; None where it changes nothing.

        merge: edits in a row with the same number of 0 or more are one step for undo (a slider being moved). linked:
        whether phrases that repeat one that is corrected are corrected with it. Raises what the edit raises, a
        NotcherError where it does not apply; the project is then as before.
        """
        if self.looking:
            raise LookingOnlyError(
                "this project is open for editing in another Notcher and is only looked at here; work on a copy to "
                "change it"
            )
        after = change(self._project)
        if after == self._project:
            return None
        names: tuple[str, ...] = ()
        if linked and any(p.like for p in self._project.phrases):
            after, names = corrected(self._project, without_lost_links(after))
        step = Step(label, Delta.between(self._project, after), selected_before, select, merge)
        self.undo_stack.push(step)
        self._take(after)
        return Edited(names)

    def undo(self) -> Step | None:
        """Take the last step back; None where there is none."""
        step = self.undo_stack.back()
        if step is not None:
            self._take(step.delta.undone(self._project))
        return step

    def redo(self) -> Step | None:
        """Do the step again that was taken back last; None where there is none."""
        step = self.undo_stack.forth()
        if step is not None:
            self._take(step.delta.redone(self._project))
        return step

    def _take(self, project: Project) -> None:
        before, self._project = self._project, project
        if self._journal is None:
            self._start_journal()
        self._record(before)

    def _start_journal(self) -> None:
        self._journal = Journal(new_journal(self._path))

    def keep(self) -> bool:
        """Write what is not on disk for recovery yet, as after a disk that was full; whether all of it is there."""
        if self._journal is not None and (self._unkept is not None or not self._journal.path.exists()):
            self._record(self._project)
        return self._unkept is None

    def _record(self, before: Project) -> None:
        assert self._journal is not None
        try:
            self._journal.record(before, self._project, saved_as=self._path, saved=self._saved)
            self._unkept = None
        except FileFormatError as error:
            # The edit stands all the same; the next one, or `keep`, writes the whole of it.
            self._unkept = error

    # -- saving and closing --------------------------------------------------------------------------------------

    def on_disk(self) -> Project | None:
        """The project as its file has it, where that was changed by something else; None where it was not.

        Raises FileFormatError where what lies there now cannot be read.
        """
        if self._path is None or project_file.fingerprint(self._path) in (self._saved, ""):
            return None
        return project_file.load(self._path)

    def save(
        self, path: Path | None = None, *, over_changes: bool = False, over_protected: bool = False
    ) -> Path:  # fmt: skip
        """Write the project, to its own file or another, which it then is kept in.

        over_changes: also over a file that was changed by something else; over_protected: also over one that is
        write-protected, for which ProtectedError is raised else. Raises ChangedOnDiskError where it was, and
        FileFormatError, keeping the journal, where it cannot be written; InUseError where another session has the file.
        """
        goal = path or self._path
        if goal is None:
            raise FileFormatError("the project has no name yet; choose one")
        own = self._path is not None and goal.resolve() == self._path.resolve()
        if own and self.looking:
            raise LookingOnlyError(
                "'{name}' is open for editing in another Notcher; save what you see here under another name",
                name=goal.name,
            )
        if own and not over_changes and project_file.fingerprint(goal) not in (self._saved, ""):
            raise ChangedOnDiskError("'{name}' was changed by something else since it was opened here", name=goal.name)
        if not over_protected and is_protected(goal):
            raise ProtectedError("'{name}' is write-protected", name=goal.name)
        coming = claim(goal) if not own or self._claim is None else None
        try:
            self._saved = project_file.save(self._with_whole_path(goal), goal)
        except FileFormatError:
            if coming is not None:
                coming.release()
            raise
        if coming is not None:
            if self._claim is not None:
                self._claim.release()
            self._claim = coming
        self._drop_journal(discard=True)
        self._path, self._unsaved, self.looking = goal, False, False
        self.undo_stack.set_clean()
        return goal

    def _with_whole_path(self, goal: Path) -> Project:
        """The project with a recording path that still leads there when it is saved in another folder."""
        place = Path(self._project.recording.path)
        if not self._project.recording.path:
            return self._project
        if self._path is not None and not place.is_absolute() and self._path.parent.resolve() != goal.parent.resolve():
            place = (self._path.parent / place).resolve()
        return replace(self._project, recording=replace(self._project.recording, path=str(place)))

    def saw_disk(self) -> None:
        """What lies on disk now is known, and may be written over: the person took it, or decided against it."""
        if self._path is not None:
            self._saved = project_file.fingerprint(self._path)

    def release(self) -> None:
        """Let others open the file, as just before it is opened anew here; saving claims it again."""
        if self._claim is not None:
            self._claim.release()
            self._claim = None

    def close(self, *, discard: bool = True) -> None:
        """End it. discard: the journal goes, as all is saved or the person let the edits go; else it stays for
        recovery."""
        self._drop_journal(discard=discard)
        self._unsaved = False
        self.undo_stack.set_clean()
        self.release()

    def _drop_journal(self, *, discard: bool) -> None:
        if self._journal is not None:
            self._journal.close(discard=discard)
            self._journal = None
        self._unkept = None


def is_protected(path: Path) -> bool:
    """Whether a file that is there must not be written: by its own mode, as the administrator may write any."""
    try:
        return not path.stat().st_mode & stat.S_IWUSR or not os.access(path, os.W_OK)
    except OSError:
        return False


def open_document(path: Path) -> Document:
    """Open a project file for editing.

    Raises FileFormatError where it cannot be read, and InUseError where another session edits it. Edits that a killed
    session left stay where they are (recovery.left_behind).
    """
    held = claim(path)
    try:
        project, saved = project_file.read(path)
    except BaseException:
        held.release()
        raise
    return Document(project, path, saved=saved, held=held)


def open_to_look(path: Path) -> Document:
    """Open a project file that another session edits, to look at. Raises FileFormatError where it cannot be read."""
    project, saved = project_file.read(path)
    return Document(project, path, saved=saved, looking=True)
