"""Where a figure comes again: a quiet bracket over each playing, and how it moved."""

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from notcher.app.desk import Desk
from notcher.app.note_paint import Frame
from notcher.app.theme import Theme, font
from notcher.wording import tr
from notcher.wording.figures import move_words

_DOWN, _HIGH = 3.0, 6.0


class FigureMarks:
    """Draws them at the top of the strands; a playing begins where its first note does."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self.theme = desk, theme

    def draw(self, painter: QPainter, frame: Frame, low: float, high: float, top: float) -> None:
        """Those between two times in seconds. top: pixels from above at which the strands begin."""
        painter.setFont(font(8.5))
        metrics = painter.fontMetrics()
        pen = QPen(self.theme.color("quiet"), 1.2)
        y = top + _DOWN
        for figure in self._desk.analysis.figures:
            for playing in figure.playings:
                if not (low - 1 < playing.end and playing.start < high + 1):
                    continue
                x1, x2 = frame.x_of(playing.start), frame.x_of(playing.end) - 3
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF([
                    QPointF(x1, y + _HIGH), QPointF(x1, y), QPointF(x2, y), QPointF(x2, y + _HIGH),
                ]))  # fmt: skip
                room = int(x2 - x1 - 6)
                words = tr("figure") if playing.move is None else move_words(playing.move)
                if metrics.horizontalAdvance(words) > room:
                    # Where it has no room, that it is the same, and on the way out how often it came.
                    words = "" if playing.move is None else "="
                painter.drawText(QPointF(x1 + 4, y + metrics.ascent() + 1), words)
