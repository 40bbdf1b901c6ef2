"""Going through what is worth a look, what is likeliest wrong and matters most first: notes, and places where one may
be missing."""

from PyQt6.QtCore import QObject, pyqtSignal

from notcher.app.state.session import Session
from notcher.score.gap import Gap
from notcher.score.gaps import Look, looks, open_gaps, without_gap
from notcher.wording import tr

ENOUGH = 10
"""Confirmed notes that say something of the others."""


class Looking(QObject):
    """gap: the one that is looked at, or None."""

    changed = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self.gap: Gap | None = None
        self._confirmed = 0
        self._went_to: str | None = None
        session.opened.connect(self._opened)
        session.selection_changed.connect(self._selected)
        session.project_changed.connect(self._edited)

    def next(self, *, back: bool = False) -> Look | None:
        """What comes after what is looked at now, in the order of what looking is worth; None where all is confirmed.

        A note is selected; of a gap it is for the caller to bring it into view.
        """
        order = looks(self._session.project)
        if not order:
            return None
        here = self._place_in(order)
        at = (here + (-1 if back else 1)) % len(order) if here is not None else (-1 if back else 0)
        found = order[at]
        if found.note is not None:
            self._hold(None)
            self._session.select(frozenset({found.note.id}))
            self._went_to = found.note.id
        else:
            self.show(found.gap)
        return found

    def show(self, gap: Gap | None) -> None:
        """Look at a gap, or at none."""
        self._session.select(frozenset())
        self._hold(gap)

    def write(self) -> bool:
        """Write the note that may be missing where one looks, and select it; whether there is such a place."""
        gap = self.gap
        if gap is None:
            return False
        from notcher.pipeline.place_heard import note_in_gap

        before = {n.id for n in self._session.project.notes}
        if self._session.edit(tr("Write what was missing"), lambda p: note_in_gap(p, gap)):
            self._session.select(frozenset(n.id for n in self._session.project.notes if n.id not in before))
        return True

    def nothing_there(self) -> bool:
        """The person says that nothing is missing where one looks; whether there is such a place."""
        gap = self.gap
        if gap is None:
            return False
        return self._session.edit(tr("Nothing is missing here"), lambda p: without_gap(p, gap))

    def _place_in(self, order: list[Look]) -> int | None:
        """Where it went last, while that is still selected; None: from the beginning."""
        ids = self._session.selection
        for k, look in enumerate(order):
            here = look.note is not None and look.note.id == self._went_to and look.note.id in ids
            if here or (look.gap is not None and look.gap == self.gap):
                return k
        return None

    def _selected(self) -> None:
        if self._session.selection:
            self._hold(None)

    def _opened(self) -> None:
        self._confirmed = sum(n.confirmed for n in self._session.project.notes)
        self._hold(None)

    def _edited(self) -> None:
        notes = self._session.project.notes
        confirmed = sum(n.confirmed for n in notes)
        if self._confirmed < ENOUGH <= confirmed < len(notes):
            self.said.emit(tr("{n} notes are confirmed: Ctrl+U weighs what is still proposed by them", n=confirmed))
        self._confirmed = confirmed
        if self.gap is not None and self.gap not in open_gaps(self._session.project):
            self._hold(None)

    def _hold(self, gap: Gap | None) -> None:
        if gap != self.gap:
            self.gap = gap
            self.changed.emit()
