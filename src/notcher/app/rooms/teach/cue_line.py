"""The phrase as one says it to somebody who plays, with the words of the sounding note lit."""

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent

from notcher.app.state.desk import Desk
from notcher.app.state.settings import Settings
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.formats.line import DIALECTS, written_line
from notcher.score.note import Note, strikes
from notcher.score.passage_edit import passage_of
from notcher.wording import tr

_SIZE, _ROW, _ROWS, _EDGE = 16.0, 28, 2, 46.0
_GAP = 10.0


class CueLine(PaintedView):
    """In the dialect in which the person writes lines; two rows, which turn with the sound."""

    def __init__(self, desk: Desk, theme: Theme, settings: Settings) -> None:
        super().__init__(tr("The phrase in words"))
        self._desk, self._theme, self._settings = desk, theme, settings
        self._cues: list[tuple[list[Note], str]] = []
        self._size_to_type()
        desk.phrase_changed.connect(self._write)
        desk.session.project_changed.connect(self._write)
        desk.transport.moved.connect(lambda _: self.update())

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self._size_to_type()
        self.update()

    def _size_to_type(self) -> None:
        """A row is as high as its type."""
        self._row = round(_ROW * font(BASE_POINTS).pointSizeF() / BASE_POINTS)
        self.setFixedHeight(self._row * _ROWS + 4)

    def showEvent(self, event: object) -> None:
        self._write()

    def _write(self) -> None:
        stretch = self._desk.stretch
        self._cues = []
        if stretch is not None and self._desk.session.is_open and self.isVisible():
            dialect = DIALECTS[min(self._settings.dialect, len(DIALECTS) - 1)]
            for stroke in strikes(self._desk.shown_notes(stretch.start, stretch.end)):
                self._cues.append((list(stroke), written_line(passage_of(stroke), dialect)))
        self.showed()
        self.update()

    def in_words(self) -> str:
        """All of it."""
        return ", ".join(words for _, words in self._cues)

    def _lit(self) -> int:
        position = self._desk.transport.position
        return max((k for k, (stroke, _) in enumerate(self._cues) if stroke[0].onset <= position), default=-1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t = self._theme
        plain, bold = font(_SIZE), font(_SIZE, bold=True)
        painter.setFont(bold)
        metrics = painter.fontMetrics()
        rows: list[list[int]] = [[]]
        x = _EDGE
        for k, (_, words) in enumerate(self._cues):
            width = metrics.horizontalAdvance(words) + _GAP
            if rows[-1] and x + width > self.width() - 12:
                rows.append([])
                x = _EDGE
            rows[-1].append(k)
            x += width
        lit = self._lit()
        at = next((r for r, row in enumerate(rows) if lit in row), 0)
        first = max(0, min(at, len(rows) - _ROWS))
        for r, row in enumerate(rows[first : first + _ROWS]):
            x = _EDGE
            for k in row:
                words = self._cues[k][1]
                shown = k == lit and self._desk.transport.playing
                painter.setFont(bold if shown else plain)
                painter.setPen(t.color("head" if shown else "ink"))
                painter.drawText(QPointF(x, self._row * (r + 0.75)), words)
                x += metrics.horizontalAdvance(words) + _GAP
