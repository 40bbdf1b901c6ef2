"""The selected note's pitch from near: measured cents against the rungs, with the written interval."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from notcher.app.widgets.note_paint import RUNG_NAMES, RUNGS
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.score.curve import Curve
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.wording import tr
from notcher.wording.notes import bend_words, place_words, vibrato_words

_LEFT, _RIGHT, _TOP, _BOTTOM = 34, 8, 10, 18


class CloseUp(PaintedView):
    """Cents over time within one note, a little before and after it."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(tr("Measured pitch of the selected note in cents"), parent)
        self._theme = theme
        self._note: Note | None = None
        self._project: Project | None = None
        self._curve = Curve(None)
        self.setFixedHeight(132)
        self.setToolTip(tr("Cents above the fretted pitch; the thick line is the written interval"))

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_note(self, note: Note | None, project: Project | None) -> None:
        """Show another note."""
        if project is not None and (self._project is None or project.contour is not self._project.contour):
            self._curve = Curve(project.contour)
        self._note, self._project = note, project
        self.showed()
        self.update()

    def in_words(self) -> str:
        """What was measured of the note, as beside it."""
        if self._note is None or self._project is None:
            return tr("No note is selected.")
        said = [f"{name}: {value}" for name, value in bend_words(self._note, self._project)]
        return (
            "; ".join(
                [place_words(self._note, self._project), *said, tr("vibrato: {how}", how=vibrato_words(self._note))]
            )
            + "."
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        note, project = self._note, self._project
        if note is None or project is None:
            return
        times, cents = self._curve.above(note, project)
        heard = cents[np.isfinite(cents)]
        written = note.bend.target_cents if note.bend else 0
        top = max(60.0, written * 1.15, float(heard.max()) * 1.08 if len(heard) else 0.0)
        bottom = min(-40.0, float(heard.min()) * 1.1 if len(heard) else 0.0)
        area = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)

        def y_of(value: float) -> float:
            return area.bottom() - (value - bottom) / (top - bottom) * area.height()

        def x_of(time: float) -> float:
            return area.left() + (time - note.onset) / note.duration * area.width()

        painter.setFont(font(8.5))
        for value in (0, *RUNGS):
            if not bottom <= value <= top:
                continue
            painter.setPen(QPen(t.color("ink" if value == written else "faint"), 2.2 if value == written else 1.0))
            painter.drawLine(QPointF(area.left(), y_of(value)), QPointF(area.right(), y_of(value)))
            painter.setPen(t.color("ink" if value == written else "quiet"))
            name = tr("fret") if value == 0 else RUNG_NAMES[value]
            beside = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y_of(value) - 8, _LEFT - 5, 16), beside, name)
        if written and written not in RUNGS:
            painter.setPen(QPen(t.color("ink"), 2.2))
            painter.drawLine(QPointF(area.left(), y_of(written)), QPointF(area.right(), y_of(written)))
        painter.setPen(QPen(t.color("pick"), 1.8))
        line = QPolygonF()
        for x, c in zip(times, cents, strict=True):
            if np.isnan(c):
                painter.drawPolyline(line)
                line = QPolygonF()
            else:
                line.append(QPointF(x_of(float(x)), y_of(float(c))))
        painter.drawPolyline(line)
        painter.setPen(t.color("quiet"))
        foot = area.bottom() + 14
        if len(heard) == 0:
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, tr("nothing was measured here"))
        painter.drawText(QPointF(area.left(), foot), tr("{ms:.0f} ms", ms=0.0))
        end = tr("{ms:.0f} ms", ms=note.duration * 1000)
        painter.drawText(QPointF(area.right() - painter.fontMetrics().horizontalAdvance(end), foot), end)
