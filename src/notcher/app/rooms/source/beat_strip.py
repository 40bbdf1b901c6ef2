"""Beats and bars over the waveform of what is in view; each can be dragged to where it is heard."""

import math
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.outline import wave_image
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.score.beats import move_bar_line, move_beat, nearest_beat
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.wording import tr, trn
from notcher.wording.numbers import clock

_TOP, _BOTTOM, _LEFT = 22, 18, 16
_GRIP = 6


@dataclass(slots=True)
class _Drag:
    """beat: the one that is held, or None where the view is dragged; x: where it began."""

    beat: int | None
    x: float
    moved: bool = False


class BeatStrip(PaintedView):
    """Thick lines are bars, thin ones beats; drag one to move it, the wheel moves along, Ctrl and the wheel zooms."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(tr("Beats and bars over the waveform in view; drag a line to move it"), parent)
        self._desk, self._theme = desk, theme
        self._drag: _Drag | None = None
        self._drags = 0
        self.taps: list[float] = []
        self.setMinimumHeight(120)
        self.setMouseTracking(True)
        for signal in (
            desk.axis.changed,
            desk.transport.changed,
            desk.transport.sound_ready,
            desk.session.project_changed,
        ):
            signal.connect(self.update)
            signal.connect(self.showed)
        desk.transport.moved.connect(self._follow)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_taps(self, taps: list[float]) -> None:
        """Mark the beats that are being tapped."""
        self.taps = taps
        self.update()

    def _follow(self, time: float) -> None:
        if self.isVisible() and self._desk.transport.playing:
            self._desk.axis.reveal(time)
        self.update()

    def x_of(self, time: float) -> float:
        """Pixels from the left of a time."""
        return _LEFT + (time - self._desk.axis.start) / self._desk.axis.span * (self.width() - 2 * _LEFT)

    def time_at(self, x: float) -> float:
        """Seconds at a pixel."""
        return self._desk.axis.start + (x - _LEFT) / max(1, self.width() - 2 * _LEFT) * self._desk.axis.span

    def in_words(self) -> str:
        """The stretch in view, its bars and its tempo."""
        if not self._desk.session.is_open:
            return tr("No recording is open.")
        axis, tempo = self._desk.axis, self._desk.session.project.tempo
        seen = tr("{start} to {end}", start=clock(axis.start), end=clock(axis.end))
        if tempo is None:
            return tr("{seen}; no beats are set.", seen=seen)
        first, last = (tempo.bar_and_beat(t)[0] for t in (axis.start, axis.end))
        return tr(
            "{seen}; bars {first} to {last}, {bpm:.1f} bpm.",
            seen=seen,
            first=first,
            last=last,
            bpm=tempo.bpm_at((axis.start + axis.end) / 2),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t, desk = self._theme, self._desk
        painter.fillRect(self.rect(), t.color("ground"))
        if not desk.session.is_open:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        loop = desk.transport.loop
        if loop:
            left = self.x_of(loop[0])
            painter.fillRect(
                QRectF(left, _TOP, self.x_of(loop[1]) - left, self.height() - _TOP - _BOTTOM), t.color("loop")
            )
        height = max(10, self.height() - _TOP - _BOTTOM)
        if desk.transport.peaks is not None:
            low, high = desk.transport.peaks.between(desk.axis.start, desk.axis.end, max(1, self.width() - 2 * _LEFT))
            painter.drawImage(_LEFT, _TOP, wave_image(low, high, height, t.wave))
        project = desk.session.project
        if project.tempo is not None:
            self._draw_beats(painter, project.tempo)
        self._draw_sections(painter, project)
        painter.setPen(QPen(t.color("doubt"), 2))
        for tap in self.taps:
            x = self.x_of(tap)
            painter.drawLine(QPointF(x, _TOP), QPointF(x, _TOP + 14))
        painter.setPen(QPen(t.color("head"), 2))
        x = self.x_of(desk.transport.position)
        painter.drawLine(QPointF(x, _TOP), QPointF(x, self.height() - _BOTTOM))

    def _draw_beats(self, painter: QPainter, tempo: TempoMap) -> None:
        t, desk = self._theme, self._desk
        first = max(0, math.floor(tempo.beat_at(desk.axis.start)))
        last = min(len(tempo.beats) - 1, math.ceil(tempo.beat_at(desk.axis.end)))
        per_beat = (self.width() - 2 * _LEFT) / max(1, last - first)
        painter.setFont(font(9, bold=True))
        free_from = 0.0
        for beat in range(first, last + 1):
            x = self.x_of(tempo.beats[beat])
            if not _LEFT - 1 <= x <= self.width() - _LEFT + 1:
                continue
            bar = tempo.bar_of(beat)
            begins = tempo.begins_bar(beat)
            if not begins and per_beat < 5:
                continue
            painter.setPen(QPen(t.color("ink"), 2.4 if begins else 1.2))
            painter.drawLine(QPointF(x, _TOP if begins else _TOP + 12), QPointF(x, self.height() - _BOTTOM))
            if begins and x >= free_from:
                size = tempo.beats_in(bar)
                other = bar >= 1 and size != tempo.beats_in(bar - 1)
                words = trn("{bar}  ({n} beat)", "{bar}  ({n} beats)", size, bar=bar) if other or bar == 1 else f"{bar}"
                painter.setPen(t.color("ink"))
                painter.drawText(QPointF(x + 4, _TOP - 6), words)
                free_from = x + painter.fontMetrics().horizontalAdvance(words) + 12
        painter.setPen(t.color("quiet"))
        painter.setFont(font(8.5))
        middle = (desk.axis.start + desk.axis.end) / 2
        words = tr("{bpm:.1f} bpm here", bpm=tempo.bpm_at(middle))
        painter.drawText(QPointF(_LEFT, self.height() - 5), words)
        end = tr("{start} to {end}", start=clock(desk.axis.start), end=clock(desk.axis.end))
        painter.drawText(
            QPointF(self.width() - _LEFT - painter.fontMetrics().horizontalAdvance(end), self.height() - 5), end
        )

    def _draw_sections(self, painter: QPainter, project: Project) -> None:
        painter.setFont(font(9, bold=True))
        for s in project.sections:
            if self._desk.axis.start <= s.start <= self._desk.axis.end:
                x = self.x_of(s.start)
                painter.setPen(QPen(self._theme.color("sure"), 1.4, Qt.PenStyle.DashLine))
                painter.drawLine(QPointF(x, _TOP), QPointF(x, self.height() - _BOTTOM))
                painter.drawText(QPointF(x + 5, self.height() - _BOTTOM - 5), s.name)

    def beat_under(self, x: float) -> int | None:
        """The beat whose line is there."""
        tempo = self._desk.session.project.tempo if self._desk.session.is_open else None
        if tempo is None:
            return None
        beat = nearest_beat(tempo, self.time_at(x))
        return beat if abs(self.x_of(tempo.beats[beat]) - x) <= _GRIP else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._desk.session.is_open:
            return
        x = event.position().x()
        self._drag = _Drag(self.beat_under(x), x)
        self._drags += 1

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        drag = self._drag
        if drag is None:
            near = self.beat_under(x) is not None
            self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.IBeamCursor)
            return
        drag.moved = drag.moved or abs(x - drag.x) > 3
        if not drag.moved:
            return
        if drag.beat is None:
            self._desk.transport.set_loop((self.time_at(min(drag.x, x)), self.time_at(max(drag.x, x))))
            return
        beat, time = drag.beat, max(0.0, self.time_at(x))

        def change(p: Project) -> Project:
            assert p.tempo is not None
            begins = p.tempo.begins_bar(beat) and 0 < beat < len(p.tempo.beats) - 1
            moved = move_bar_line(p.tempo, p.tempo.bar_of(beat), time) if begins else move_beat(p.tempo, beat, time)
            return p.with_tempo(moved)

        self._desk.session.edit(tr("Move beat"), change, merge=200_000 + self._drags)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if drag is not None and not drag.moved:
            self._desk.go_to(max(0.0, self.time_at(drag.x)))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        down, across = event.angleDelta().y(), event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._desk.axis.zoom(0.85 ** (down / 120), at=self.time_at(event.position().x()))
        else:
            self._desk.axis.scroll(-(down + across) / 120 * self._desk.axis.span * 0.09)
        event.accept()
