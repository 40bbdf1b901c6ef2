"""The chord line over the strands: what sounds under the lead, and a field to say it bar by bar."""

import bisect
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, quiet_label
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import BASE_POINTS, Theme, font
from notcher.harmony.entry import Stretch, entered, following, offered, preceding, stretch_at, written
from notcher.harmony.symbols import symbol_text
from notcher.score.chord import ChordAt
from notcher.score.chords import key_at
from notcher.score.errors import ScoreError
from notcher.wording import render_message, tr
from notcher.wording.chords import chord_name, key_words
from notcher.wording.names import german_names

_HEIGHT = 32
# Confidence under which a chord is marked as a guess.
_UNSURE = 0.6


class ChordField(Field):
    """The field itself: Tab and Shift+Tab go from bar to bar, up and down through what else it may be."""

    wanted = pyqtSignal(str)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            what = {
                Qt.Key.Key_Tab: "next", Qt.Key.Key_Backtab: "back", Qt.Key.Key_Up: "other", Qt.Key.Key_Down: "other",
                Qt.Key.Key_Escape: "leave", Qt.Key.Key_Return: "take", Qt.Key.Key_Enter: "take",
            }.get(Qt.Key(event.key()))  # fmt: skip
            if what is not None:
                self.wanted.emit(what)
                return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        staying = (Qt.FocusReason.ActiveWindowFocusReason, Qt.FocusReason.PopupFocusReason)
        if event is not None and event.reason() not in staying:
            self.wanted.emit("away")


class ChordNames(PaintedView):
    """The names where they begin, on the time axis of the strands: bold where decided, pale with a ? where unsure."""

    pressed = pyqtSignal(float)

    def __init__(
        self, desk: Desk, theme: Theme, x_of: Callable[[float], float], time_at: Callable[[float], float]
    ) -> None:
        """x_of: pixels from the left of a time in seconds, as the strands have it; time_at: the reverse."""
        super().__init__(tr("Key and chords"))
        self._desk, self._theme, self._x_of, self._time_at = desk, theme, x_of, time_at
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.session.project_changed.connect(self.update)
        desk.session.project_changed.connect(self.showed)
        desk.axis.changed.connect(self.update)
        self.set_theme(theme)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, at the size of type that is set."""
        self._theme = theme
        self.setFixedHeight(round(_HEIGHT * font(BASE_POINTS).pointSizeF() / BASE_POINTS))
        self.update()

    def in_words(self) -> str:
        if not self._desk.session.is_open or not self._desk.session.project.chords:
            return tr("No chords are known; O enters them.")
        axis = self._desk.axis
        return ", ".join(chord_name(c.chord) for c, _ in self._in_view(axis.start, axis.end))

    def _in_view(self, low: float, high: float) -> list[tuple[ChordAt, float]]:
        project = self._desk.session.project
        chords = project.chords
        first = max(0, bisect.bisect_right(chords, low, key=lambda c: c.start) - 1)
        last = bisect.bisect_left(chords, high, key=lambda c: c.start)
        duration = max(project.recording.duration, high)
        return [(chords[k], chords[k + 1].start if k + 1 < len(chords) else duration) for k in range(first, last)]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.color("ground"))
        if not self._desk.session.is_open:
            return
        axis, middle = self._desk.axis, QRectF(self.rect())
        left = self._x_of(axis.start)
        self._draw_key(painter, left)
        chords = self._in_view(axis.start, axis.end)
        for chord, end in chords:
            x, until = max(self._x_of(chord.start), left), self._x_of(end)
            self._draw_chord(painter, chord, QRectF(x + 4, middle.top(), until - x - 8, middle.height()))
            if chord.start > axis.start:
                painter.setPen(QPen(self._theme.color("faint"), 1.0))
                painter.drawLine(QPointF(x, middle.bottom() - 7), QPointF(x, middle.bottom()))
        if not chords:
            painter.setFont(font(9))
            painter.setPen(self._theme.color("quiet"))
            text = tr("no chords yet: O enters them")
            painter.drawText(middle.adjusted(left + 4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_key(self, painter: QPainter, room: float) -> None:
        here = key_at(self._desk.session.project, self._desk.axis.start)
        if here is None:
            return
        upper = QRectF(6, 0, room - 8, self.height() * 0.46)
        painter.setFont(font(8))
        painter.setPen(self._theme.color("quiet"))
        painter.drawText(upper, Qt.AlignmentFlag.AlignBottom, tr("key"))
        painter.setFont(font(9, bold=here.decided))
        painter.setPen(self._theme.color("ink" if here.decided else "quiet"))
        name = painter.fontMetrics().elidedText(key_words(here, short=True), Qt.TextElideMode.ElideRight, int(room - 8))
        painter.drawText(upper.translated(0, self.height() * 0.46), Qt.AlignmentFlag.AlignVCenter, name)

    def _draw_chord(self, painter: QPainter, chord: ChordAt, where: QRectF) -> None:
        sure = chord.decided or chord.confidence >= _UNSURE
        painter.setFont(font(11, bold=chord.decided))
        painter.setPen(self._theme.color("ink" if chord.decided else "quiet" if sure else "faint"))
        text = chord_name(chord.chord) + ("" if sure else " ?")
        if painter.fontMetrics().horizontalAdvance(text) <= where.width() + 4:
            painter.drawText(where, Qt.AlignmentFlag.AlignVCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._desk.session.is_open:
            self.pressed.emit(self._time_at(event.position().x()))


class ChordLine(QWidget):
    """The names, and beneath them, while chords are entered, the field with what is wrong or offered."""

    entering = pyqtSignal(bool)
    """Whether chords are being entered."""
    closed = pyqtSignal()
    """The field went away while the keys were its own."""

    def __init__(
        self, desk: Desk, theme: Theme, x_of: Callable[[float], float], time_at: Callable[[float], float]
    ) -> None:
        super().__init__()
        self._desk = desk
        self.names = ChordNames(desk, theme, x_of, time_at)
        self.names.pressed.connect(self.open_at)
        self._at: Stretch | None = None
        self._turn = 0
        self.field = ChordField()
        self.field.setAccessibleName(tr("Chords of this bar"))
        self.field.setFixedWidth(190)
        self.field.wanted.connect(self._do)
        self.where, self.said = quiet_label(), quiet_label()
        self.said.setWordWrap(True)
        self._entry = QWidget()
        row = QHBoxLayout(self._entry)
        row.setContentsMargins(8, 2, 8, 4)
        row.addWidget(self.where)
        row.addWidget(self.field)
        row.addWidget(self.said, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.names)
        column.addWidget(self._entry)
        self._entry.hide()
        desk.session.opened.connect(self.close_field)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.names.set_theme(theme)

    def open_line(self) -> None:
        """Enter chords from the bar at the playhead on, or at the selected note."""
        chosen = self._desk.session.selected_notes()
        self.open_at(chosen[0].onset if chosen else self._desk.transport.position)

    def open_at(self, time: float) -> None:
        """Enter chords from the bar that holds a time on."""
        if not self._desk.session.is_open:
            return
        self.entering.emit(True)
        self._entry.show()
        self._show(stretch_at(self._desk.session.project, time))
        self.field.setFocus()

    def close_field(self) -> None:
        """Put the field away."""
        if self._at is not None:
            self._at = None
            had = self.field.hasFocus()
            self._entry.hide()
            self.entering.emit(False)
            if had:
                self.closed.emit()

    def _show(self, at: Stretch) -> None:
        project = self._desk.session.project
        self._at, self._turn = at, 0
        self._desk.axis.reveal_range(at.start, at.end)
        self.where.setText(tr("bar {bar}", bar=at.bar) if at.bar is not None else tr("{start:.1f} s", start=at.start))
        self.field.setText(written(project, at, german=german_names()))
        self.field.selectAll()
        others = [chord_name(c) for c in offered(project, at)]
        if others:
            self.said.setText(tr("Tab: next bar. Down: or {others}.", others=tr(" or ").join(others)))
        else:
            self.said.setText(tr("Tab: next bar. F#m7, A/C#, N.C., D E for two, key F#m, as bars 1-4."))

    def _do(self, what: str) -> None:
        if self._at is None:
            return
        if what == "leave":
            self.close_field()
        elif what == "other":
            self._turn_over()
        elif what == "away":
            # Whoever goes on elsewhere keeps what can be read.
            self._take()
            self.close_field()
        elif self._take() and self._at is not None:
            if what == "take":
                self.close_field()
            else:
                step = following if what == "next" else preceding
                here = step(self._desk.session.project, self._at)
                duration = self._desk.session.project.recording.duration
                if here.start < duration or duration == 0:
                    self._show(here)

    def _turn_over(self) -> None:
        """The next of what the ear offers, and what stands there after the last."""
        assert self._at is not None
        project = self._desk.session.project
        german = german_names()
        choices = [written(project, self._at, german=german)]
        choices += [symbol_text(c, german=german) for c in offered(project, self._at)]
        self._turn = (self._turn + 1) % len(choices)
        self.field.setText(choices[self._turn])
        self.field.selectAll()

    def _take(self) -> bool:
        """Write what was typed into the project; what cannot be read is said beside the field, which stays."""
        assert self._at is not None
        at, text, session = self._at, self.field.text(), self._desk.session
        here = [c for c in session.project.chords if at.start - 0.02 <= c.start < at.end - 0.02]
        german = german_names()
        if text.strip() == written(session.project, at, german=german) and (
            not text.strip() or not here or all(c.decided for c in here)
        ):
            # Only looked at.
            return True
        try:
            entered(session.project, at, text, german=german)
        except ScoreError as error:
            self.said.setText(render_message(error.clause))
            return False
        session.edit(tr("Chords"), lambda p: entered(p, at, text, german=german), linked=False)
        return True
