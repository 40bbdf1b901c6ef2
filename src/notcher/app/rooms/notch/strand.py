"""The strand view: strings as lanes on the recording's time axis, with its waveform and phrases above them."""

import bisect
import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from notcher.app.commands.notes import show_gap
from notcher.app.rooms.notch.gap_marks import GapMarks
from notcher.app.rooms.notch.repeats import Repeats
from notcher.app.state.desk import Desk
from notcher.app.widgets.figure_marks import draw_figures
from notcher.app.widgets.forms import Field
from notcher.app.widgets.note_paint import Frame, NotePainter
from notcher.app.widgets.outline import spans, wave_image
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.score.curve import Curve
from notcher.score.find import Standing
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.score.tempo import TempoMap
from notcher.score.tuning import FEWEST_STRINGS
from notcher.wording import tr, trn
from notcher.wording.names import string_names
from notcher.wording.notes import phrase_label, place_words, standing
from notcher.wording.numbers import clock

_GUTTER = 44
_PHRASES = 28
_WAVE = 58
_RULER = 20
_FOOT = 14
# A fret's number stays readable at two metres: digits of 11 pixels need a tag of 21.
_LEAST_TAG, _LARGEST_TAG, _TAG_SHARE = 21.0, 24.0, 0.34
_LEAST_RIBBON = 5.0
# A phrase narrower than this on screen has no room for a name.
_NAMED_PX = 26
_REPEATED = 0.38
_DENSE = 36.0
# Lanes narrower than this have no room for brackets over them.
_BRACKETS_PX = 34.0
_LONGEST_NOTE = 20.0
_SAID_AT_ONCE = 3


@dataclass(slots=True)
class _Drag:
    """What the mouse is doing since it went down. kind: loop, box or seek."""

    kind: str
    x: float
    y: float
    moved: bool = False


class StrandView(PaintedView):
    """Draws the project on the desk; says through the desk what the mouse asks for."""

    add_wanted = pyqtSignal(float, int)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None, *, least: int = 0) -> None:
        """least: its least height in pixels, 0 for one that shows a whole tag on every string."""
        super().__init__(tr("Strand view: strings, notes and measured pitch over time"), parent)
        self._desk, self._theme, self._least = desk, theme, least
        self._curve = Curve(None)
        self._curve_of: object = None
        self._onsets: list[float] = []
        # Onset, end, string and whether confirmed of all notes, shape (4, n), for drawing many at once.
        self._table = np.zeros((4, 0))
        self.repeats = Repeats()
        self._only: Standing | None = None
        self._drag: _Drag | None = None
        self._box: QRectF | None = None
        self._head_x = -1
        self._wave_image = QImage()
        self._editor: Field | None = None
        self._size_to_type()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumWidth(360)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.session.project_changed.connect(self._take_project)
        desk.session.selection_changed.connect(self.update)
        self._gap_marks = GapMarks(desk, theme, self._frame)
        desk.analysis.changed.connect(self.update)
        desk.looking.changed.connect(self.update)
        desk.axis.changed.connect(self.update)
        desk.transport.changed.connect(self.update)
        desk.transport.sound_ready.connect(self.update)
        desk.transport.moved.connect(self._move_head)
        self._take_project()
        for changed in (desk.session.project_changed, desk.session.selection_changed, desk.axis.changed):
            changed.connect(self.showed)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        self._theme = self._gap_marks.theme = theme
        self._size_to_type()
        self.update()

    def _size_to_type(self) -> None:
        """The parts that hold words grow with the type."""
        factor = font(BASE_POINTS).pointSizeF() / BASE_POINTS
        self._gutter, self._phrases, self._ruler = (round(v * factor) for v in (_GUTTER, _PHRASES, _RULER))
        self._fit()

    def _fit(self) -> None:
        """No smaller than what shows a tag on every string, where nothing else was said."""
        tags = self._phrases + self._ruler + _FOOT + round(self._strings * (_LEAST_TAG + 1))
        self.setMinimumHeight(self._least or tags)

    # -- axis ----------------------------------------------------------------------------------------------------

    def x_of(self, time: float) -> float:
        """Pixels from the left of a time in seconds."""
        axis = self._desk.axis
        return self._gutter + (time - axis.start) / axis.span * (self.width() - self._gutter)

    def time_at(self, x: float) -> float:
        """Seconds at pixels from the left."""
        axis = self._desk.axis
        return axis.start + (x - self._gutter) / max(1, self.width() - self._gutter) * axis.span

    @property
    def _per_second(self) -> float:
        return (self.width() - self._gutter) / self._desk.axis.span

    def _frame(self) -> Frame:
        top = self._phrases + self._wave + self._ruler
        gap = (self.height() - top - _FOOT) / self._strings
        tag = max(_LEAST_TAG, min(_LARGEST_TAG, gap * _TAG_SHARE) * (1.0 if self._per_second > 45 else 0.82))
        lanes = tuple(top + gap * (i + 1) - tag * 0.5 - gap * 0.2 for i in range(self._strings))
        left, start, scale = self._gutter, self._desk.axis.start, self._per_second

        def x_of(time: float) -> float:
            return left + (time - start) * scale

        return Frame(x_of, lanes, tag, max(_LEAST_RIBBON, gap - tag - 20) / 430.0, tag * 0.56)

    @property
    def _strings(self) -> int:
        return self._desk.session.project.tuning.strings if self._desk.session.is_open else FEWEST_STRINGS

    @property
    def _wave(self) -> int:
        """Pixels for the wave: where the lanes would become too narrow for a readable number, it goes first."""
        lanes = self._strings * _LEAST_TAG / _TAG_SHARE
        return round(min(_WAVE, max(0.0, self.height() - self._phrases - self._ruler - _FOOT - lanes)))

    def _painter_of_notes(self, project: Project) -> NotePainter:
        return NotePainter(self._theme, self._frame(), project, self._curve)

    # -- what changed --------------------------------------------------------------------------------------------

    def show_only(self, standing: Standing | None) -> None:
        """Let notes of any other standing step back; None: show all alike."""
        self._only = standing
        self.update()

    def _take_project(self) -> None:
        session = self._desk.session
        self._fit()
        if session.is_open:
            project = session.project
            if project.contour is not self._curve_of:
                self._curve_of, self._curve = project.contour, Curve(project.contour)
            self._onsets = [n.onset for n in project.notes]
            rows = [(n.onset, n.end, n.string, n.confirmed) for n in project.notes]
            self._table = np.array(rows, dtype=float).reshape(-1, 4).T
            self.repeats.take(project)
        self.update()

    def _move_head(self, time: float) -> None:
        if self._desk.transport.playing and self._drag is None:
            self._desk.axis.reveal(time)
        x = int(self.x_of(time))
        if x != self._head_x:
            for old in (self._head_x, x):
                self.update(old - 3, 0, 7, self.height())
            self._head_x = x

    # -- painting ------------------------------------------------------------------------------------------------

    def in_words(self) -> str:
        """The stretch in view, how many notes are in it, and what is selected; N and the arrows go through them."""
        session, axis = self._desk.session, self._desk.axis
        if not session.is_open:
            return tr("No project is open.")
        shown = session.project.notes_between(axis.start, axis.end)
        chosen = session.selected_notes()
        selected = [f"{place_words(n, session.project)}, {standing(n)}" for n in chosen[:_SAID_AT_ONCE]]
        if len(chosen) > len(selected):
            selected.append(tr("and {n} more", n=len(chosen) - len(selected)))
        said = (
            tr("selected: {notes}", notes="; ".join(selected)) if selected
            else tr("nothing is selected; N takes the next note")
        )  # fmt: skip
        span = tr("{start} to {end}", start=clock(axis.start), end=clock(axis.end))
        moved = sum(n.id in session_moved for n in shown) if (session_moved := self._desk.placing.moved) else 0
        anew = "; " + trn("{n} was placed anew", "{n} were placed anew", moved) if moved else ""
        return f"{span}, {trn('{n} note', '{n} notes', len(shown))}{anew}; {said}."

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.color("ground"))
        if not self._desk.session.is_open:
            self._draw_empty(painter)
            return
        project = self._desk.session.project
        low, high = self.time_at(self._gutter), self.time_at(self.width())
        if event is not None and event.rect().width() < 40:
            # Only the playhead moved: draw what lies under it.
            low, high = self.time_at(event.rect().left() - 8), self.time_at(event.rect().right() + 8)
        # Straight lines are sharper without, and many times faster to draw.
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        self._draw_loop(painter)
        self._draw_wave(painter)
        self._draw_ruler(painter, project)
        self._draw_lanes(painter, project)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        painter.save()
        painter.setClipRect(QRectF(self._gutter, 0, self.width() - self._gutter, self.height()))
        self._draw_phrases(painter, project)
        self._draw_notes(painter, project, low, high)
        if self._per_second >= _DENSE:
            self._gap_marks.draw(painter, low, high)
            self._draw_figures(painter, low, high)
        if self._box is not None:
            painter.setPen(QPen(self._theme.color("pick"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(self._theme.color("pick", 24))
            painter.drawRect(self._box)
        painter.restore()
        self._draw_head(painter)

    def _draw_empty(self, painter: QPainter) -> None:
        painter.setPen(self._theme.color("quiet"))
        painter.setFont(font(13))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("Open a recording in the Source room first."))

    def _draw_loop(self, painter: QPainter) -> None:
        loop = self._desk.transport.loop
        if loop:
            x1, x2 = max(self._gutter, self.x_of(loop[0])), self.x_of(loop[1])
            painter.fillRect(QRectF(x1, self._phrases, x2 - x1, self.height()), self._theme.color("loop"))
            painter.setPen(QPen(self._theme.color("quiet"), 1.4))
            for x in (x1, x2):
                painter.drawLine(QPointF(x, self._phrases), QPointF(x, self.height()))

    def _draw_wave(self, painter: QPainter) -> None:
        if self._wave < 8:
            return
        middle = self._phrases + self._wave / 2
        peaks = self._desk.transport.peaks
        painter.setPen(QPen(self._theme.color("wave"), 1))
        if peaks is None:
            painter.setPen(self._theme.color("quiet"))
            painter.setFont(font(9))
            painter.drawText(QPointF(self._gutter + 8, middle + 4), self._desk.recording_state)
            return
        low, high = peaks.between(self._desk.axis.start, self._desk.axis.end, self.width() - self._gutter)
        self._wave_image = wave_image(low, high, self._wave, self._theme.wave)
        painter.drawImage(self._gutter, self._phrases, self._wave_image)

    def _draw_ruler(self, painter: QPainter, project: Project) -> None:
        top = self._phrases + self._wave
        painter.setFont(font(8.5))
        step = next((s for s in (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300) if s * self._per_second > 58), 600)
        k = max(0, int(self._desk.axis.start / step))
        while k * step <= self._desk.axis.end:
            t = k * step
            x = self.x_of(t)
            if x >= self._gutter:
                painter.setPen(self._theme.color("faint"))
                painter.drawLine(QPointF(x, top), QPointF(x, top + 5))
                painter.setPen(self._theme.color("quiet"))
                seconds = f"{t % 60:04.1f}" if step < 1 else f"{round(t) % 60:02d}"
                painter.drawText(QPointF(x + 3, top + self._ruler * 0.68), f"{int(t + 1e-6) // 60}:{seconds}")
            k += 1
        if project.tempo is None:
            return
        self._draw_bars(painter, project.tempo, top)

    def _draw_bars(self, painter: QPainter, tempo: TempoMap, top: int) -> None:
        """Lines at the bars, and at the beats where there is room; every second, fourth ... bar where there is none."""
        bottom, size = self.height(), tempo.beats_per_bar
        first = math.floor(tempo.beat_at(self._desk.axis.start)) - size
        last = math.ceil(tempo.beat_at(self._desk.axis.end)) + 1
        bar_px = (self.width() - self._gutter) / max(1e-6, (last - first - size) / size)
        step = 1
        while bar_px * step < 26:
            step *= 2
        bars = range((tempo.bar_of(first) - 1) // step * step + 1, tempo.bar_of(last) + 1, step)
        for beat in range(max(0, first), last + 1) if bar_px >= 160 else [tempo.first_beat_of(b) for b in bars]:
            x = self.x_of(tempo.time_at(beat))
            if beat < 0 or x < self._gutter:
                continue
            on_bar = tempo.begins_bar(beat)
            pen = QPen(self._theme.color("faint"), 1.2 if on_bar else 1.0)
            if not on_bar:
                pen.setDashPattern([1, 4])
            painter.setPen(pen)
            painter.drawLine(QPointF(x, top + self._ruler), QPointF(x, bottom))
            if on_bar and bar_px * step > 34:
                painter.setPen(self._theme.color("quiet"))
                painter.drawText(QPointF(x + 3, bottom - 3), tr("bar {bar}", bar=tempo.bar_of(beat)))

    def _draw_lanes(self, painter: QPainter, project: Project) -> None:
        frame = self._frame()
        painter.setFont(font(10.5, bold=True))
        for i, (y, letter) in enumerate(zip(frame.lanes, string_names(project.tuning), strict=True)):
            painter.setPen(QPen(self._theme.color("faint"), 1.0 + 0.25 * i))
            painter.drawLine(QPointF(self._gutter, y), QPointF(self.width(), y))
            painter.setPen(self._theme.color("ink"))
            painter.drawText(QRectF(2, y - 20, self._gutter * 0.5, 40), Qt.AlignmentFlag.AlignCenter, letter)
            painter.setPen(self._theme.color("quiet"))
            number = QRectF(self._gutter * 0.5, y - 20, self._gutter * 0.4, 40)
            painter.drawText(number, Qt.AlignmentFlag.AlignCenter, str(i + 1))

    def _draw_figures(self, painter: QPainter, low: float, high: float) -> None:
        """Brackets over figures, where the lanes leave them room."""
        lanes = self._frame().lanes
        if lanes[1] - lanes[0] >= _BRACKETS_PX:
            painter.setFont(font(8.5))
            top = self._phrases + self._wave + self._ruler + 3
            figures, colour = self._desk.analysis.figures, self._theme.color("quiet")
            draw_figures(painter, figures, low - 1, high + 1, self.x_of, top, colour)

    def _draw_phrases(self, painter: QPainter, project: Project) -> None:
        painter.setFont(font(9.5, bold=True))
        position = self._desk.transport.position
        narrow: list[QLineF] = []
        ids = self._desk.placing.moved
        moved = [n.onset for n in project.notes if n.id in ids] if ids else []
        for p in project.phrases:
            if p.end < self._desk.axis.start or p.start > self._desk.axis.end:
                continue
            x1, x2 = self.x_of(p.start) + 1, self.x_of(p.end) - 1
            if x2 - x1 < _NAMED_PX:
                narrow.append(QLineF(x1, 8, x1, self._phrases - 1))
                continue
            here = p.start <= position < p.end
            painter.setPen(QPen(self._theme.color("ink" if here else "quiet"), 2.0 if here else 1.2))
            painter.drawPolyline(QPolygonF([QPointF(x1, self._phrases - 1), QPointF(x1, 8), QPointF(x1 + 6, 8)]))
            painter.drawPolyline(QPolygonF([QPointF(x2 - 6, 8), QPointF(x2, 8), QPointF(x2, self._phrases - 1)]))
            left = max(x1, self._gutter) + 9
            said = [phrase_label(p)]
            if p.id in self.repeats.words:
                said.append(self.repeats.words[p.id])
            if any(p.start <= onset < p.end for onset in moved):
                said.append(tr("placed anew"))
            name = painter.fontMetrics().elidedText(
                " · ".join(said), Qt.TextElideMode.ElideRight, max(0, int(x2 - left - 8))
            )
            painter.drawText(QPointF(left, self._phrases * 0.68), name)
        painter.setPen(QPen(self._theme.color("quiet"), 1.2))
        for line in narrow:
            painter.drawLine(line)

    def _draw_notes(self, painter: QPainter, project: Project, low: float, high: float) -> None:
        slack = 40 / self._per_second
        first = bisect.bisect_left(self._onsets, low - _LONGEST_NOTE)
        last = bisect.bisect_right(self._onsets, high + slack)
        if self._per_second < _DENSE:
            self._draw_dense(painter, project, first, last)
            return
        # Slack: a tag is wider than a short note, and reaches to the right of its end.
        shown = [n for n in project.notes[first:last] if n.end > low - slack]
        notes = self._painter_of_notes(project)
        chosen = self._desk.session.selection
        for n in shown:
            notes.draw_rungs(painter, n, names=n.id in chosen)
        for n in shown:
            notes.draw_ribbon(painter, n, n.id in chosen)
        before = self._last_on_strings(project, first)
        for n in shown:
            previous = before.get(n.string)
            if previous is not None:
                notes.draw_link(painter, previous, n)
            before[n.string] = n
        # Under all tags, so that notes close together stay readable.
        moved = self._desk.placing.moved
        for n in shown if moved else ():
            if n.id in moved:
                notes.draw_moved(painter, n)
        for n in shown:
            back = n.id in self.repeats.same or self._only not in (None, Standing.of(n))
            painter.setOpacity(_REPEATED if back and n.id not in chosen else 1.0)
            notes.draw_tag(painter, n, n.id in chosen)
        painter.setOpacity(1.0)

    @staticmethod
    def _last_on_strings(project: Project, first: int) -> dict[int, Note]:
        found: dict[int, Note] = {}
        for n in reversed(project.notes[max(0, first - 24) : first]):
            found.setdefault(n.string, n)
        return found

    def _draw_dense(self, painter: QPainter, project: Project, first: int, last: int) -> None:
        """Zoomed far out: one bar a note, no tags."""
        frame, t = self._frame(), self._theme
        chosen = self._desk.session.selection
        onset, end, strings, confirmed = self._table[:, first:last]
        left, right = frame.x_of(0.0), frame.x_of(1.0)
        x1 = (left + onset * (right - left)).astype(int)
        x2 = np.maximum((left + end * (right - left)).astype(int), x1 + 1)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        # Notes that follow one another keep a pixel between them; confirmed ones are thick, proposed ones thin.
        for string in range(1, self._strings + 1):
            y = int(frame.lanes[string - 1])
            for sure, height in ((0, 3), (1, 7)):
                mine = (strings == string) & (confirmed == sure)
                for x, until in spans(x1[mine], np.maximum(x2[mine] - 1, x1[mine] + 1), self.width()):
                    painter.fillRect(x, y - height // 2, until - x, height, t.color("sure"))
        shown = project.notes[first:last]
        for k, n in enumerate(shown):
            if n.doubt is not None or n.id in chosen:
                key = "pick" if n.id in chosen else "doubt"
                painter.fillRect(int(x1[k]), int(frame.lane(n)) - 3, int(x2[k] - x1[k]), 7, t.color(key))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if self._per_second > 4:
            self._draw_few_frets(painter, [(n, int(x), int(frame.lane(n)) - 5) for n, x in zip(shown, x1, strict=True)])

    def _draw_few_frets(self, painter: QPainter, bars: list[tuple[Note, int, int]]) -> None:
        """Fret numbers over the bars, wherever the one before leaves room."""
        painter.setFont(font(8.5, bold=True))
        painter.setPen(self._theme.color("ink"))
        metrics = painter.fontMetrics()
        free_from: dict[int, int] = {}
        for n, x, y in bars:
            if x >= free_from.get(n.string, -1000):
                text = str(n.fret)
                painter.drawText(x, y, text)
                free_from[n.string] = x + metrics.horizontalAdvance(text) + 3

    def _draw_head(self, painter: QPainter) -> None:
        x = self.x_of(self._desk.transport.position)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        if x >= self._gutter:
            painter.setPen(QPen(self._theme.color("head"), 2))
            painter.drawLine(QPointF(x, self._phrases), QPointF(x, self.height()))

    # -- mouse ---------------------------------------------------------------------------------------------------

    def note_under(self, x: float, y: float) -> Note | None:
        """The note whose tag or bar is there, the last drawn first."""
        if not self._desk.session.is_open:
            return None
        project = self._desk.session.project
        notes = self._painter_of_notes(project)
        t = self.time_at(x)
        near = project.notes_between(t - _LONGEST_NOTE, t + 40 / self._per_second)
        return next((n for n in reversed(near) if notes.bounds(n).contains(x, y)), None)

    def phrase_under(self, x: float, y: float) -> Phrase | None:
        """The phrase whose bracket is there."""
        if y > self._phrases or not self._desk.session.is_open:
            return None
        return self._desk.session.project.phrase_at(self.time_at(x))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton or not self._desk.session.is_open:
            return
        x, y = event.position().x(), event.position().y()
        phrase = self.phrase_under(x, y)
        if phrase is not None:
            self._desk.loop_phrase(phrase)
            return
        if y < self._phrases + self._wave + self._ruler:
            self._drag = _Drag("loop", x, y)
            return
        note = self.note_under(x, y)
        session = self._desk.session
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        gap = self._gap_marks.under(x, y) if note is None else None
        if gap is not None:
            show_gap(self._desk, gap)
        elif note is None:
            self._drag = _Drag("box", x, y)
        elif more:
            session.select(session.selection ^ {note.id})
        else:
            session.select(frozenset({note.id}))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x, y = event.position().x(), event.position().y()
        drag = self._drag
        if drag is None:
            self._hover(x, y)
            return
        if abs(x - drag.x) > 4 or abs(y - drag.y) > 4:
            drag.moved = True
        if not drag.moved:
            return
        if drag.kind == "loop":
            self._desk.transport.set_loop((self.time_at(min(drag.x, x)), self.time_at(max(drag.x, x))))
        else:
            self._box = QRectF(QPointF(drag.x, drag.y), QPointF(x, y)).normalized()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if drag is None or event is None:
            return
        if drag.kind == "loop" and not drag.moved:
            transport = self._desk.transport
            time = self.time_at(drag.x)
            if transport.loop and not transport.loop[0] <= time <= transport.loop[1]:
                transport.set_loop(None)
            transport.seek(max(0.0, time))
        elif drag.kind == "box":
            box, self._box = self._box, None
            chosen: frozenset[str] = frozenset()
            if box is not None:
                project = self._desk.session.project
                notes = self._painter_of_notes(project)
                near = project.notes_between(self.time_at(box.left()) - _LONGEST_NOTE, self.time_at(box.right()))
                chosen = frozenset(n.id for n in near if notes.tag_rect(n).intersects(box))
            elif self._desk.transport.playing is False:
                self._desk.transport.seek(max(0.0, self.time_at(drag.x)))
            self._desk.session.select(chosen)
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._desk.session.is_open:
            return
        x, y = event.position().x(), event.position().y()
        phrase = self.phrase_under(x, y)
        if phrase is not None:
            self.rename(phrase)
        elif y > self._phrases + self._wave + self._ruler and self.note_under(x, y) is None:
            lanes = self._frame().lanes
            string = min(range(self._strings), key=lambda i: abs(lanes[i] - y)) + 1
            self.add_wanted.emit(self.time_at(x), string)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        axis = self._desk.axis
        down, across = event.angleDelta().y(), event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            axis.zoom(0.85 ** (down / 120), at=self.time_at(event.position().x()))
        else:
            axis.scroll(-(down + across) / 120 * axis.span * 0.09)
        event.accept()

    def _hover(self, x: float, y: float) -> None:
        note = self.note_under(x, y)
        over_wave = self._phrases < y < self._phrases + self._wave + self._ruler
        self.setCursor(
            Qt.CursorShape.PointingHandCursor if note or y <= self._phrases
            else Qt.CursorShape.IBeamCursor if over_wave else Qt.CursorShape.ArrowCursor
        )  # fmt: skip
        if note is not None:
            project = self._desk.session.project
            corner = self.mapToGlobal(QPointF(x + 12, y + 14)).toPoint()
            QToolTip.showText(corner, f"{place_words(note, project)}\n{standing(note)}", self)
        else:
            QToolTip.hideText()

    # -- renaming a phrase in place ------------------------------------------------------------------------------

    def rename(self, phrase: Phrase) -> None:
        """Put a field over the phrase's bracket; Enter takes the name, Escape leaves it."""
        self._close_editor()
        self._desk.axis.reveal_range(phrase.start, min(phrase.end, phrase.start + self._desk.axis.span))
        editor = Field(phrase.name, self)
        editor.setAccessibleName(tr("Name of the phrase"))
        x = int(max(self._gutter, self.x_of(phrase.start)))
        editor.setGeometry(x, 0, int(max(140, min(320, self.x_of(phrase.end) - x))), self._phrases + 4)
        editor.selectAll()
        editor.returnPressed.connect(lambda: self._take_name(phrase.id, editor.text()))
        editor.installEventFilter(self)
        self._editor = editor
        editor.show()
        editor.setFocus()

    def _take_name(self, phrase_id: str, name: str) -> None:
        if self._desk.rename_phrase(phrase_id, name):
            self._close_editor()

    def _close_editor(self) -> None:
        if self._editor is not None:
            editor, self._editor = self._editor, None
            editor.deleteLater()
            self.setFocus()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if watched is self._editor and isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape:
            if event.type() in (QEvent.Type.KeyPress, QEvent.Type.ShortcutOverride):
                self._close_editor()
            return True
        return False
