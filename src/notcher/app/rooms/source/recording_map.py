"""The whole recording on one sheet: sections, waveform, what is heard in it, and where a lead plays."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.outline import wave_image
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.score.passages import passages
from notcher.score.project import Contour, Section
from notcher.score.sections import move_section, section_end
from notcher.wording import later, listed, tr
from notcher.wording.notes import section_reference
from notcher.wording.numbers import clock

_PAD = 16
_FLAGS, _WAVE, _HEARD, _RULER = 24, 58, 74, 18
_NONE = later("Drop the recording of a solo here")
# Cents above MIDI 0 that are shown at least.
_LOWEST, _HIGHEST = 3800.0, 8800.0
_STEPS = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600)


@dataclass(slots=True)
class _Drag:
    """What the mouse holds: a section by name, or a stretch of time from `x`."""

    x: float
    section: str | None = None
    moved: bool = False


class RecordingMap(PaintedView):
    """Click to go there, drag to loop, drag a flag to move a section, click a flag to go to it."""

    rename_wanted = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(
            tr("The whole recording, with its sections, its waveform, and the lead that is heard in it"), parent
        )
        self._desk, self._theme = desk, theme
        self._drag: _Drag | None = None
        self._drags = 0
        self._columns: tuple[Contour, int, NDArray[np.float64]] | None = None
        self.setFixedHeight(_FLAGS + _WAVE + _HEARD + _RULER)
        self.setMouseTracking(True)
        for signal in (
            desk.transport.changed, desk.transport.sound_ready, desk.session.project_changed, desk.axis.changed,
        ):  # fmt: skip
            signal.connect(self.update)
            signal.connect(self.showed)
        desk.transport.moved.connect(lambda _: self.update())

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    # -- places --------------------------------------------------------------------------------------------------

    def x_of(self, time: float) -> float:
        """Pixels from the left of a time in seconds."""
        return _PAD + time / max(0.01, self._desk.axis.duration) * (self.width() - 2 * _PAD)

    def time_at(self, x: float) -> float:
        """Seconds at a pixel."""
        share = (x - _PAD) / max(1, self.width() - 2 * _PAD)
        return float(np.clip(share, 0.0, 1.0)) * self._desk.axis.duration

    def section_under(self, x: float, y: float) -> Section | None:
        """The section whose flag is there."""
        if y > _FLAGS or not self._desk.session.is_open:
            return None
        sections = self._desk.session.project.sections
        return next((s for s in reversed(sections) if self._flag(s).contains(x, max(4.0, y))), None)

    def _flag(self, section: Section) -> QRectF:
        left = self.x_of(section.start)
        right = self.x_of(section_end(self._desk.session.project, section))
        return QRectF(left, 2, max(18.0, right - left - 2), _FLAGS - 4)

    # -- drawing -------------------------------------------------------------------------------------------------

    def in_words(self) -> str:
        """Its length, its sections and where a lead is heard."""
        if not self._desk.session.is_open:
            return tr(_NONE)
        project = self._desk.session.project
        sections = [tr("{name} at {start}", name=s.name, start=clock(s.start)) for s in project.sections]
        spans = passages((n.onset, n.end) for n in project.notes)
        heard = [tr("{start} to {end}", start=clock(a), end=clock(b)) for a, b in spans]
        return "; ".join((
            tr("{length} long", length=clock(self._desk.axis.duration)),
            tr("sections {names}", names=listed(sections)) if sections else tr("no sections"),
            tr("a lead from {spans}", spans=listed(heard)) if heard else tr("nothing is measured yet"),
        )) + "."  # fmt: skip

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t, desk = self._theme, self._desk
        painter.fillRect(self.rect(), t.color("ground"))
        if not desk.session.is_open:
            painter.setPen(t.color("quiet"))
            painter.setFont(font(11))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr(_NONE))
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, bottom = float(_FLAGS), float(_FLAGS + _WAVE + _HEARD)
        loop = desk.transport.loop
        if loop:
            left = self.x_of(loop[0])
            painter.fillRect(QRectF(left, top, self.x_of(loop[1]) - left, bottom - top), t.color("loop"))
        self._draw_passages(painter, top)
        peaks = desk.transport.peaks
        if peaks is not None:
            low, high = peaks.between(0.0, desk.axis.duration, max(1, self.width() - 2 * _PAD))
            painter.drawImage(_PAD, _FLAGS, wave_image(low, high, _WAVE, t.wave))
        self._draw_heard(painter)
        self._draw_ruler(painter, bottom)
        self._draw_flags(painter, bottom)
        painter.setPen(QPen(t.color("ink"), 1.0))
        painter.setBrush(t.color("ink", 14))
        view = QRectF(
            self.x_of(desk.axis.start), top, max(3.0, self.x_of(desk.axis.end) - self.x_of(desk.axis.start)), _WAVE
        )
        painter.drawRect(view)
        painter.setPen(QPen(t.color("head"), 2))
        x = self.x_of(desk.transport.position)
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))

    def _draw_passages(self, painter: QPainter, top: float) -> None:
        t, project = self._theme, self._desk.session.project
        y = top + _WAVE
        for start, end in passages((n.onset, n.end) for n in project.notes):
            left, right = self.x_of(start), self.x_of(end)
            painter.fillRect(QRectF(left, y, right - left, _HEARD), t.color("wave", 40))
            painter.setPen(QPen(t.color("sure"), 3))
            painter.drawLine(QPointF(left, y + _HEARD - 2), QPointF(right, y + _HEARD - 2))
        painter.setPen(t.color("quiet"))
        painter.setFont(font(8.5))
        if not project.notes:
            words = tr("nothing is measured yet: what is heard will be drawn here")
            painter.drawText(QRectF(_PAD + 4, y, 500, _HEARD), Qt.AlignmentFlag.AlignVCenter, words)

    def _draw_heard(self, painter: QPainter) -> None:
        """The contour, one column a pixel: where it goes, from low to high, and how sure it is by how dark."""
        contour = self._desk.session.project.contour
        if contour is None:
            return
        width = max(1, self.width() - 2 * _PAD)
        if self._columns is None or self._columns[0] is not contour or self._columns[1] != width:
            self._columns = (contour, width, _columns(contour, width, self._desk.axis.duration))
        y0, t = _FLAGS + _WAVE, self._theme
        lowest = min(_LOWEST, 100.0 * min(self._desk.session.project.tuning.open_pitches) - 200.0)
        for x, (low, high, sure) in enumerate(self._columns[2]):
            if np.isnan(low):
                continue
            a, b = (y0 + _HEARD - 6 - (v - lowest) / (_HIGHEST - lowest) * (_HEARD - 10) for v in (low, high))
            painter.fillRect(QRectF(_PAD + x, b, 1.4, max(1.6, a - b)), t.color("sure", int(70 + 185 * min(1.0, sure))))

    def _draw_ruler(self, painter: QPainter, y: float) -> None:
        t, duration = self._theme, self._desk.axis.duration
        painter.setFont(font(8.5))
        per_second = (self.width() - 2 * _PAD) / max(duration, 0.01)
        step = next((s for s in _STEPS if s * per_second > 60), 1200)
        for k in range(int(duration // step) + 1):
            x = self.x_of(k * step)
            painter.setPen(t.color("faint"))
            painter.drawLine(QPointF(x, y), QPointF(x, y + 5))
            painter.setPen(t.color("quiet"))
            painter.drawText(QPointF(x + 3, y + 13), f"{k * step // 60}:{k * step % 60:02d}")

    def _draw_flags(self, painter: QPainter, bottom: float) -> None:
        t, project = self._theme, self._desk.session.project
        painter.setFont(font(9.5, bold=True))
        position = self._desk.transport.position
        for s in project.sections:
            box = self._flag(s)
            here = s.start <= position < section_end(project, s)
            painter.setPen(QPen(t.color("sure" if here else "faint"), 1))
            painter.setBrush(t.color("sure" if here else "panel"))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(box.left(), _FLAGS), QPointF(box.left(), bottom))
            painter.setPen(t.color("on_sure") if here else t.color("ink"))
            words = f"{s.name}  {section_reference(s)}" if s.like else s.name
            inside = box.adjusted(6, 0, -4, 0)
            shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(inside.width()))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, shown)

    # -- mouse ---------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._desk.session.is_open:
            return
        x, y = event.position().x(), event.position().y()
        section = self.section_under(x, y)
        self._drag = _Drag(x, section.name if section else None)
        self._drags += 1

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x, y = event.position().x(), event.position().y()
        drag = self._drag
        if drag is None:
            over = self.section_under(x, y)
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.IBeamCursor)
            self.setToolTip(
                tr(
                    "{name} at {start}: click to go there, drag to move it, double-click to rename it",
                    name=over.name,
                    start=clock(over.start),
                )
                if over
                else ""
            )
            return
        drag.moved = drag.moved or abs(x - drag.x) > 4
        if not drag.moved:
            return
        if drag.section is not None:
            name = drag.section
            time = self.time_at(x)
            self._desk.session.edit(
                tr("Move section"), lambda p: move_section(p, name, start=time), merge=100_000 + self._drags
            )
        else:
            self._desk.transport.set_loop((self.time_at(min(drag.x, x)), self.time_at(max(drag.x, x))))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if drag is None or drag.moved:
            return
        if drag.section is not None:
            start = next(s.start for s in self._desk.session.project.sections if s.name == drag.section)
            self._desk.go_to(start)
        else:
            self._desk.go_to(self.time_at(drag.x))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            section = self.section_under(event.position().x(), event.position().y())
            if section is not None:
                self.rename_wanted.emit(section.name)


def _columns(contour: Contour, width: int, duration: float) -> NDArray[np.float64]:
    """Lowest and highest pitch in cents and mean confidence of each pixel column, NaN where nothing sounds; (width,
    3)."""
    cents = np.array(contour.decicents, dtype=np.float64) / 10.0
    cents[cents < 0] = np.nan
    sure = np.array(contour.percent, dtype=np.float64) / 100.0
    times = contour.start + contour.hop * np.arange(len(cents))
    column = np.clip((times / max(duration, 0.01) * width).astype(int), 0, width - 1)
    heard = np.isfinite(cents)
    out = np.full((width, 3), np.nan)
    low, high = np.full(width, np.inf), np.full(width, -np.inf)
    np.minimum.at(low, column[heard], cents[heard])
    np.maximum.at(high, column[heard], cents[heard])
    count = np.bincount(column[heard], minlength=width)
    total = np.bincount(column[heard], weights=sure[heard], minlength=width)
    some = count > 0
    out[some, 0], out[some, 1] = low[some], high[some]
    out[some, 2] = total[some] / count[some]
    return out
