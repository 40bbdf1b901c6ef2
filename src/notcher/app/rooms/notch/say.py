"""A passage as a line of words that can be edited: what is typed takes the place of the notes when Enter is pressed."""

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QComboBox, QLabel, QWidget

from notcher.app.state.desk import Desk
from notcher.app.state.settings import Settings
from notcher.app.widgets.forms import Field, button, panel_rows, quiet_label
from notcher.app.widgets.theme import Theme
from notcher.formats.line import DIALECTS, LineError, completions, read_line, written_line
from notcher.score.note import BendKind
from notcher.score.passage_edit import PassageNote, edit_passage, passage_of
from notcher.score.project import Phrase
from notcher.wording import render_message, tr, trn

_EXAMPLE = (PassageNote(3, 9, bend=(BendKind.BEND_RELEASE, 200)), PassageNote(3, 7))
_OFFERED = 4


class LineField(Field):
    """A field that completes words with Tab and underlines the one that is wrong."""

    left = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.offered: list[str] = []
        self._wrong: tuple[int, int] | None = None
        self._colour = QColor("red")
        self.textEdited.connect(self._look_for_words)
        self.cursorPositionChanged.connect(self._look_for_words)

    def set_theme(self, theme: Theme) -> None:
        """Underline in other colours."""
        self._colour = QColor(theme.doubt)

    def show_wrong(self, span: tuple[int, int] | None) -> None:
        """Underline a word, or none."""
        self._wrong = span
        self.update()

    def x_of(self, position: int) -> float:
        """Where a character stands, in pixels from the left edge."""
        metrics = self.fontMetrics()
        text, cursor = self.text(), self.cursorPosition()
        away = metrics.horizontalAdvance(text[:position]) - metrics.horizontalAdvance(text[:cursor])
        return self.cursorRect().center().x() + away

    def _look_for_words(self) -> None:
        self.offered = completions(self.text(), self.cursorPosition())[:_OFFERED]

    def complete(self) -> bool:
        """Finish the word that is being typed with the first on offer; False where none is."""
        if not self.offered:
            return False
        before, after = self.text()[: self.cursorPosition()], self.text()[self.cursorPosition() :]
        stem = len(before) - max(before.rfind(c) for c in " ,+;|") - 1
        word = self.offered[0]
        self.setText(before[: len(before) - stem] + word + after)
        self.setCursorPosition(len(before) - stem + len(word))
        self._look_for_words()
        self.textEdited.emit(self.text())
        return True

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Tab completes, Escape leaves."""
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
            return
        super().keyPressEvent(event)

    def focusNextPrevChild(self, next_: bool) -> bool:
        """Tab goes on to the next field only where there is no word to complete."""
        return self.complete() if next_ and self.offered else super().focusNextPrevChild(next_)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The text, and a line under what is wrong."""
        super().paintEvent(event)
        if self._wrong is None:
            return
        painter = QPainter(self)
        painter.setPen(QPen(self._colour, 2))
        a, b = (self.x_of(p) for p in self._wrong)
        y = self.height() - 5.0
        painter.drawLine(QPointF(a, y), QPointF(max(a + 6.0, b), y))


class SayPanel(QWidget):
    """The phrase in hand as a line, under the strands; open while it is wanted."""

    def __init__(self, desk: Desk, theme: Theme, settings: Settings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._settings = desk, settings
        self._phrase: Phrase | None = None
        column, row = panel_rows(self)
        self.name = QLabel()
        row.addWidget(self.name)
        self.field = LineField()
        self.field.setAccessibleName(tr("The phrase as a line of words"))
        self.field.setPlaceholderText(
            tr("{line} …   or   {other} …", line=written_line(_EXAMPLE), other=written_line(_EXAMPLE, DIALECTS[3]))
        )
        row.addWidget(self.field, 1)
        self.dialect = QComboBox()
        self.dialect.setAccessibleName(tr("How the line is written"))
        for dialect in DIALECTS:
            self.dialect.addItem(written_line(_EXAMPLE[:1], dialect))
        self.dialect.setCurrentIndex(min(settings.dialect, len(DIALECTS) - 1))
        row.addWidget(self.dialect)
        row.addWidget(button(tr("Close"), self.close_line, tip=tr("Esc")))
        column.addLayout(row)
        self.note = quiet_label()
        column.addWidget(self.note)
        self.set_theme(theme)
        self.hide()
        self.field.textEdited.connect(self._check)
        self.field.cursorPositionChanged.connect(self._offer)
        self.field.returnPressed.connect(self.apply)
        self.field.left.connect(self.close_line)
        self.dialect.activated.connect(self._choose_dialect)
        desk.session.project_changed.connect(self._follow)
        desk.session.opened.connect(self.close_line)

    def _choose_dialect(self, which: int) -> None:
        """Write lines so from now on, here and in Teach."""
        self._settings.dialect = which
        self._settings.save()
        self._write()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.field.set_theme(theme)

    def open_line(self) -> None:
        """Show the phrase of the selected note, or the one at the playhead."""
        session = self._desk.session
        if not session.is_open:
            self._desk.said.emit(tr("open a recording or a project first"))
            return
        chosen = session.selected_notes()
        at = chosen[0].onset if chosen else self._desk.transport.position
        phrase = session.project.phrase_at(at) or self._desk.phrase
        if phrase is None:
            self._desk.said.emit(tr("there are no phrases yet; measure the recording, or make one first"))
            return
        self._phrase = phrase
        self._write()
        self.show()
        self.field.setFocus()
        self.field.end(False)

    def close_line(self) -> None:
        """Put it away; what was not confirmed with Enter is dropped."""
        self._phrase = None
        self.hide()

    def apply(self) -> None:
        """Put what the line says in the place of the notes."""
        if self._phrase is None:
            return
        try:
            line = read_line(self.field.text())
        except LineError as error:
            self._show_error(error)
            return
        phrase = self._phrase
        changed = self._desk.session.edit(
            tr("Say the phrase"), lambda p: edit_passage(p, phrase.start, phrase.end, line)
        )
        self._write()
        if not changed:
            self.note.setText(tr("the notes are as the line says"))

    # -- keeping up --------------------------------------------------------------------------------------------------

    def _follow(self) -> None:
        if self._phrase is None:
            return
        phrases = self._desk.session.project.phrases
        self._phrase = next((p for p in phrases if p.id == self._phrase.id), None)
        if self._phrase is None:
            self.close_line()
        elif not self.field.isModified():
            self._write()

    def _write(self) -> None:
        if self._phrase is None:
            return
        notes = self._desk.session.project.notes_between(self._phrase.start, self._phrase.end)
        self.field.setText(written_line(passage_of(notes), DIALECTS[self.dialect.currentIndex()]))
        self.field.setModified(False)
        self.field.show_wrong(None)
        self.name.setText(self._phrase.name)
        self._say(len(notes))

    def _say(self, count: int) -> None:
        self.note.setIndent(0)
        self.note.setText(
            trn(
                "{n} note · Enter writes it, Tab finishes a word, Esc closes",
                "{n} notes · Enter writes them, Tab finishes a word, Esc closes", count,
            )
        )  # fmt: skip

    def _check(self) -> None:
        """What is typed is read at once; a word that is still being typed is no error yet."""
        text = self.field.text()
        try:
            line = read_line(text)
        except LineError as error:
            typing = error.end >= self.field.cursorPosition() >= error.start
            if typing and self.field.offered:
                self.field.show_wrong(None)
                self._offer()
                return
            self._show_error(error)
            return
        self.field.show_wrong(None)
        self._say(len(line))
        self._offer()

    def _offer(self) -> None:
        if self.field.offered:
            self.note.setIndent(max(0, round(self.field.x_of(self.field.cursorPosition())) + self.field.x() - 14))
            self.note.setText(tr("Tab: ") + " · ".join(self.field.offered))

    def _show_error(self, error: LineError) -> None:
        self.field.show_wrong((error.start, error.end))
        self.note.setIndent(max(0, round(self.field.x_of(error.start)) + self.field.x() - 14))
        self.note.setText(render_message(error))
