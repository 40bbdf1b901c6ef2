"""The whole recording in one strip: its waveform, the phrases, the loop, and what is in view."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.outline import wave_image
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme
from notcher.wording import tr
from notcher.wording.numbers import clock

_PAD = 14


class Overview(PaintedView):
    """Click to go there."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(tr("The whole recording; click to go there"), parent)
        self._desk, self._theme = desk, theme
        self.framed = False
        self.setFixedHeight(50)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        for signal in (
            desk.axis.changed, desk.transport.changed, desk.transport.sound_ready, desk.session.project_changed,
            desk.phrase_changed,
        ):  # fmt: skip
            signal.connect(self.update)
        desk.transport.moved.connect(self._move_head)
        self._head = -1
        self._kept: tuple[tuple[object, ...], QPixmap] | None = None
        desk.session.project_changed.connect(self.showed)
        desk.transport.changed.connect(self.showed)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def _x(self, time: float) -> float:
        return _PAD + time / max(0.01, self._desk.axis.duration) * (self.width() - 2 * _PAD)

    def _move_head(self, time: float) -> None:
        x = int(self._x(time))
        if x != self._head:
            for old in (self._head, x):
                self.update(old - 2, 0, 5, self.height())
            self._head = x

    def in_words(self) -> str:
        """Its length, its phrases, and where the playhead stands."""
        desk = self._desk
        if not desk.session.is_open:
            return tr("No recording is open.")
        phrases = len(desk.session.project.phrases)
        at = clock(desk.transport.position)
        return tr(
            "{clock} long, {phrases} phrases; the playhead is at {at}.",
            clock=clock(desk.axis.duration),
            phrases=phrases,
            at=at,
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t, desk = self._theme, self._desk
        painter.fillRect(self.rect(), t.color("panel"))
        if not desk.session.is_open:
            return
        height = self.height()
        loop = desk.transport.loop
        if loop:
            painter.fillRect(QRectF(self._x(loop[0]), 8, self._x(loop[1]) - self._x(loop[0]), height), t.color("loop"))
        painter.drawPixmap(0, 0, self._wave_and_phrases())
        if self.framed:
            painter.setPen(QPen(t.color("ink"), 1.2))
            painter.setBrush(t.color("ink", 16))
            view = QRectF(self._x(desk.axis.start), 9, self._x(desk.axis.end) - self._x(desk.axis.start), height - 11)
            painter.drawRect(view)
        painter.setPen(QPen(t.color("head"), 2))
        x = self._x(desk.transport.position)
        painter.drawLine(QPointF(x, 0), QPointF(x, height))

    def _wave_and_phrases(self) -> QPixmap:
        """What most edits of notes leave as it is, drawn once."""
        desk, t = self._desk, self._theme
        peaks, stretch, phrases = desk.transport.peaks, desk.stretch, desk.session.project.phrases
        about = (self.size(), self.devicePixelRatioF(), t, peaks, desk.axis.duration, stretch, phrases)
        if self._kept is not None and self._kept[0] == about:
            return self._kept[1]
        picture = QPixmap(self.size() * self.devicePixelRatioF())
        picture.setDevicePixelRatio(self.devicePixelRatioF())
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        if peaks is not None:
            low, high = peaks.between(0.0, desk.axis.duration, max(1, self.width() - 2 * _PAD))
            painter.drawImage(_PAD, 8, wave_image(low, high, 40, t.wave))
        for p in phrases:
            here = stretch is not None and stretch.start <= p.start and p.end <= stretch.end
            painter.setPen(QPen(t.color("sure" if here else "quiet"), 4 if here else 2))
            painter.drawLine(QPointF(self._x(p.start) + 3, 5), QPointF(self._x(p.end) - 3, 5))
        painter.end()
        self._kept = about, picture
        return picture

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._desk.session.is_open:
            self._go(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._desk.session.is_open and event.buttons() & Qt.MouseButton.LeftButton:
            self._go(event.position().x())

    def _go(self, x: float) -> None:
        time = (x - _PAD) / max(1, self.width() - 2 * _PAD) * self._desk.axis.duration
        time = min(max(0.0, time), self._desk.axis.duration)
        loop = self._desk.transport.loop
        if loop and not loop[0] <= time <= loop[1]:
            self._desk.transport.set_loop(None)
        self._desk.transport.seek(time)
        self._desk.axis.reveal_range(time, time)
