"""What each note is in the harmony, in one line under the strands."""

from collections.abc import Callable

from PyQt6.QtGui import QPainter, QPaintEvent

from notcher.app.state.desk import Desk
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.app.widgets.under_notes import draw_under
from notcher.wording import tr

_HEIGHT = 22
_SLACK_S = 0.5


class DegreeLine(PaintedView):
    """Shown where degrees are; with the time axis of the strands."""

    def __init__(self, desk: Desk, theme: Theme, x_of: Callable[[float], float]) -> None:
        """x_of: pixels from the left of a time in seconds, as the strands have it."""
        super().__init__(tr("Degrees of the notes"))
        self._desk, self._theme, self._x_of = desk, theme, x_of
        desk.axis.changed.connect(self.update)
        desk.analysis.changed.connect(self._show)
        self.set_theme(theme)
        self._show()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        self._theme = theme
        self.setFixedHeight(round(_HEIGHT * font(BASE_POINTS).pointSizeF() / BASE_POINTS))
        self.update()

    def _show(self) -> None:
        self.setVisible(self._desk.analysis.degrees != "off")
        self.showed()
        self.update()

    def in_words(self) -> str:
        """The degrees of what is in view, in order."""
        if not self._desk.session.is_open:
            return ""
        axis, analysis = self._desk.axis, self._desk.analysis
        shown = self._desk.session.project.notes_between(axis.start, axis.end)
        return ", ".join(d for d in (analysis.degree_at(n.id) for n in shown) if d) or tr("No degrees are known here.")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.color("ground"))
        if not self._desk.session.is_open:
            return
        axis = self._desk.axis
        painter.setPen(self._theme.color("quiet"))
        painter.setFont(font(8))
        y = self.height() * 0.68
        by_key = self._desk.analysis.degrees == "key"
        painter.drawText(6, int(y), tr("in key") if by_key else tr("degree"))
        painter.setPen(self._theme.color("ink"))
        painter.setFont(font(10))
        left = self._x_of(axis.start)
        painter.setClipRect(int(left), 0, self.width() - int(left), self.height())
        notes = self._desk.session.project.notes_between(axis.start - _SLACK_S, axis.end)
        draw_under(painter, self._desk.analysis.degree_at, notes, self._x_of, y)
