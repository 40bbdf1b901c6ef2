"""Move a phrase over another chord, to another key, or along its scale, as a version beside what was played."""

from PyQt6.QtWidgets import QLabel, QWidget

from notcher.app.commands.versions import give_version, phrase_here
from notcher.app.rooms.notch.say import LineField
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import button, panel_rows, quiet_label
from notcher.app.widgets.theme import Theme
from notcher.harmony.moving import Moved, moved
from notcher.score import versions
from notcher.score.errors import ScoreError
from notcher.score.project import AS_PLAYED, Phrase
from notcher.wording import render_message, tr
from notcher.wording.names import german_names
from notcher.wording.notes import version_words


class MovePanel(QWidget):
    """One field; what it would come to, or what is wrong, stands under it. Enter makes the version."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._phrase: Phrase | None = None
        column, row = panel_rows(self)
        self.name = QLabel()
        row.addWidget(self.name)
        self.field = LineField()
        self.field.setAccessibleName(tr("Where the phrase is to go"))
        self.field.setPlaceholderText(tr("D   ·   next   ·   key Bm   ·   a step up   ·   +2   ·   3 frets down"))
        self.field.left.connect(self.close_panel)
        self.field.textEdited.connect(lambda _: self._look())
        self.field.returnPressed.connect(self.take)
        row.addWidget(self.field, 1)
        row.addWidget(button(tr("Close"), self.close_panel, tip=tr("Esc")))
        column.addLayout(row)
        self.note = quiet_label()
        column.addWidget(self.note)
        self.set_theme(theme)
        self.hide()
        desk.session.opened.connect(self.close_panel)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.field.set_theme(theme)

    def open_panel(self) -> None:
        """Show it for the phrase of the selected note, under the playhead, or in hand."""
        self._phrase = phrase_here(self._desk) if self._desk.session.is_open else None
        if self._phrase is None:
            return
        self.name.setText(tr("Move '{name}'", name=self._phrase.name))
        self.show()
        self.field.setFocus()
        self.field.selectAll()
        self._look()

    def close_panel(self) -> None:
        """Put it away."""
        self.hide()

    def take(self) -> None:
        """Make the version and show it."""
        found, phrase = self._look(), self._phrase
        if found is None or phrase is None:
            return
        if give_version(self._desk, tr("Move the phrase"), phrase.id, found.name, found.notes):
            self._desk.said.emit(
                tr("'{name}' {version}. What was played is kept beside it", name=phrase.name,
                   version=version_words(found.name))
            )  # fmt: skip
            self.close_panel()

    def _look(self) -> Moved | None:
        """What it would come to, said under the field; None where it cannot be."""
        phrase = self._phrase
        if phrase is None:
            return None
        project = self._desk.session.project
        if not self.field.text().strip():
            self.note.setText(tr("A chord, the next one, a key, steps of the scale or half steps; Enter takes it"))
            return None
        try:
            notes = versions.notes_of(project, versions.phrase_of(project, phrase.id), version=AS_PLAYED)
            found = moved(project, notes, self.field.text(), german=german_names())
        except ScoreError as error:
            self.note.setText(render_message(error))
            return None
        frets = [n.fret for n in found.notes if n.fret]
        where = tr("frets {low} to {high}", low=min(frets), high=max(frets)) if frets else tr("open strings")
        self.note.setText(tr("{version}: {where}; Enter takes it", version=version_words(found.name), where=where))
        return found
