"""Both hands over the strands, on the same time axis: where the hand is, when it goes, its fingers, the pick's way."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from notcher.app.rooms.notch.strand import StrandView
from notcher.app.state.desk import Desk
from notcher.app.widgets.neck import OnNeck
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.place.strokes import Stroke, Stroked
from notcher.score.note import strikes
from notcher.wording import later, tr
from notcher.wording.hands import figure, note_words
from notcher.wording.names import ordinal

_POINTS, _LEADING = 9.5, 1.28
_ROWS = (later("hand"), later("finger"), later("pick"))
_LEAST_PX = 9.0
_NEAR_PX = 14.0


class HandLine(PaintedView):
    """Three rows. What the person said is dark, what is proposed is pale; a click selects the note."""

    def __init__(self, desk: Desk, strand: StrandView, theme: Theme) -> None:
        super().__init__(tr("Positions, fingers and strokes over time"), None)
        self._desk, self._strand, self._theme = desk, strand, theme
        self._shown: tuple[OnNeck, ...] = ()
        self._strokes: Mapping[str, Stroked] = {}
        self._size_to_type()
        self.setMouseTracking(True)
        for changed in (desk.axis.changed, desk.session.selection_changed):
            changed.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        self._theme = theme
        self._size_to_type()
        self.update()

    def _size_to_type(self) -> None:
        self._row = QFontMetricsF(font(_POINTS)).height() * _LEADING
        self.setFixedHeight(round(len(_ROWS) * self._row + 4))

    def show_hands(self, shown: Sequence[OnNeck], strokes: Mapping[str, Stroked]) -> None:
        """Show a phrase's notes, in time order, with the pick's strokes by note."""
        self._shown, self._strokes = tuple(shown), strokes
        self.showed()
        self.update()

    # -- words ---------------------------------------------------------------------------------------------------

    def in_words(self) -> str:
        """Finger and stroke of each note of the phrase."""
        if not self._shown:
            return tr("No phrase here yet.")
        return "; ".join(self._of(o) for o in self._shown)

    def _of(self, o: OnNeck) -> str:
        placed = replace(o.note, string=o.string, fret=o.fret)
        return note_words(self._desk.session.project, placed, o.hand, self._strokes.get(o.note.id))

    # -- drawing -------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        painter.setFont(font(8.5))
        painter.setPen(t.color("quiet"))
        gutter = self._strand.x_of(self._desk.axis.start)
        for k, row in enumerate(_ROWS):
            box = QRectF(2, k * self._row + 2, gutter - 6, self._row)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, tr(row))
        painter.setClipRect(QRectF(gutter, 0, self.width() - gutter, self.height()))
        self._draw_positions(painter)
        self._draw_notes(painter)

    def _middle(self, row: int) -> float:
        return 2 + (row + 0.5) * self._row

    def _draw_positions(self, painter: QPainter) -> None:
        """A line as long as the hand stays, with its name where there is room, and an arrow where it goes on."""
        t, y = self._theme, self._middle(0)
        painter.setFont(font(_POINTS, bold=True))
        metrics = QFontMetricsF(painter.font())
        stays: list[tuple[int, float, float]] = []
        for o in self._shown:
            x1, x2 = self._strand.x_of(o.note.onset), self._strand.x_of(o.note.end)
            if stays and stays[-1][0] == o.hand.position:
                stays[-1] = (stays[-1][0], stays[-1][1], x2)
            else:
                stays.append((o.hand.position, x1, x2))
        for k, (position, x1, x2) in enumerate(stays):
            until = min(x2, stays[k + 1][1]) if k + 1 < len(stays) else x2
            name = ordinal(position)
            width = metrics.horizontalAdvance(name)
            there = until - x1 > width + 10
            painter.setPen(t.color("ink"))
            if there:
                painter.drawText(QPointF(x1, y + metrics.ascent() * 0.38), name)
            painter.setPen(QPen(t.color("quiet"), 1.3))
            begin = x1 + width + 4 if there else x1
            painter.drawLine(QPointF(begin, y), QPointF(max(begin, until - 3), y))
            if k + 1 < len(stays):
                self._draw_arrow(painter, stays[k + 1][1] - 3, y)

    def _draw_arrow(self, painter: QPainter, x: float, y: float) -> None:
        side = self._row * 0.22
        painter.drawPolyline(QPolygonF([QPointF(x - side, y - side), QPointF(x, y), QPointF(x - side, y + side)]))

    def _draw_notes(self, painter: QPainter) -> None:
        """Strike by strike: what is struck together has its fingers joined, from the thinnest string on, and one
        stroke."""
        t, chosen = self._theme, self._desk.session.selection
        free_from, before = -1e9, -1.0
        own = {o.note.id: o for o in self._shown}
        for group in strikes(o.note for o in self._shown):
            struck = sorted((own[n.id] for n in group), key=lambda o: o.string)
            x = self._strand.x_of(group[0].onset)
            if x < free_from:
                continue
            picked = any(n.id in chosen for n in group)
            said = any(o.note.finger is not None or o.hand.finger is None for o in struck)
            painter.setPen(t.color("pick" if picked else "ink" if said else "quiet"))
            painter.setFont(font(_POINTS, bold=said))
            text = "+".join(figure(o.hand, o.fret) for o in struck)
            width = painter.fontMetrics().horizontalAdvance(text)
            free_from = x + max(_LEAST_PX, width + 1)
            box = QRectF(x - 2, self._middle(1) - self._row / 2, width + 8, self._row)
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
            stroked = next((self._strokes[n.id] for n in group if n.id in self._strokes), None)
            if stroked is None:
                continue
            painter.setPen(
                QPen(t.color("pick" if picked else "ink" if stroked.said else "quiet"), 2.0 if stroked.said else 1.4)
            )
            self._draw_stroke(painter, x, stroked)
            if stroked.swept and before >= 0:
                y = self._middle(2) + self._row * 0.42
                painter.drawLine(QPointF(before, y), QPointF(x + self._row * 0.5, y))
            before = x

    def _draw_stroke(self, painter: QPainter, x: float, stroked: Stroked) -> None:
        """The signs that bows and picks have long had: a bracket open below for down, a wedge for up."""
        wide, high, y = self._row * 0.42, self._row * 0.46, self._middle(2)
        top, bottom = y - high / 2, y + high / 2
        corners = (
            [QPointF(x, bottom), QPointF(x, top), QPointF(x + wide, top), QPointF(x + wide, bottom)]
            if stroked.stroke is Stroke.DOWN
            else [QPointF(x, top), QPointF(x + wide / 2, bottom), QPointF(x + wide, top)]
        )
        painter.drawPolyline(QPolygonF(corners))

    # -- mouse ---------------------------------------------------------------------------------------------------

    def _near(self, x: float) -> OnNeck | None:
        near = min(self._shown, key=lambda o: abs(self._strand.x_of(o.note.onset) - x), default=None)
        return near if near and abs(self._strand.x_of(near.note.onset) - x) <= _NEAR_PX else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """What is pointed at is said in words."""
        near = self._near(event.position().x()) if event is not None else None
        self.setToolTip(self._of(near) if near else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the note that is pointed at."""
        near = self._near(event.position().x()) if event is not None else None
        if near is not None:
            self._desk.session.select(frozenset({near.note.id}))
            self._desk.transport.seek(near.note.onset)
