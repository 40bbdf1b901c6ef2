"""Where a figure comes again: a quiet bracket over each playing, and how it moved."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from notcher.harmony.patterns import Figure, Playing
from notcher.wording import tr
from notcher.wording.figures import move_words

_HIGH = 6.0


def playing_words(playing: Playing) -> str:
    """What stands at a playing: the figure, or how it comes again."""
    return tr("figure") if playing.move is None else move_words(playing.move)


def draw_bracket(painter: QPainter, left: float, right: float, y: float) -> None:
    """A line with its ends turned down, in the painter's pen."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([
        QPointF(left, y + _HIGH), QPointF(left, y), QPointF(right, y), QPointF(right, y + _HIGH),
    ]))  # fmt: skip


def draw_figures(
    painter: QPainter, figures: Sequence[Figure], low: float, high: float, x_of: Callable[[float], float], y: float,
    colour: QColor,
) -> None:  # fmt: skip
    """Brackets over what is played between two times in seconds, in the painter's font; where words have no room, a
    sign that it is the same."""
    metrics = painter.fontMetrics()
    painter.setPen(QPen(colour, 1.2))
    for figure in figures:
        for playing in figure.playings:
            if not (low < playing.end and playing.start < high):
                continue
            left, right = x_of(playing.start), x_of(playing.end) - 3
            draw_bracket(painter, left, right, y)
            words = playing_words(playing)
            if metrics.horizontalAdvance(words) > right - left - 6:
                words = "" if playing.move is None else "="
            painter.drawText(QPointF(left + 4, y + metrics.ascent() + 1), words)
