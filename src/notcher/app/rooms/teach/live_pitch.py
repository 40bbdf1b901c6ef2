"""The pitch that comes in, as a moving line against the fret and the goal of the bend."""

import time
from collections import deque
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF

from notcher.app.state.desk import Desk
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.audio.recording import FloatArray
from notcher.listen.frames.pitch_now import LOWEST_HZ, needed, pitch_now
from notcher.score.note import Note
from notcher.wording import tr

_SIZE, _SHOWN_S = (300, 96), 4.0
_BELOW, _ABOVE = 130.0, 130.0
# Cents from a line within which one is on it.
_ON_IT = 5.0


@dataclass(frozen=True, slots=True)
class _Moment:
    at: float
    cents: float


class LivePitch(PaintedView):
    """Cents above the fret of the next bend; its number is how far the goal is."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(tr("The pitch that comes in"))
        self._desk, self._theme = desk, theme
        self._samples: FloatArray = np.zeros(0, np.float32)
        self._moments: deque[_Moment] = deque()
        self.setFixedSize(*_SIZE)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def take_block(self, block: FloatArray) -> None:
        """More samples came in, mono, shape (n,)."""
        lowest = self._lowest_hz()
        self._samples = np.concatenate([self._samples, block])[-needed(lowest) :]
        cents, now = pitch_now(self._samples, lowest), time.monotonic()
        while self._moments and now - self._moments[0].at > _SHOWN_S:
            self._moments.popleft()
        if cents is not None:
            self._moments.append(_Moment(now, cents))
        if self.isVisible():
            self.showed()
            self.update()

    def _lowest_hz(self) -> float:
        """Down to where the guitar in hand goes, a whole step of room below."""
        if not self._desk.session.is_open:
            return LOWEST_HZ
        lowest = min(self._desk.session.project.tuning.open_pitches) - 2
        return min(LOWEST_HZ, 440.0 * float(2.0 ** ((lowest - 69) / 12)))

    def _note(self) -> Note | None:
        """The bend that sounds or comes next in what is taught, else its first note."""
        stretch = self._desk.stretch
        if stretch is None or not self._desk.session.is_open:
            return None
        notes = self._desk.shown_notes(stretch.start, stretch.end)
        bends = [n for n in notes if n.bend is not None]
        position = self._desk.transport.position
        coming = next((n for n in bends if n.end > position), None)
        return coming or (bends[0] if bends else notes[0] if notes else None)

    def _lines(self) -> tuple[float, float] | None:
        """The fret and the goal in cents above MIDI 0, as the recording is tuned."""
        note = self._note()
        if note is None:
            return None
        project = self._desk.session.project
        fret = 100.0 * note.unbent_pitch(project.tuning) + project.offset_cents
        return fret, fret + (note.bend.target_cents if note.bend is not None else 0.0)

    @property
    def now(self) -> float | None:
        """Cents above the goal, of what came in last; None for nothing."""
        lines = self._lines()
        if lines is None or not self._moments or time.monotonic() - self._moments[-1].at > 0.5:
            return None
        off = self._moments[-1].cents - lines[1]
        # Any octave of it will do.
        return (off + 600.0) % 1200.0 - 600.0

    def in_words(self) -> str:
        """How far the goal is."""
        off = self.now
        if off is None:
            return tr("no clear pitch comes in")
        if abs(off) <= _ON_IT:
            return tr("on the goal")
        if off > 0:
            return tr("{cents:.0f} cents above the goal", cents=off)
        return tr("{cents:.0f} cents below the goal", cents=-off)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        lines = self._lines()
        if lines is None:
            return
        fret, goal = lines
        low, high = fret - _BELOW, goal + _ABOVE
        width = self.width() - 86.0

        def y_of(cents: float) -> float:
            return self.height() - (cents - low) / (high - low) * self.height()

        painter.setFont(font(8.5))
        for cents, colour in ((fret, "faint"), (goal, "pick")):
            painter.setPen(QPen(t.color(colour), 1.4))
            painter.drawLine(QPointF(0, y_of(cents)), QPointF(width, y_of(cents)))
        painter.setPen(t.color("quiet"))
        painter.drawText(QPointF(4, y_of(fret) + 12), tr("fret"))
        if goal > fret:
            painter.drawText(QPointF(4, y_of(goal) - 3), tr("goal"))
        now = time.monotonic()
        painter.setPen(QPen(t.color("sure"), 2.4))
        run = QPolygonF()
        for m in self._moments:
            cents = goal + (m.cents - goal + 600.0) % 1200.0 - 600.0
            x = width * (1 - (now - m.at) / _SHOWN_S)
            if run and x - run[-1].x() > width * 0.12 / _SHOWN_S * 2:
                painter.drawPolyline(run)
                run = QPolygonF()
            run.append(QPointF(x, y_of(cents)))
        painter.drawPolyline(run)
        off = self.now
        if off is not None:
            painter.setFont(font(22, bold=True))
            painter.setPen(t.color("pick" if abs(off) <= _ON_IT else "ink"))
            painter.drawText(QPointF(width + 8, self.height() / 2 + 10), f"{off:+.0f}".replace("-", "\u2212"))
