"""The neck as the player sees it, with a phrase on it: places, fingers, the hand's positions, bends' goals."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from notcher.app.state.settings import Settings
from notcher.app.widgets.figure_marks import draw_bracket, playing_words
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.harmony.patterns import Playing
from notcher.place.board import Board
from notcher.place.fingers import Fingered
from notcher.place.solver import around, fingering
from notcher.score.note import Note
from notcher.score.playing import Hand
from notcher.score.project import Project
from notcher.score.tuning import FEWEST_STRINGS, STANDARD, Tuning
from notcher.wording import later, listed, term, tr, trn
from notcher.wording.hands import figure
from notcher.wording.names import ordinal, string_names

_NONE = later("No phrase here yet. Phrases are cut in the Notch room.")
_EDGE, _FOOT, _LARGE_FOOT = 34.0, 78.0, 100.0
# Height of a large neck from which the hand's bars are under it, and the foot without them.
_WITH_BARS, _NARROW_FOOT = 215, 34.0
_LARGEST_TAG, _LEAST_TAG = 46.0, 22.0
# Pixels over and under the strings together, and from one to the next at least: their letters stand beside them.
_AROUND, _LEAST_GAP = 36, 18
_LEAST_BAR = 40.0
# Points of a figure against the side of a tag, as on the large tab.
_LARGE_FIGURE = 0.56


@dataclass(frozen=True, slots=True)
class OnNeck:
    """A note on the neck: where it lies, whose finger takes it, where the hand is.

    moved: it was placed anew because of what was said of others.
    """

    note: Note
    string: int
    fret: int
    hand: Fingered
    moved: bool = False


def on_neck(
    project: Project, notes: Sequence[Note], hand: Hand, moved: frozenset[str] = frozenset()
) -> list[OnNeck]:  # fmt: skip
    """Notes where they lie, with the hand as this school has it; a finger that the person said stays."""
    hands = fingering(around(project, notes), hand=hand)
    return [OnNeck(n, n.string, n.fret, hands[n.id], moved=n.id in moved) for n in notes]


class NeckView(PaintedView):
    """The strings run as the player sees them: the thickest nearest to the eye, the nut on the left, or on the right
    for the left-handed. Distances between frets are to scale."""

    def __init__(
        self, theme: Theme, settings: Settings, *, large: bool = False, parent: QWidget | None = None
    ) -> None:  # fmt: skip
        """large: to be read from two metres."""
        super().__init__(tr("The neck with the phrase's places"), parent)
        self._settings, self._large = settings, large
        self._theme = theme
        self._shown: tuple[OnNeck, ...] = ()
        self._tuning: Tuning | None = None
        self._time = -1.0
        self._offered = False
        self._root: int | None = None
        self._tones: frozenset[int] = frozenset()
        self._playings: tuple[Playing, ...] = ()
        self._fit_strings()

    @property
    def left_handed(self) -> bool:
        """Whether the nut is on the right."""
        return self._settings.left_handed

    @property
    def _foot(self) -> float:
        """Room under the strings, for the frets' numbers and the hand's bars."""
        if not self._has_bars:
            return _NARROW_FOOT
        return _LARGE_FOOT if self._large else _FOOT

    @property
    def _has_bars(self) -> bool:
        """Whether there is room for the hand's bars; the strings come first."""
        if self._large:
            return self.height() >= _WITH_BARS
        return self.height() - _FOOT - _AROUND >= _LEAST_GAP * (self._strings - 1)

    @property
    def _strings(self) -> int:
        return self._tuning.strings if self._tuning else FEWEST_STRINGS

    def _fit_strings(self) -> None:
        """So high at least that the letters of the strings stand apart, the bars left out."""
        self.setMinimumHeight(round(_AROUND + _NARROW_FOOT + _LEAST_GAP * (self._strings - 1)))

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_places(self, shown: Sequence[OnNeck], tuning: Tuning | None, *, offered: bool = False) -> None:
        """Show notes in time order. offered: they are looked at, not taken yet."""
        self._shown, self._tuning, self._offered = tuple(shown), tuning, offered
        self._fit_strings()
        self.showed()
        self.update()

    def show_chord(self, root: int | None, tones: frozenset[int]) -> None:
        """Mark where the tones of a chord lie, by their pitch classes; None: of no chord."""
        if (root, tones) != (self._root, self._tones):
            self._root, self._tones = root, tones
            self.update()

    def show_playings(self, playings: Sequence[Playing]) -> None:
        """Bracket the frets of a figure where it is played: of the playing at the time that is shown."""
        if tuple(playings) != self._playings:
            self._playings = tuple(playings)
            self.update()

    def show_time(self, time: float) -> None:
        """Light the note that sounds at a time in seconds."""
        was = self._current()
        self._time = time
        if self._current() != was:
            self.update()

    # -- where things are ----------------------------------------------------------------------------------------

    @property
    def board(self) -> Board:
        """The part of the neck that is shown."""
        notes, frets = [o.note for o in self._shown], [o.fret for o in self._shown]
        return Board.of(notes, frets, self._tuning or STANDARD, left_handed=self.left_handed)

    def x_of(self, fret: float) -> float:
        """Pixels from the left of a fret's wire; 0 is the nut (or the capo)."""
        return self._across(self.board.share(fret))

    def _across(self, share: float) -> float:
        return _EDGE + share * (self.width() - 2 * _EDGE)

    def finger_x(self, fret: int) -> float:
        """Where a finger presses a fret: between the wires; before the nut for an open string."""
        if fret == 0:
            return self.x_of(0) + (14 if self.left_handed else -14)
        return self._across(self.board.pressed(fret))

    def y_of(self, string: int) -> float:
        """Pixels from the top of a string: the thickest is uppermost, as the player looks down on it."""
        room = self.height() - self._foot - _AROUND
        return _AROUND / 2 + (self._strings - string) / (self._strings - 1) * room

    @property
    def _bars(self) -> float:
        """How far under the thinnest string the hand's bars begin."""
        return 56.0 if self._large else 40.0

    @property
    def _tag(self) -> float:
        gap = (self.height() - self._foot - _AROUND) / (self._strings - 1)
        return max(_LEAST_TAG, min(_LARGEST_TAG, gap * 0.86))

    def _current(self) -> int | None:
        """The number of the note that sounds, or that sounded last."""
        before = [k for k, o in enumerate(self._shown) if o.note.onset <= self._time]
        if not before or self._time > self._shown[-1].note.end + 0.5:
            return None
        return before[-1]

    # -- words ---------------------------------------------------------------------------------------------------

    def in_words(self) -> str:
        """Where the hand is and goes, and how many notes are on the neck."""
        if not self._shown:
            return tr(_NONE)
        positions = self._positions()
        way = listed([tr("position {fret}", fret=p) for p, _, _ in positions])
        return f"{trn('{n} note', '{n} notes', len(self._shown))}: {way}."

    def _positions(self) -> list[tuple[int, int, int]]:
        """(position, number of its first note, of its last) along the phrase."""
        out: list[tuple[int, int, int]] = []
        for k, o in enumerate(self._shown):
            if out and out[-1][0] == o.hand.position:
                out[-1] = (out[-1][0], out[-1][1], k)
            else:
                out.append((o.hand.position, k, k))
        return out

    # -- drawing -------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        if not self._shown or self._tuning is None:
            painter.setPen(t.color("quiet"))
            painter.setFont(font(11))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, tr(_NONE))
            return
        self._draw_board(painter, self._tuning)
        self._draw_chord(painter, self._tuning)
        self._draw_hand(painter)
        self._draw_playing(painter)
        current = self._current()
        for o in self._shown:
            if o.note.bend is not None and o.fret:
                self._draw_goal(painter, o, self.y_of(o.string))
        drawn: set[tuple[int, int]] = set()
        order = range(len(self._shown))
        # The note that sounds and the next lie over all others.
        ahead = [k for k in (current, None if current is None else current + 1) if k is not None and k in order]
        for k in [*(k for k in order if k not in ahead), *reversed(ahead)]:
            o = self._shown[k]
            if k in ahead or (o.string, o.fret) not in drawn:
                self._draw_place(painter, o, lit=k == current, next_=k in ahead and k != current)
            drawn.add((o.string, o.fret))

    def _draw_board(self, painter: QPainter, tuning: Tuning) -> None:
        t = self._theme
        shown = self.board
        low, high = shown.low, shown.high
        top, bottom = self.y_of(tuning.strings), self.y_of(1)
        left, right = sorted((self.x_of(shown.first_wire), self.x_of(high)))
        painter.fillRect(QRectF(left, top - 10, right - left, bottom - top + 20), t.color("panel"))
        painter.setFont(font(max(10.0, self._tag * _LARGE_FIGURE) if self._large else 10.0, scaled=not self._large))
        for fret in range(shown.first_wire, high + 1):
            x = self.x_of(fret)
            painter.setPen(QPen(t.color("ink" if fret == 0 else "faint"), 5.0 if fret == 0 else 1.6))
            painter.drawLine(QPointF(x, top - 10), QPointF(x, bottom + 10))
            if fret == 0 or fret < low:
                continue
            middle = (self.x_of(fret - 1) + x) / 2
            painter.setPen(t.color("quiet"))
            box = QRectF(middle - 30, bottom + 12, 60, self._bars - 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(fret))
            self._draw_dots(painter, middle, (top + bottom) / 2, (bottom - top) / 4, shown.dots(fret))
        for string in tuning.numbers:
            y = self.y_of(string)
            painter.setPen(QPen(t.color("faint"), 0.9 + 0.45 * string))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
        painter.setPen(t.color("quiet"))
        painter.setFont(font(self._tag * 0.42, bold=True, scaled=False) if self._large else font(9.5, bold=True))
        beside = self.width() - _EDGE + 4 if self.left_handed else 4
        for string, letter in zip(tuning.numbers, string_names(tuning), strict=True):
            box = QRectF(beside, self.y_of(string) - 10, _EDGE - 12, 20)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, letter)

    def _draw_chord(self, painter: QPainter, tuning: Tuning) -> None:
        """A ring where a tone of the chord lies, a triangle on its root."""
        shown, side = self.board, self._tag * 0.42
        painter.setPen(QPen(self._theme.color("quiet"), 1.5))
        for string in tuning.numbers:
            for fret in range(shown.low, shown.high + 1):
                tone = tuning.pitch(string, fret) % 12
                if tone not in self._tones:
                    continue
                x, y = self.finger_x(fret), self.y_of(string)
                if tone == self._root:
                    painter.setBrush(self._theme.color("quiet"))
                    corners = ((0.0, -0.5), (0.5, 0.5), (-0.5, 0.5))
                    painter.drawPolygon(QPolygonF([QPointF(x + a * side, y + b * side) for a, b in corners]))
                else:
                    painter.setBrush(self._theme.color("panel"))
                    painter.drawEllipse(QPointF(x, y), side / 2, side / 2)

    def _draw_playing(self, painter: QPainter) -> None:
        """A bracket over the frets of the figure's playing that sounds, or of its first, with how it came there."""
        here = [p for p in self._playings if p.start <= self._time] or list(self._playings[:1])
        if not here or self._time > here[-1].end + 1.0:
            here = list(self._playings[:1])
        if not here:
            return
        frets = [o.fret for o in self._shown if o.note.id in here[-1].notes and o.fret]
        if not frets:
            return
        left, right = sorted((self.x_of(max(min(frets) - 1, self.board.first_wire)), self.x_of(max(frets))))
        painter.setPen(QPen(self._theme.color("quiet"), 1.2))
        painter.setFont(font(9.0))
        draw_bracket(painter, left + 2, right - 2, 2.0)
        painter.drawText(QPointF(right + 6, painter.fontMetrics().ascent()), playing_words(here[-1]))

    def _draw_dots(self, painter: QPainter, x: float, y: float, apart: float, count: int) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._theme.color("faint", 110))
        for side in (0.0,) if count == 1 else (-1.0, 1.0) if count == 2 else ():
            painter.drawEllipse(QPointF(x, y + side * apart), 5.0, 5.0)

    def _draw_hand(self, painter: QPainter) -> None:
        """Where the hand is along the phrase: a bar under the frets it covers, one under another as it goes on; the
        one it is at is full, the next one is framed before it is needed."""
        t = self._theme
        if not self._has_bars:
            return
        positions = self._positions()
        current = self._current()
        at = next((k for k, (_, a, b) in enumerate(positions) if current is not None and a <= current <= b), 0)
        base = self.y_of(1) + self._bars
        shown = self.board
        board = sorted((self.x_of(shown.first_wire), self.x_of(shown.high)))
        painter.setFont(font(13 if self._large else 9.5, bold=True))
        for row, k in enumerate(range(at, min(at + 2, len(positions)))):
            position = positions[k][0]
            reach = max(
                (o.fret for o in self._shown[positions[k][1] : positions[k][2] + 1] if o.fret), default=position
            )
            first, last = self.x_of(position - 1), self.x_of(max(position + 3, reach))
            left, right = sorted((first, last))
            left, right = max(left, board[0]), min(right, board[1])
            left = min(left, board[1] - _LEAST_BAR)
            high_bar = max(15, painter.fontMetrics().height() - 2)
            bar = QRectF(left + 2, base + row * (high_bar + 3), max(_LEAST_BAR, right - left) - 4, high_bar)
            painter.setPen(QPen(t.color("pick" if row == 0 else "quiet"), 1.4))
            painter.setBrush(t.color("pick", 60) if row == 0 else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(bar, 3, 3)
            painter.setPen(t.color("ink" if row == 0 else "quiet"))
            painter.drawText(bar, Qt.AlignmentFlag.AlignCenter, ordinal(position))

    def _draw_place(self, painter: QPainter, o: OnNeck, *, lit: bool, next_: bool) -> None:
        t = self._theme
        side = self._tag
        x, y = self.finger_x(o.fret), self.y_of(o.string)
        w, h = side * 0.98, side * (0.98 if self._large else 0.8)
        left, notch = x - w / 2, w * 0.16
        shape = _notched(x, y, w, h, notch)
        settled = o.note.confirmed and not self._offered
        fill = "pick" if lit else "sure" if settled else "ground"
        painter.setPen(QPen(t.color("pick" if lit or next_ else "sure"), 2.6 if next_ else 1.8))
        painter.setBrush(t.color(fill))
        painter.drawPolygon(shape)
        if o.moved:
            painter.setPen(QPen(t.color("ink"), 1.1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(_notched(x, y, w + 7, h + 7, notch))
        said = o.note.finger is not None or o.hand.finger is None
        painter.setPen(t.color("on_sure" if lit or settled else "ink" if said else "quiet"))
        if lit and t.name == "dark":
            painter.setPen(t.color("on_sure"))
        painter.setFont(font(side * (_LARGE_FIGURE if self._large else 0.42), bold=True, scaled=False))
        held = figure(o.hand, o.fret)
        painter.drawText(QRectF(left, y - h / 2, w - notch, h), Qt.AlignmentFlag.AlignCenter, held)

    def _draw_goal(self, painter: QPainter, o: OnNeck, y: float) -> None:
        """A ring where the bent string sounds like, with how far that is."""
        assert o.note.bend is not None
        x = self._across(self.board.goal(o.note, o.fret))
        painter.setPen(QPen(self._theme.color("ink"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        radius = self._tag * 0.3
        painter.drawEllipse(QPointF(x, y), radius, radius)
        points = self._tag * 0.45 if self._large else 9.0
        painter.setFont(font(points, bold=self._large, scaled=not self._large))
        name = term("staff", o.note.bend.interval_name)
        above = painter.fontMetrics().height()
        painter.drawText(QRectF(x - 40, y - radius - above, 80, above), Qt.AlignmentFlag.AlignCenter, name)


def _notched(x: float, y: float, w: float, h: float, notch: float) -> QPolygonF:
    """The outline of a tag around a point."""
    left, right, top, bottom = x - w / 2, x + w / 2, y - h / 2, y + h / 2
    return QPolygonF([
        QPointF(left, top), QPointF(right, top), QPointF(right - notch, y), QPointF(right, bottom),
        QPointF(left, bottom),
    ])  # fmt: skip
