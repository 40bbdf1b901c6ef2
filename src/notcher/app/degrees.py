"""The degrees of notes in one line along the time axis, each under its note."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from notcher.app.analysis import Analysis
from notcher.score.note import Note, strikes

_APART = 5.0


def draw_degrees(
    painter: QPainter, analysis: Analysis, notes: Sequence[Note], x_of: Callable[[float], float], y: float
) -> None:
    """Those of notes in time order, in the painter's font and pen; notes struck together share a place, low strings
    first. What would run into the one before it is left out."""
    free = -1e9
    for stroke in strikes(notes):
        names = [analysis.degree_at(n.id) for n in sorted(stroke, key=lambda n: -n.string)]
        text = " ".join(dict.fromkeys(n for n in names if n))
        x = x_of(stroke[0].onset) + 2
        if text and x >= free:
            painter.drawText(QPointF(x, y), text)
            free = x + painter.fontMetrics().horizontalAdvance(text) + _APART
