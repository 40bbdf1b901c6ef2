"""Where a note may be missing: an empty, dashed tag at its time, on the lane where the hand would take it."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from notcher.app.state.desk import Desk
from notcher.app.widgets.note_paint import Frame, notched
from notcher.app.widgets.theme import Theme, font
from notcher.score.gap import Gap
from notcher.score.gaps import open_gaps
from notcher.score.project import Project


class GapMarks:
    """Draws them, and knows which one lies under the mouse. frame: where things are now."""

    def __init__(self, desk: Desk, theme: Theme, frame: Callable[[], Frame]) -> None:
        self._desk, self.theme, self._frame = desk, theme, frame
        self._known: tuple[Project, list[tuple[Gap, int]]] | None = None

    def draw(self, painter: QPainter, low: float, high: float) -> None:
        """Those between two times in seconds."""
        frame = self._frame()
        painter.setFont(font(frame.points, bold=True))
        for gap, string in self._gaps():
            if not low - 1.0 < gap.start < high + 1.0:
                continue
            looked_at = gap == self._desk.looking.gap
            rect = self._rect(frame, gap, string)
            colour = self.theme.color("pick" if looked_at else "quiet")
            painter.setPen(QPen(colour, 2.0 if looked_at else 1.3, Qt.PenStyle.DashLine))
            painter.setBrush(self.theme.color("ground"))
            painter.drawPath(notched(rect))
            painter.setPen(colour)
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, "+")

    def under(self, x: float, y: float) -> Gap | None:
        """The gap whose mark lies at a point."""
        frame = self._frame()
        at = QPointF(x, y)
        return next((g for g, string in self._gaps() if self._rect(frame, g, string).contains(at)), None)

    @staticmethod
    def _rect(frame: Frame, gap: Gap, string: int) -> QRectF:
        high = frame.tag_height
        return QRectF(frame.x_of(gap.start), frame.lanes[string - 1] - high / 2, high * 1.1, high)

    def _gaps(self) -> list[tuple[Gap, int]]:
        project = self._desk.session.project
        if self._known is None or self._known[0] is not project:
            found = [(g, _string_of(project, g)) for g in open_gaps(project)]
            self._known = (project, [(g, s) for g, s in found if s])
        return self._known[1]


def _string_of(project: Project, gap: Gap) -> int:
    """The string on which the pitch lies nearest to the hand's last fret; 0 where it is on none."""
    places = project.tuning.places(gap.midi)
    before = [n for n in project.notes_between(gap.start - 4.0, gap.start + 0.01) if n.fret]
    fret = before[-1].fret if before else 7
    return min(places, key=lambda p: abs(p[1] - fret))[0] if places else 0
