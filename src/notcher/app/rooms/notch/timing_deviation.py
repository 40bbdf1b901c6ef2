"""The lean line: how early or late each note is played against where it is written, on the time axis of the strands."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.rhythm.count import feel, places_in_bar
from notcher.rhythm.quantize import Place
from notcher.score.note import Note
from notcher.wording import tr
from notcher.wording.rhythm import feel_words

_HEIGHT = 46
_FULL_S = 0.06
_DOT = 2.6
_BESIDE_S = 2.0


class TimingDeviationLine(PaintedView):
    """One dot a note: above the middle early, below it late; joined within a phrase. Settled bar by bar while nothing
    else happens, so that no key waits for it."""

    def __init__(self, desk: Desk, theme: Theme, x_of: Callable[[float], float], parent: QWidget | None = None) -> None:
        """x_of: pixels from the left of a time in seconds, as the strands have it."""
        super().__init__(tr("How early or late each note is played"), parent)
        self._desk, self._theme, self._x_of = desk, theme, x_of
        self._bars: dict[int, list[tuple[Note, Place]]] = {}
        self._waiting: list[int] = []
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._settle_one)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.session.project_changed.connect(self._forget)
        desk.session.opened.connect(self._forget)
        desk.axis.changed.connect(self._look)
        desk.phrase_changed.connect(self.update)
        desk.phrase_changed.connect(self.showed)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        self._theme = theme
        self.setFixedHeight(round(_HEIGHT * font(BASE_POINTS).pointSizeF() / BASE_POINTS))
        self.update()

    def late_of(self, note_id: str) -> float | None:
        """Seconds a note is late (negative: early), or None while that is not known."""
        return next((p.late for row in self._bars.values() for n, p in row if n.id == note_id), None)

    # -- settling ------------------------------------------------------------------------------------------------

    def _forget(self) -> None:
        session = self._desk.session
        self.setVisible(session.is_open and session.project.tempo is not None)
        self._waiting = []
        # What was settled stays on screen until it is settled anew.
        self._look(anew=True)

    def _look(self, *, anew: bool = False) -> None:
        session, axis = self._desk.session, self._desk.axis
        tempo = session.project.tempo if session.is_open else None
        if tempo is None:
            self._bars = {}
            return
        first, last = (tempo.bar_and_beat(t)[0] for t in (axis.start, axis.end))
        self._waiting = [b for b in range(first, last + 1) if anew or b not in self._bars]
        self._bars = {b: row for b, row in self._bars.items() if not anew or first <= b <= last}
        if self._waiting:
            self._timer.start()
        self.update()

    def _settle_one(self) -> None:
        if not self._waiting or not self._desk.session.is_open:
            self._timer.stop()
            return
        bar = self._waiting.pop(0)
        self._bars[bar] = places_in_bar(self._desk.session.project, bar)
        self.showed()
        self.update()

    @property
    def settled(self) -> bool:
        """Whether all that is in view is known."""
        return not self._waiting

    # -- drawing -------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        left, middle = self._x_of(self._desk.axis.start), self.height() / 2
        painter.setFont(font(8.5))
        painter.setPen(t.color("quiet"))
        for at, word in ((0.0, tr("early")), (self.height() / 2, tr("late"))):
            where = QRectF(0, at, left - 5, self.height() / 2)
            painter.drawText(where, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, word)
        painter.setPen(QPen(t.color("faint"), 1))
        painter.drawLine(QPointF(left, middle), QPointF(self.width(), middle))
        if not self._desk.session.is_open:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(QRectF(left, 0, self.width() - left, self.height()))
        axis, project = self._desk.axis, self._desk.session.project
        rows = [
            (n, p) for bar in sorted(self._bars) for n, p in self._bars[bar]
            if not p.grace and axis.start - _BESIDE_S < n.onset < axis.end + _BESIDE_S
        ]  # fmt: skip
        seen = [ph for ph in project.phrases if ph.start < axis.end and ph.end > axis.start]
        groups = [[(n, p) for n, p in rows if ph.start <= n.onset < ph.end] for ph in seen]
        inside = {n.id for group in groups for n, _ in group}
        groups.append([(n, p) for n, p in rows if n.id not in inside])
        for k, group in enumerate(groups):
            points = [QPointF(self._x_of(n.onset), middle + self._offset(p.late)) for n, p in group]
            if k < len(seen):
                painter.setPen(QPen(t.color("wave"), 1.4))
                painter.drawPolyline(QPolygonF(points))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(t.color("sure"))
            for point in points:
                painter.drawEllipse(point, _DOT, _DOT)
        self._say_feel(painter, left)

    def in_words(self) -> str:
        """The feel of the phrase in hand."""
        return self._feel() or tr("No phrase in hand, or too few notes in it to tell a feel.")

    def _offset(self, late: float) -> float:
        room = self.height() / 2 - _DOT - 1
        return max(-1.0, min(1.0, late / _FULL_S)) * room

    def _feel(self) -> str:
        """In words, how the phrase in hand leans; empty where that is not known."""
        session, phrase = self._desk.session, self._desk.phrase
        tempo = session.project.tempo if session.is_open else None
        if phrase is None or tempo is None:
            return ""
        bars = range(tempo.bar_and_beat(phrase.start)[0], tempo.bar_and_beat(phrase.end)[0] + 1)
        if any(b not in self._bars for b in bars):
            return ""
        return feel_words(feel([p for b in bars for n, p in self._bars[b] if phrase.start <= n.onset < phrase.end]))

    def _say_feel(self, painter: QPainter, left: float) -> None:
        """The feel of the phrase in hand, where its beginning is in view."""
        phrase, said = self._desk.phrase, self._feel()
        if phrase is None or not said:
            return
        x = max(left + 6, self._x_of(phrase.start) + 6)
        metrics = painter.fontMetrics()
        spot = QRectF(x - 3, 1, metrics.horizontalAdvance(said) + 6, metrics.height())
        painter.fillRect(spot, self._theme.color("ground", 215))
        painter.setPen(self._theme.color("ink"))
        painter.drawText(QPointF(x, 1 + metrics.ascent()), said)
