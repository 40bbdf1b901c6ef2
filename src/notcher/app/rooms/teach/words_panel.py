"""What the person tells whoever learns a phrase: advice, what to listen for, whether it may be left out; and advice at
single notes."""

from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.formats.line import written_line
from notcher.score.learning import LONGEST_ADVICE, advise, set_phrase_words
from notcher.score.note import Note
from notcher.score.passage_edit import passage_of
from notcher.wording import tr


class WordsPanel(QWidget):
    """Open while it is wanted; each field is kept as it is left."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 2)
        self.advice = self._field(tr("Advice for the phrase"))
        self.listen_for = self._field(tr("What to listen for"))
        self.optional = QCheckBox(tr("may be left out"))
        self.note = QComboBox()
        self.note.setAccessibleName(tr("At which note"))
        self.at_note = self._field(tr("Advice at the note"))
        grid.addWidget(quiet_label(tr("Advice")), 0, 0)
        grid.addWidget(self.advice, 0, 1, 1, 2)
        grid.addWidget(self.optional, 0, 3)
        grid.addWidget(button(tr("Close"), self.hide), 0, 4)
        grid.addWidget(quiet_label(tr("Listen for")), 1, 0)
        grid.addWidget(self.listen_for, 1, 1, 1, 2)
        grid.addWidget(quiet_label(tr("At the note")), 2, 0)
        grid.addWidget(self.note, 2, 1)
        grid.addWidget(self.at_note, 2, 2)
        grid.setColumnStretch(2, 1)
        self.advice.editingFinished.connect(lambda: self._keep(advice=self.advice.text()))
        self.listen_for.editingFinished.connect(lambda: self._keep(listen_for=self.listen_for.text()))
        self.optional.clicked.connect(lambda on: self._keep(optional=on))
        self.at_note.editingFinished.connect(self._keep_at_note)
        self.note.activated.connect(lambda _: self._show_note())
        desk.phrase_changed.connect(self.refresh)
        desk.session.project_changed.connect(self.refresh)
        self.hide()

    def _field(self, name: str) -> Field:
        made = Field()
        made.setAccessibleName(name)
        made.setMaxLength(LONGEST_ADVICE)
        return made

    def toggle(self) -> None:
        """Open it at its first field, or put it away."""
        self.setVisible(not self.isVisible())
        if self.isVisible():
            self.refresh()
            self.advice.setFocus()

    def _notes(self) -> tuple[Note, ...]:
        phrase = self._desk.phrase
        return self._desk.session.project.notes_between(phrase.start, phrase.end) if phrase is not None else ()

    def refresh(self) -> None:
        """Show what is written at the phrase in hand."""
        if not self.isVisible():
            return
        phrase = self._desk.phrase
        self.setEnabled(phrase is not None)
        for field, text in (
            (self.advice, phrase.advice if phrase else ""), (self.listen_for, phrase.listen_for if phrase else ""),
        ):  # fmt: skip
            if not field.hasFocus() or not field.isModified():
                field.setText(text)
        self.optional.setChecked(bool(phrase and phrase.optional))
        notes = self._notes()
        said = [tr("{k}: {note}", k=k + 1, note=written_line(passage_of([n]))) for k, n in enumerate(notes)]
        if [self.note.itemText(k) for k in range(self.note.count())] != said:
            self.note.clear()
            for words, n in zip(said, notes, strict=True):
                self.note.addItem(words, n.id)
            told = next((k for k, n in enumerate(notes) if n.advice), 0)
            self.note.setCurrentIndex(told if notes else -1)
        self._show_note()

    def _show_note(self) -> None:
        chosen = self.note.currentData()
        note = next((n for n in self._notes() if n.id == chosen), None)
        if not self.at_note.hasFocus() or not self.at_note.isModified():
            self.at_note.setText(note.advice if note is not None else "")

    def _keep(self, *, advice: str | None = None, listen_for: str | None = None, optional: bool | None = None) -> None:
        phrase = self._desk.phrase
        if phrase is None:
            return
        same = (
            (advice is None or advice.strip() == phrase.advice)
            and (listen_for is None or listen_for.strip() == phrase.listen_for)
            and (optional is None or optional == phrase.optional)
        )
        if not same:
            self._desk.session.edit(
                tr("What is told of the phrase"),
                lambda p: set_phrase_words(p, phrase.id, advice=advice, listen_for=listen_for, optional=optional),
            )

    def _keep_at_note(self) -> None:
        chosen, text = self.note.currentData(), self.at_note.text().strip()
        note = next((n for n in self._notes() if n.id == chosen), None)
        if note is not None and text != note.advice:
            self._desk.session.edit(tr("Advice at a note"), lambda p: advise(p, {note.id}, text=text), linked=False)
