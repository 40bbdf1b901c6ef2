"""The stretch in hand as large tab, with the playhead running through it."""

import itertools
from collections.abc import Callable

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from notcher.app.state.desk import Desk
from notcher.app.state.settings import Settings
from notcher.app.widgets.figure_marks import draw_figures
from notcher.app.widgets.neck import on_neck
from notcher.app.widgets.note_paint import Frame, NotePainter
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.app.widgets.under_notes import OfNote, draw_under
from notcher.formats.line import Dialect, written_line
from notcher.harmony.patterns import Figure
from notcher.score.curve import Curve
from notcher.score.note import Note
from notcher.score.passage_edit import passage_of
from notcher.score.tuning import FEWEST_STRINGS
from notcher.teach.spread import Row, spread
from notcher.wording import later, render_message, tr
from notcher.wording.chords import chords_over
from notcher.wording.figures import figure_words
from notcher.wording.hands import figure
from notcher.wording.names import string_names
from notcher.wording.rhythm import counts_under

_EDGE = 46
# How much wider than needed a short row is drawn at most.
_WIDEST_SPREAD = 3.6
# Of a tag's height, what the names of chords take.
_NAMES = 0.75
# Tags from one string to the next, by whether either is played on: under one that is, there are words and arcs.
# Tags over the first string, and under the last.
_GAPS = {(False, False): 0.6, (False, True): 0.9, (True, False): 1.12, (True, True): 1.22}
_OVER, _OVER_BENDS, _BELOW = 1.3, 2.1, 1.3
# Points of a number, of a tag's height: 22 pixels at least in the smallest but one.
_NUMBER = 0.58
_TAGS = (54.0, 48.0, 42.0, 37.0, 33.0, 29.0, 25.0)
_CORNER = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
_NONE = later("No phrase here yet. Phrases are cut in the Notch room.")


class LargeTab(PaintedView):
    """The stretch in hand as tab in one to four rows, with the playhead running through it."""

    def __init__(self, desk: Desk, theme: Theme, settings: Settings, parent: QWidget | None = None) -> None:
        super().__init__(tr("The phrase in hand as large tab"), parent)
        self._desk, self._theme, self._settings = desk, theme, settings
        self._counts: dict[str, str] = {}
        self._fingers: dict[str, str] = {}
        self._take_marks: dict[str, str] = {}
        self._marks_before: dict[str, str] = {}
        self._curve = Curve(None)
        self._curve_of: object = None
        self._rows: list[Row] = []
        self._shown: tuple[Note, ...] = ()
        self._tag = 40.0
        self._widest = 1.0
        desk.phrase_changed.connect(self._lay_out)
        desk.session.project_changed.connect(self._lay_out)
        desk.transport.moved.connect(lambda _: self.update())
        desk.analysis.changed.connect(self._lay_out)
        desk.phrase_changed.connect(self.showed)
        desk.session.project_changed.connect(self.showed)

    def follow_settings(self) -> None:
        """What is shown was chosen anew."""
        self._lay_out()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def resizeEvent(self, event: object) -> None:
        self._lay_out()

    def showEvent(self, event: object) -> None:
        self._lay_out()

    def _lay_out(self) -> None:
        if not self.isVisible():
            return
        stretch = self._desk.stretch
        self._rows, self._counts, self._fingers, self._shown = [], {}, {}, ()
        if stretch is not None and self._desk.session.is_open:
            project = self._desk.session.project
            if self._settings.counts:
                self._counts = counts_under(project, project.notes_between(stretch.start, stretch.end))
            if self._settings.fingers:
                shown = self._desk.shown_notes(stretch.start, stretch.end)
                self._fingers = {
                    o.note.id: figure(o.hand, o.fret) for o in on_neck(project, shown, project.playing.hand)
                }
            if project.contour is not self._curve_of:
                self._curve_of, self._curve = project.contour, Curve(project.contour)
            notes = self._shown = self._desk.shown_notes(stretch.start, stretch.end)
            # The largest tags with which all rows fit; where not even small ones do, the rows turn with the playhead.
            for tag in _TAGS:
                self._rows = spread(notes, stretch.start, stretch.end, width=(self.width() - _EDGE - 30) / tag)
                self._tag = tag
                if len(self._rows) * self._row_height <= self.height():
                    break
            # Whatever else is shown, one row of the smallest tags is whole.
            self.setMinimumHeight(round(self._height_of(_TAGS[-1])))
            self._widest = max((r.anchors[-1][1] for r in self._rows), default=1.0)
        self.update()

    @property
    def _strings(self) -> int:
        return self._desk.session.project.tuning.strings if self._desk.session.is_open else FEWEST_STRINGS

    @property
    def _row_height(self) -> float:
        return self._height_of(self._tag)

    def _height_of(self, tag: float) -> float:
        """A row's height with tags of a height."""
        lines = self._names_chords + len(self._under()) + bool(self._figures())
        return tag * (sum(self._gaps()) + self._over() + _BELOW + _NAMES * lines)

    def _gaps(self) -> list[float]:
        """From each string to the next, in tags: strings that nothing is played on move closer, so that what is played
        has the room."""
        used = {n.string for n in self._shown}
        return [_GAPS[k in used, k + 1 in used] for k in range(1, self._strings)]

    def _over(self) -> float:
        """Tags over the first string: bends need more."""
        return _OVER_BENDS if any(n.bend for n in self._shown) else _OVER

    @property
    def _figures_height(self) -> float:
        """What brackets over figures take in each row, where there are any."""
        return self._tag * _NAMES if self._figures() else 0.0

    def _figures(self) -> list[Figure]:
        """Those of which at least two playings are in the stretch in hand."""
        stretch = self._desk.stretch
        if stretch is None or not self._desk.session.is_open:
            return []
        notes = self._desk.session.project.notes_between(stretch.start, stretch.end)
        return self._desk.analysis.figures_within(notes)

    @property
    def _names_height(self) -> float:
        """What the names of chords take over each row."""
        return self._tag * _NAMES if self._names_chords else 0.0

    @property
    def _names_chords(self) -> bool:
        """Whether names of chords stand over the rows."""
        return self._settings.chord_names and self._desk.session.is_open and bool(self._desk.session.project.chords)

    def _under(self) -> list[tuple[str, OfNote]]:
        """What stands under each row, line by line, each with its name: counts, fingers, degrees, as far as they are
        chosen."""
        out: list[tuple[str, OfNote]] = []
        if self._settings.counts and self._desk.session.is_open and self._desk.session.project.tempo is not None:
            out.append((tr("count"), lambda name: self._counts.get(name, "")))
        if self._settings.fingers:
            out.append((tr("finger"), lambda name: self._fingers.get(name, "")))
        if self._desk.analysis.degrees != "off":
            out.append((tr("degree"), self._desk.analysis.degree_at))
        if self._take_marks:
            out.append((tr("take"), lambda name: self._take_marks.get(name, "")))
        if self._marks_before:
            out.append((tr("before"), lambda name: self._marks_before.get(name, "")))
        return out

    def show_take(self, marks: dict[str, str], before: dict[str, str]) -> None:
        """What was off in the last take at each note, by its id, and in the one before it; {} for none."""
        if (marks, before) != (self._take_marks, self._marks_before):
            self._take_marks, self._marks_before = marks, before
            self._lay_out()
            self.showed()

    def _room_for(self) -> int:
        """How many rows fit."""
        return max(1, int(self.height() / self._row_height))

    def _page(self) -> list[Row]:
        """The rows in view: all, or those around the playhead."""
        count = self._room_for()
        position = self._desk.transport.position
        at = next((k for k, r in enumerate(self._rows) if position < r.end), len(self._rows) - 1)
        first = max(0, at // count * count)
        return self._rows[first : first + count]

    def in_words(self) -> str:
        """The phrase as a line of words."""
        stretch = self._desk.stretch
        if stretch is None or not self._desk.session.is_open:
            return tr(_NONE)
        notes = self._desk.shown_notes(stretch.start, stretch.end)
        judged = ", ".join(f"{k + 1}: {m}" for k, n in enumerate(notes) if (m := self._take_marks.get(n.id)))
        again = " ".join(figure_words(f) for f in self._figures())
        line = f"{render_message(stretch.label)}: {written_line(passage_of(notes), Dialect(fret_first=True))}"
        take = tr("The last take: {judged}", judged=judged) if judged else ""
        return ". ".join(part for part in (line, again, take) if part)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        if not self._rows:
            painter.setPen(t.color("quiet"))
            painter.setFont(font(14))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr(_NONE))
            return
        page = self._page()
        top = max(0.0, (self.height() - self._row_height * len(page)) / 2)
        for k, row in enumerate(page):
            self._draw_row(painter, row, top + k * self._row_height)
        if len(page) < len(self._rows):
            painter.setPen(t.color("quiet"))
            painter.setFont(font(11))
            shown = self._rows.index(page[0]) + 1
            words = tr(
                "rows {shown} to {shown2} of {n}; they turn with the sound",
                shown=shown,
                shown2=shown + len(page) - 1,
                n=len(self._rows),
            )
            painter.drawText(self.rect().adjusted(0, 0, -12, -6), _CORNER, words)

    def _draw_chords(self, painter: QPainter, row: Row, x_of: Callable[[float], float], y: float) -> None:
        """The names over the row, where they begin; the one that sounds is lit."""
        if not self._names_chords:
            return
        position, playing = self._desk.transport.position, self._desk.transport.playing
        painter.setFont(font(min(24.0, self._tag * 0.5), bold=True))
        over = chords_over(self._desk.session.project, row.start, row.end)
        free = 0.0
        for k, (time, name) in enumerate(over):
            until = over[k + 1][0] if k + 1 < len(over) else row.end
            lit = playing and time <= position < until
            painter.setPen(self._theme.color("head" if lit else "ink"))
            x = max(x_of(time) - 4, free)
            painter.drawText(QPointF(x, y), name)
            free = x + painter.fontMetrics().horizontalAdvance(name) + 8

    def _draw_row(self, painter: QPainter, row: Row, top: float) -> None:
        tag, t = self._tag, self._theme
        project = self._desk.session.project
        under = top + self._names_height + self._figures_height
        lanes = tuple(under + tag * (self._over() + up) for up in itertools.accumulate(self._gaps(), initial=0.0))
        # A row that is short is drawn wider, so that a phrase fills the sheet, and never so wide that it falls apart.
        scale = tag * max(1.0, min(_WIDEST_SPREAD, (self.width() - _EDGE - 30) / tag / self._widest))

        def x_of(time: float) -> float:
            return _EDGE + row.x_of(time) * scale

        # The widest bend, with its name over it, fits above the first string.
        widest = max((n.bend.target_cents for n in row.notes if n.bend), default=0)
        per_cent = tag * min(1.5 / 430.0, 1.08 / max(widest, 1))
        frame = Frame(x_of, lanes, tag, per_cent, tag * _NUMBER)
        end = x_of(row.end)
        for y, letter in zip(lanes, string_names(project.tuning), strict=True):
            painter.setPen(QPen(t.color("faint"), 1.6))
            painter.drawLine(QPointF(_EDGE - 6, y), QPointF(end, y))
            painter.setPen(t.color("quiet"))
            painter.setFont(font(min(18.0, tag * 0.42), bold=True))
            painter.drawText(QPointF(12, y + tag * 0.18), letter)
        self._draw_chords(painter, row, x_of, top + self._names_height * 0.85)
        painter.setFont(font(min(16.0, tag * 0.36)))
        draw_figures(
            painter, self._figures(), row.start, row.end, x_of, top + self._names_height + tag * 0.18, t.color("quiet")
        )
        for k, (name, of_note) in enumerate(self._under()):
            y = lanes[-1] + tag * (0.62 + _NAMES * (k + 0.8))
            painter.setFont(font(8.5))
            painter.setPen(t.color("quiet"))
            painter.drawText(QPointF(6, y), name)
            painter.setFont(font(min(20.0, tag * 0.42)))
            painter.setPen(t.color("ink"))
            draw_under(painter, of_note, row.notes, x_of, y)
        notes = NotePainter(t, frame, project, self._curve, quiet=True)
        for n in row.notes:
            notes.draw_ribbon(painter, n, False) if n.bend else None
        before: dict[int, Note] = {}
        for n in row.notes:
            if n.string in before:
                notes.draw_link(painter, before[n.string], n)
            before[n.string] = n
        position = self._desk.transport.position
        for n in row.notes:
            sounding = self._desk.transport.playing and n.onset <= position < n.end
            notes.draw_tag(painter, n, sounding)
        if row.start <= position < row.end:
            painter.setPen(QPen(t.color("head"), 3))
            x = x_of(position)
            painter.drawLine(QPointF(x, lanes[0] - tag), QPointF(x, lanes[-1] + tag * 0.8))
