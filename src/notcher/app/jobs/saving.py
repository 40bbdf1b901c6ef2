"""Saving: where it was, elsewhere, and over a file that something else changed meanwhile."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.jobs.runner import Runner
from notcher.app.rooms.ids import HAND_OUT
from notcher.app.state.session import Session
from notcher.document.store import ChangedOnDiskError, ProtectedError
from notcher.formats import project_file
from notcher.score.compare import with_state_of
from notcher.score.errors import NotcherError
from notcher.score.project import Project
from notcher.wording import render_message, tr


class Saving(QObject):
    """compare_wanted: the name of a state that the Hand out room is to compare with. copied_from: the file that what is
    open was copied from, None for none."""

    compare_wanted = pyqtSignal(str)

    def __init__(self, runner: Runner) -> None:
        super().__init__(runner)
        self._runner, self._desk, self._messages = runner, runner.desk, runner.messages
        self.copied_from: Path | None = None

    @property
    def name(self) -> str:
        """What the project is called on screen."""
        session = self._desk.session
        if session.path is not None:
            return session.path.stem
        return (session.project.request.title if session.is_open else "") or tr("Untitled")

    def save(self) -> bool:
        """Write the project where it is kept; ask where, the first time. Whether it was written."""
        if not self._desk.session.is_open:
            self._desk.said.emit(tr("there is nothing to save yet"))
            return False
        if self._desk.session.path is None:
            return self.save_as()
        return self._save_to(self._desk.session.path)

    def save_as(self) -> bool:
        """Ask for a name, and write the project there."""
        if not self._desk.session.is_open:
            self._desk.said.emit(tr("there is nothing to save yet"))
            return False
        recording = Path(self._desk.session.project.recording.path)
        folder = recording.parent if recording.is_absolute() else Path.cwd()
        stem = recording.stem or self.name
        suggestion = self._desk.session.path or folder / f"{stem}{project_file.SUFFIX}"
        if self.copied_from is not None:
            suggestion = self.copied_from.with_name(f"{self.copied_from.stem} copy{project_file.SUFFIX}")
        path = self._runner.ask.save_file(tr("Save the project"), str(suggestion), tr("Notcher project (*.notcher)"))
        if path is None:
            return False
        whole = path if path.suffix == project_file.SUFFIX else path.with_name(path.name + project_file.SUFFIX)
        if whole != path and whole.exists():
            # The dialog asked about the name without its ending.
            self._messages.say(
                tr("'{path}' is already there, so nothing was written.", path=whole),
                (tr("Replace"), lambda: self._save_to(whole)),
                (tr("Save elsewhere …"), self.save_as),
            )
            return False
        return self._save_to(whole)

    def _save_to(self, path: Path, *, over_changes: bool = False, over_protected: bool = False) -> bool:
        try:
            self._desk.session.save(path, over_changes=over_changes, over_protected=over_protected)
        except ProtectedError:
            self._messages.say(
                tr("'{name}' is write-protected. Nothing was written; your edits are kept.", name=path.name),
                (tr("Save all the same"), lambda: self._save_to(path, over_changes=over_changes, over_protected=True)),
                (tr("Save elsewhere …"), self.save_as),
            )
            return False
        except ChangedOnDiskError:
            self._ask_about_disk()
            return False
        except NotcherError as error:
            self._messages.say(
                tr("{error}. Nothing is lost: your edits are kept.", error=render_message(error)),
                (tr("Save elsewhere …"), self.save_as),
            )
            return False
        self.copied_from = None
        return True

    # -- a file that something else changed ----------------------------------------------------------------------

    def _ask_about_disk(self) -> None:
        """Read what lies on disk now, and let the person choose between it and what is open here."""
        document = self._desk.session.document

        def failed(why: str) -> None:
            self._messages.say(
                tr(
                    "The file was changed by something else since it was opened here, and what lies there now cannot "
                    "be read: {why}.",
                    why=why,
                ),
                (tr("Write mine over it"), lambda: self._write_over(None)),
                (tr("Save mine elsewhere …"), self.save_as),
            )

        def done(theirs: Project | None) -> None:
            if theirs is not None and document is self._desk.session.document:
                self._offer(theirs)

        self._runner.run(tr("Reading what lies on disk"), lambda _: document.on_disk(), done, failed=failed)

    def _offer(self, theirs: Project) -> None:
        path = self._desk.session.path
        name = path.name if path is not None else self.name
        self._messages.say(
            tr(
                "'{name}' was changed by something else since it was opened here. Nothing is written yet; whichever "
                "you take, the other stays as a state that the Hand out room compares with.",
                name=name,
            ),
            (tr("What differs"), lambda: self._compare(theirs)),
            (tr("Write mine over it"), lambda: self._write_over(theirs)),
            (tr("Take theirs"), lambda: self._take_theirs(theirs)),
            (tr("Save mine elsewhere …"), self.save_as),
        )

    def _compare(self, theirs: Project) -> None:
        name = kept_beside(self._desk.session, theirs, tr("on disk"))
        self._desk.show_room(HAND_OUT)
        self.compare_wanted.emit(name)
        self._offer(theirs)

    def _write_over(self, theirs: Project | None) -> None:
        path = self._desk.session.path
        if path is None:
            return
        if theirs is not None:
            kept_beside(self._desk.session, theirs, tr("on disk"))
        if self._save_to(path, over_changes=True):
            self._desk.said.emit(tr("yours was written as '{name}'", name=path.name))

    def _take_theirs(self, theirs: Project) -> None:
        session = self._desk.session
        mine = session.project
        session.document.saw_disk()
        # As one edit, so that undo brings one's own back.
        session.edit(
            tr("Take what is on disk"), lambda _: with_state_of(theirs, mine, tr("before taking theirs")), linked=False
        )
        self._desk.said.emit(tr("theirs is open now; undo brings yours back, and it is kept as a state"))


def kept_beside(session: Session, other: Project, what: str) -> str:
    """Keep another project's notes as a state of the one that is open, once; the state's name."""
    notes = other.notes
    known = next((s.name for s in session.project.states if s.notes == notes and s.phrases == other.phrases), "")
    if known:
        return known
    session.edit(tr("Keep what is on disk as a state"), lambda p: with_state_of(p, other, what), linked=False)
    return session.project.states[-1].name
