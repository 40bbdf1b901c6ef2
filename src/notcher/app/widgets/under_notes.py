"""Words under notes in one line along the time axis: degrees, counts, fingers."""

import itertools
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from notcher.score.note import Note, strikes

_APART, _SMALLEST = 4.0, 7.5
OfNote = Callable[[str], str]
"""What stands under a note of an id, '' for nothing."""


def draw_under(
    painter: QPainter, of_note: OfNote, notes: Sequence[Note], x_of: Callable[[float], float], y: float
) -> None:
    """What notes in time order have, in the painter's pen; notes struck together share a place, low strings first. The
    painter's font, smaller where words would run into one another; what does so even then is left out."""
    words = []
    for stroke in strikes(notes):
        found = [of_note(n.id) for n in sorted(stroke, key=lambda n: -n.string)]
        text = " ".join(dict.fromkeys(w for w in found if w))
        if text:
            words.append((x_of(stroke[0].onset) + 2, text))
    _fit(painter, words)
    free = -1e9
    for x, text in words:
        if x >= free:
            painter.drawText(QPointF(x, y), text)
            free = x + painter.fontMetrics().horizontalAdvance(text) + _APART


def _fit(painter: QPainter, words: Sequence[tuple[float, str]]) -> None:
    measured = painter.fontMetrics()
    room = min(
        (
            (b - a - _APART) / max(1, measured.horizontalAdvance(text))
            for (a, text), (b, _) in itertools.pairwise(words)
        ),
        default=1.0,
    )
    if room < 1.0:
        font = painter.font()
        font.setPointSizeF(max(min(_SMALLEST, font.pointSizeF()), font.pointSizeF() * room))
        painter.setFont(font)
