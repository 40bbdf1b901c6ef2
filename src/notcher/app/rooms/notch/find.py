"""Find notes by description, select them all, and make them something else in one go."""

from PyQt6.QtWidgets import QLabel, QWidget

from notcher.app.rooms.notch.say import LineField
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import button, panel_rows, quiet_label
from notcher.app.widgets.theme import Theme
from notcher.formats.describe import read_description
from notcher.formats.line import LineError
from notcher.score.find import Description, change_all, find
from notcher.score.project import Project
from notcher.wording import render_message, tr, trn


class FindPanel(QWidget):
    """Two fields: what the notes are, and what they are to become."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        column, row = panel_rows(self)
        row.addWidget(QLabel(tr("Find")))
        self.wanted = self._field(
            tr("What the notes are"), tr("curls on fret 7   ·   bend whole on the G   ·   doubtful")
        )
        row.addWidget(self.wanted, 3)
        row.addWidget(QLabel(tr("and make them")))
        self.become = self._field(tr("What they are to become"), tr("bend half   ·   pull   ·   no vibrato"))
        row.addWidget(self.become, 2)
        self.here = button(tr("In this phrase only"), self._look, checkable=True)
        row.addWidget(self.here)
        row.addWidget(button(tr("Close"), self.close_find, tip=tr("Esc")))
        column.addLayout(row)
        self.note = quiet_label()
        column.addWidget(self.note)
        self.set_theme(theme)
        self.hide()
        self.wanted.textEdited.connect(lambda _: self._look())
        self.wanted.returnPressed.connect(self.select)
        self.become.textEdited.connect(lambda _: self._look())
        self.become.returnPressed.connect(self.change)
        desk.session.opened.connect(self.close_find)

    def _field(self, name: str, example: str) -> LineField:
        field = LineField()
        field.setAccessibleName(name)
        field.setPlaceholderText(example)
        field.left.connect(self.close_find)
        return field

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        for field in (self.wanted, self.become):
            field.set_theme(theme)

    def open_find(self) -> None:
        """Show it."""
        if not self._desk.session.is_open:
            self._desk.said.emit(tr("open a recording or a project first"))
            return
        self.show()
        self.wanted.setFocus()
        self.wanted.selectAll()
        self._look()

    def close_find(self) -> None:
        """Put it away; what is selected stays."""
        self.hide()

    def select(self) -> None:
        """Select every note that fits, and show the first."""
        ids = self._look()
        if ids:
            self._desk.session.select(ids)
            first = self._desk.session.selected_notes()[0]
            self._desk.axis.reveal_range(first.onset, first.end)

    def change(self) -> None:
        """Make every note that fits as the second field says; one undo takes it back."""
        ids, to = self._look(), self._read(self.become)
        if ids is None or to is None:
            return

        def edit(p: Project) -> Project:
            return change_all(p, ids, to)

        if to.string is not None or to.fret is not None:
            done = self._desk.placing.edit_fingering(tr("Change all"), edit, frozenset(ids))
        else:
            done = self._desk.session.edit(tr("Change all"), edit)
        if done:
            self._desk.session.select(ids)
            self.note.setText(tr("{notes} changed; Ctrl+Z takes it back", notes=_count(len(ids))))

    def _look(self) -> frozenset[str] | None:
        """The notes that fit, said in a line; None where a word cannot be read or nothing is said."""
        wanted, become = self._read(self.wanted), self._read(self.become)
        if wanted is None or become is None:
            return None
        if not self.wanted.text().strip():
            self.note.setText(tr("Say what the notes are: place, how reached, bend, marks; Enter selects them"))
            return None
        phrase = self._desk.phrase if self.here.isChecked() else None
        span = (phrase.start, phrase.end) if phrase is not None else (0.0, None)
        ids = find(self._desk.session.project, wanted, start=span[0], end=span[1])
        self.note.setText(
            tr("{notes} · Enter selects them, Enter in the second field changes them", notes=_count(len(ids)))
        )
        return ids

    def _read(self, field: LineField) -> Description | None:
        try:
            found = read_description(field.text())
        except LineError as error:
            field.show_wrong((error.start, error.end))
            self.note.setIndent(max(0, round(field.x_of(error.start)) + field.x() - 14))
            self.note.setText(render_message(error))
            return None
        field.show_wrong(None)
        self.note.setIndent(0)
        return found


def _count(n: int) -> str:
    return trn("{n} note", "{n} notes", n) if n else tr("no note")
