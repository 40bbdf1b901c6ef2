"""Words under notes in one line along the time axis: degrees, counts, fingers."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from notcher.score.note import Note, strikes

_APART = 5.0
OfNote = Callable[[str], str]
"""What stands under a note of an id, '' for nothing."""


def draw_under(
    painter: QPainter, of_note: OfNote, notes: Sequence[Note], x_of: Callable[[float], float], y: float
) -> None:
    """What notes in time order have, in the painter's font and pen; notes struck together share a place, low strings
    first. What would run into the one before it is left out."""
    free = -1e9
    for stroke in strikes(notes):
        words = [of_note(n.id) for n in sorted(stroke, key=lambda n: -n.string)]
        text = " ".join(dict.fromkeys(w for w in words if w))
        x = x_of(stroke[0].onset) + 2
        if text and x >= free:
            painter.drawText(QPointF(x, y), text)
            free = x + painter.fontMetrics().horizontalAdvance(text) + _APART
