"""Draws notes: a notched tag on its lane, the measured pitch as a ribbon above it, and the signs of how it is played.

Used by the strand view and, larger, by the teaching room. Colour says certainty and selection only.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF

from notcher.app.widgets.theme import Theme, font
from notcher.audio.tone import cents_of
from notcher.score.curve import Curve
from notcher.score.note import BY_THE_BAR, Attack, BendKind, Mark, Note
from notcher.score.project import Project
from notcher.score.technique import MARKS, Absent
from notcher.wording import term, tr

RUNGS = (50, 100, 200, 300, 400)
RUNG_NAMES = {50: "¼", 100: "½", 200: "1", 300: "1½", 400: "2"}
_BELOW = {row.mark: row.strand for row in MARKS if not isinstance(row.strand, Absent)}
_REACHED = {Attack.RAKE: "rake", Attack.TAP: "tap"}
STRAND_WORDS = (*_BELOW.values(), *_REACHED.values(), "thumb", "h", "p")
"""What may stand at a tag, for the catalogues."""
_SMALLEST = -60.0
_FLAT = 12.0


@dataclass(frozen=True)
class Frame:
    """Where things are: x of a time in seconds, y of each lane (string 1 first), sizes in pixels."""

    x_of: Callable[[float], float]
    lanes: tuple[float, ...]
    tag_height: float
    cent: float
    points: float

    def lane(self, note: Note) -> float:
        """The y of a note's string."""
        return self.lanes[note.string - 1]


class NotePainter:
    """Paints notes of one project into one frame."""

    def __init__(self, theme: Theme, frame: Frame, project: Project, curve: Curve, *, quiet: bool = False) -> None:
        """quiet: for teaching; certainty is not shown, only what to play."""
        self._theme, self._frame, self._project, self._curve, self._quiet = theme, frame, project, curve, quiet
        self._tag_font = font(frame.points, bold=True)
        self._small_font = font(max(7.5, frame.points * 0.74))
        self._tag_metrics = QFontMetricsF(self._tag_font)
        self._small_metrics = QFontMetricsF(self._small_font)

    # -- geometry ------------------------------------------------------------------------------------------------

    def tag_rect(self, note: Note) -> QRectF:
        """The tag's rectangle; its left edge stands at the onset."""
        f = self._frame
        width = self._tag_metrics.horizontalAdvance(self._text(note)) + f.tag_height * 0.56
        return QRectF(f.x_of(note.onset), f.lane(note) - f.tag_height / 2, max(width, f.tag_height), f.tag_height)

    def bounds(self, note: Note) -> QRectF:
        """Where a click means this note: the tag and its bar."""
        tag = self.tag_rect(note)
        right = max(tag.right(), self._frame.x_of(note.end))
        return QRectF(tag.left(), tag.top(), right - tag.left(), tag.height())

    @staticmethod
    def _text(note: Note) -> str:
        core = "x" if Mark.DEAD in note.marks else str(note.fret)
        if Mark.NATURAL_HARMONIC in note.marks:
            return f"‹{note.node_fret():.1f}›" if note.partial is not None else f"‹{core}›"
        if Mark.PINCH_HARMONIC in note.marks:
            return f"«{core}»"
        return core

    # -- colours -------------------------------------------------------------------------------------------------

    def _colours(self, note: Note, selected: bool) -> tuple[QColor, QColor, QColor]:
        """Fill, edge and text."""
        t = self._theme
        if self._quiet:
            return t.color("guess"), t.color("ink"), t.color("ink")
        if note.doubt:
            fill, edge, text = t.color("doubt"), t.color("doubt"), t.color("on_doubt")
        elif note.confirmed:
            fill, edge, text = t.color("sure"), t.color("sure"), t.color("on_sure")
        else:
            fill, edge, text = t.color("guess"), t.color("sure"), t.color("ink")
        return fill, t.color("pick") if selected else edge, text

    # -- drawing -------------------------------------------------------------------------------------------------

    def draw_rungs(self, painter: QPainter, note: Note, *, names: bool) -> None:
        """The rungs a bend is measured against, over the note's length."""
        top = max(note.bend.target_cents, *(c for _, c in note.bend.points), 0) if note.bend else 0
        if top < 25:
            return
        f = self._frame
        x1, x2, zero = f.x_of(note.onset), f.x_of(note.end), self._zero(note)
        painter.setFont(self._small_font)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for cents in RUNGS:
            if cents > top + 60 and cents != note.bend.target_cents:  # type: ignore[union-attr]
                break
            y = zero - cents * f.cent
            wanted = note.bend is not None and cents == note.bend.target_cents
            pen = QPen(self._theme.color("quiet" if wanted else "faint"), 1.4 if wanted else 1.0)
            painter.setPen(pen)
            painter.drawLine(QPointF(x1, y), QPointF(x2, y))
            if names and cents * f.cent > self._small_metrics.height() * 0.5 and not wanted:
                painter.setPen(self._theme.color("quiet"))
                painter.drawText(QPointF(x2 + 2, y + self._small_metrics.ascent() * 0.4), RUNG_NAMES[cents])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)

    def draw_ribbon(self, painter: QPainter, note: Note, selected: bool) -> None:
        """The measured pitch above the fretted one, filled; a dashed line where it was written and not measured."""
        f, t = self._frame, self._theme
        zero = self._zero(note)
        by_hand_bend = note.bend is not None and not note.bend.points
        runs = [] if by_hand_bend else self._curve.outline(note, self._project)
        measured = bool(runs)
        if not measured:
            if note.bend is None and note.vibrato is None and not note.marks & BY_THE_BAR:
                return
            times = np.linspace(note.onset, note.end, 80)
            runs = [list(zip(times.tolist(), cents_of(note, times - note.onset).tolist(), strict=True))]
        colour = t.color("pick") if selected else t.color("ink" if self._quiet else "sure")
        pen = QPen(colour, 2.2 if self._quiet else 1.6)
        if not measured:
            pen.setStyle(Qt.PenStyle.DashLine)
        fill = QColor(colour)
        fill.setAlpha(50)
        for run in runs:
            points = [QPointF(f.x_of(x), zero - max(c, _SMALLEST) * f.cent) for x, c in run]
            if len(points) < 2:
                continue
            # A flat run has nothing to fill.
            if measured and max(abs(c) for _, c in run) > _FLAT:
                area = QPolygonF([QPointF(points[0].x(), zero), *points, QPointF(points[-1].x(), zero)])
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(fill)
                painter.drawPolygon(area)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))

    def draw_tag(self, painter: QPainter, note: Note, selected: bool) -> None:
        """The tag with its fret, the bar of its length, and the marks beside it."""
        f = self._frame
        rect = self.tag_rect(note)
        fill, edge, text = self._colours(note, selected)
        end = f.x_of(note.end)
        if end > rect.right():
            painter.setPen(QPen(edge, max(2.0, f.tag_height * 0.14)))
            painter.drawLine(QPointF(rect.right() - 2, f.lane(note)), QPointF(end, f.lane(note)))
        sure = note.confirmed or note.doubt is not None or self._quiet
        pen = QPen(edge, 2.4 if selected else 1.6 if sure or note.confidence >= 0.6 else 1.2)
        if not sure and note.confidence < 0.6 and not selected:
            pen.setDashPattern([2.5, 2.0])
        painter.setPen(pen)
        painter.setBrush(fill)
        painter.drawPath(notched(rect))
        painter.setPen(text)
        painter.setFont(self._tag_font)
        painter.drawText(rect.adjusted(0, 0, -f.tag_height * 0.22, 0), Qt.AlignmentFlag.AlignCenter, self._text(note))
        self._marks(painter, note, rect)

    def draw_moved(self, painter: QPainter, note: Note) -> None:
        """A second frame around the tag: it was placed anew because of what was said of others."""
        painter.setPen(QPen(self._theme.color("ink"), 1.1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(notched(self.tag_rect(note).adjusted(-3.5, -3.5, 3.5, 3.5)))

    def _marks(self, painter: QPainter, note: Note, rect: QRectF) -> None:
        f, t = self._frame, self._theme
        painter.setFont(self._small_font)
        line = self._small_metrics.height()
        below = [term("strand", word) for mark, word in _BELOW.items() if mark in note.marks]
        below += [term("strand", _REACHED[note.attack])] if note.attack in _REACHED else []
        if note.raked_from is not None:
            below.append(tr("from {string}", string=note.raked_from))
        if note.sounding is not None:
            below.append(tr("{percent:.0f} %", percent=note.sounding * 100))
        if note.finger is not None:
            below.insert(0, tr("f{finger}", finger=note.finger) if note.finger else term("strand", "thumb"))
        if below:
            painter.setPen(t.color("quiet"))
            painter.drawText(QPointF(rect.left() + 1, rect.bottom() + line * 0.85), ", ".join(below))
        if (note.doubt or note.suggested) and not self._quiet:
            painter.setPen(t.color("doubt"))
            painter.setFont(self._tag_font)
            painter.drawText(QPointF(rect.left() + 1, rect.top() - 3), "?")
        painter.setPen(QPen(t.color("ink"), max(1.4, f.tag_height * 0.08)))
        reach = f.tag_height * 0.7
        if Mark.SLIDE_IN in note.marks:
            painter.drawLine(QPointF(rect.left() - reach, rect.bottom()), QPointF(rect.left() - 2, f.lane(note) + 1))
        if Mark.SLIDE_OFF in note.marks:
            x = max(rect.right(), f.x_of(note.end))
            painter.drawLine(QPointF(x + 1, f.lane(note)), QPointF(x + reach, f.lane(note) + reach * 0.7))
        if note.vibrato is not None:
            self._wave(painter, note, rect)
        if note.bend is not None:
            self._interval(painter, note)

    def _wave(self, painter: QPainter, note: Note, rect: QRectF) -> None:
        """A wave along the bar from where the vibrato starts, with its own number of swings."""
        assert note.vibrato is not None
        f = self._frame
        x1 = max(f.x_of(note.onset + note.vibrato.start), rect.right() + 2)
        x2 = f.x_of(note.end)
        swings = note.vibrato.rate_hz * (note.duration - note.vibrato.start)
        if x2 - x1 < 6 or swings <= 0:
            return
        y = f.lane(note) + f.tag_height * 0.42
        high = f.tag_height * (0.1 + 0.16 * min(1.0, note.vibrato.extent_cents / 60.0))
        count = max(8, int((x2 - x1) / 2))
        path = QPolygonF()
        for k in range(count + 1):
            share = k / count
            path.append(QPointF(x1 + share * (x2 - x1), y - high * math.sin(2 * math.pi * swings * share)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self._theme.color("ink"), max(1.2, f.tag_height * 0.07)))
        painter.drawPolyline(path)

    def _interval(self, painter: QPainter, note: Note) -> None:
        """The written interval over the top of the ribbon."""
        assert note.bend is not None
        f = self._frame
        shape = note.bend.written_shape(note.duration)
        at, peak = max(shape, key=lambda p: p[1])
        x = f.x_of(note.onset + at)
        label = term("staff", note.bend.interval_name)
        painter.setFont(self._tag_font if self._quiet else self._small_font)
        metrics = self._tag_metrics if self._quiet else self._small_metrics
        width = metrics.horizontalAdvance(label)
        y = self._zero(note) - max(peak, note.bend.target_cents * 0.6) * f.cent - 3
        spot = QRectF(x - width / 2 - 2, y - metrics.ascent(), width + 4, metrics.ascent() + 1)
        painter.fillRect(spot, self._theme.color("ground", 215))
        painter.setPen(self._theme.color("ink"))
        painter.drawText(QPointF(x - width / 2, y - 1), label)
        if note.bend.kind is BendKind.MUTED:
            # A cross at the end of the ribbon: stopped there, before it is let down.
            side, end = f.tag_height * 0.14, QPointF(f.x_of(note.end), self._zero(note) - shape[-1][1] * f.cent)
            painter.setPen(QPen(self._theme.color("ink"), 1.6))
            painter.drawLine(end + QPointF(-side, -side), end + QPointF(side, side))
            painter.drawLine(end + QPointF(-side, side), end + QPointF(side, -side))

    def draw_link(self, painter: QPainter, before: Note, note: Note) -> None:
        """The arc of a hammer-on or pull-off, or the line of a slide, from the note before on the string."""
        if note.attack not in (Attack.HAMMER, Attack.PULL, Attack.SLIDE) or note.onset - before.end > 0.12:
            return
        a, b = self.tag_rect(before), self.tag_rect(note)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(self._theme.color("ink"), max(1.3, self._frame.tag_height * 0.07)))
        if note.attack is Attack.SLIDE:
            if b.left() - a.right() > 3:
                up = -1 if note.fret > before.fret else 1
                rise = self._frame.tag_height * 0.3
                y = a.center().y()
                left = max(a.right() + 1, b.left() - 1.6 * self._frame.tag_height)
                painter.drawLine(QPointF(left, y - up * rise), QPointF(b.left() - 1, y + up * rise))
            return
        start, end = QPointF(a.center().x(), a.bottom() + 1), QPointF(b.center().x(), b.bottom() + 1)
        depth = self._frame.tag_height * 0.42
        path = QPainterPath(start)
        path.cubicTo(start + QPointF(2, depth), end + QPointF(-2, depth), end)
        painter.drawPath(path)
        if end.x() - start.x() > self._frame.tag_height * 0.9:
            painter.setFont(self._small_font)
            sign = term("strand", "h" if note.attack is Attack.HAMMER else "p")
            middle = (start.x() + end.x()) / 2
            width = self._small_metrics.horizontalAdvance(sign)
            y = start.y() + depth * 0.75
            painter.fillRect(QRectF(middle - width / 2 - 1, y - 5, width + 2, 9), self._theme.color("ground", 225))
            painter.drawText(QPointF(middle - width / 2, y + self._small_metrics.ascent() * 0.35), sign)

    def _zero(self, note: Note) -> float:
        return self._frame.lane(note) - self._frame.tag_height / 2 - 3


def notched(rect: QRectF) -> QPainterPath:
    """A tag whose right end is cut in to a V."""
    cut = rect.height() * 0.24
    path = QPainterPath(rect.topLeft())
    path.lineTo(rect.topRight())
    path.lineTo(QPointF(rect.right() - cut, rect.center().y()))
    path.lineTo(rect.bottomRight())
    path.lineTo(rect.bottomLeft())
    path.closeSubpath()
    return path
