"""Takes in the Teach room: record one, read one, and what was off, in a sentence; how the phrase went before."""

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from notcher.app.jobs.runner import Runner
from notcher.app.rooms.teach.live_pitch import LivePitch
from notcher.app.rooms.teach.spin import Spin
from notcher.app.shell.keysheet import shown_key
from notcher.app.state.desk import Desk
from notcher.app.state.take import State, TakeDesk
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.score.learning import set_lesson
from notcher.score.practice import CLEAN_CENTS_RANGE, CLEAN_MS_RANGE, NO_LESSON, TakeKept
from notcher.wording import tr, trn
from notcher.wording.numbers import date_words

_HISTORY = (230, 72)
_LEVEL = (120, 16)
# Below it nothing is heard, from it on it is clipped.
_QUIET, _LOUD = 0.01, 0.98


class LevelMeter(PaintedView):
    """How loud the input is just now."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(tr("Level of the input"))
        self._theme, self._level = theme, 0.0
        self.setFixedSize(*_LEVEL)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_level(self, level: float) -> None:
        """The loudest sample of the last moment, 0 to 1."""
        self._level = max(level, 0.7 * self._level)
        self.showed()
        self.update()

    def in_words(self) -> str:
        """Whether it is well."""
        if self._level < _QUIET:
            return tr("nothing comes in")
        return tr("too loud: it is clipped") if self._level >= _LOUD else tr("good")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t = self._theme
        painter.fillRect(self.rect(), t.color("panel"))
        width = (self._level**0.5) * self.width()
        painter.fillRect(QRectF(0, 0, width, self.height()), t.color("doubt" if self._level >= _LOUD else "sure"))
        painter.setPen(QPen(t.color("faint"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class History(PaintedView):
    """The takes of the phrase by date: filled where clean, hollow where not, as high as their pace."""

    def __init__(self, theme: Theme) -> None:
        super().__init__(tr("How the phrase went before"))
        self._theme = theme
        self._takes: tuple[TakeKept, ...] = ()
        self.setFixedSize(*_HISTORY)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_takes(self, takes: tuple[TakeKept, ...]) -> None:
        """The takes, the oldest first."""
        self._takes = takes
        self.showed()
        self.update()

    def in_words(self) -> str:
        """How many, how many clean, and the fastest clean one."""
        if not self._takes:
            return tr("no take of this phrase yet")
        clean = [t for t in self._takes if t.clean]
        said = trn("{n} take", "{n} takes", len(self._takes))
        if not clean:
            return tr("{said}, none clean yet", said=said)
        best = max(clean, key=lambda t: t.pace)
        return tr("{said}, {n} clean; the fastest clean at {pace:.0f} % on {day}", said=said, n=len(clean),
                  pace=best.pace, day=date_words(best.day))  # fmt: skip

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        left, top, right, bottom = 40.0, 8.0, self.width() - 10.0, self.height() - 18.0
        painter.setFont(font(8.5))
        for pace in (50, 100):
            y = bottom - (bottom - top) * (pace - 25) / 85
            painter.setPen(QPen(t.color("faint"), 1))
            painter.drawLine(QPointF(left, y), QPointF(right, y))
            painter.setPen(t.color("quiet"))
            painter.drawText(QPointF(2, y + 4), f"{pace} %")
        if not self._takes:
            painter.drawText(QPointF(left + 6, bottom - 4), tr("no take yet"))
            return
        count = len(self._takes)
        points = [
            (left + 8 + (right - left - 16) * (k / max(1, count - 1) if count > 1 else 0.5),
             bottom - (bottom - top) * (min(110.0, max(25.0, take.pace)) - 25) / 85)
            for k, take in enumerate(self._takes)
        ]  # fmt: skip
        for (x, y), take in zip(points, self._takes, strict=True):
            painter.setPen(QPen(t.color("sure"), 1.8))
            painter.setBrush(t.color("sure" if take.clean else "ground"))
            painter.drawEllipse(QPointF(x, y), 4.5, 4.5)
        painter.setPen(t.color("quiet"))
        painter.drawText(QPointF(left, self.height() - 4), date_words(self._takes[0].day))
        if count > 1:
            last = date_words(self._takes[-1].day)
            painter.drawText(QPointF(right - painter.fontMetrics().horizontalAdvance(last), self.height() - 4), last)


class TakeBar(QWidget):
    """Under the tab; shown or hidden by one key."""

    def __init__(self, desk: Desk, take: TakeDesk, runner: Runner, theme: Theme) -> None:
        super().__init__()
        self._desk, self._take, self._runner = desk, take, runner
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(12)
        column = QVBoxLayout()
        column.setSpacing(4)
        row.addLayout(column, 1)
        self._build_controls(column, theme)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setProperty("head", True)
        column.addWidget(self.words)
        self._build_settings(column)
        self.hint = quiet_label(tr("With headphones, so that the microphone hears the guitar alone."))
        column.addWidget(self.hint)
        self.pitch = LivePitch(desk, theme)
        row.addWidget(self.pitch)
        self.history = History(theme)
        row.addWidget(self.history)
        take.block.connect(self.pitch.take_block)
        take.level.connect(self.meter.show_level)
        take.changed.connect(self.refresh)
        desk.phrase_changed.connect(self.refresh)
        self._offer()
        self.refresh()

    def _build_controls(self, column: QVBoxLayout, theme: Theme) -> None:
        """Recording, where from, its level, and what is checked."""
        take = self._take
        controls = QHBoxLayout()
        controls.setSpacing(8)
        self.record = button(tr("Record a take"), take.toggle, tip=shown_key("R"))
        controls.addWidget(self.record)
        self.source = QComboBox()
        self.source.setAccessibleName(tr("Where takes come from"))
        self.source.activated.connect(lambda _: take.choose(self.source.currentText()))
        controls.addWidget(self.source)
        self.meter = LevelMeter(theme)
        controls.addWidget(self.meter)
        self.live = button(tr("Live pitch"), take.toggle_live, checkable=True,
                           tip=tr("The pitch that comes in, against the goal of the bend"))  # fmt: skip
        controls.addWidget(self.live)
        self.delay = button(tr("Measure the delay"), take.measure_delay,
                            tip=tr("Clicks are played: hold the microphone to the headphones"))  # fmt: skip
        controls.addWidget(self.delay)
        self.colour = QCheckBox(tr("Also check vibrato and slides"))
        self.colour.setToolTip(tr("Vibrato, and whether notes are picked, hammered or slid to, are checked too"))
        self.colour.toggled.connect(take.ask_for_colour)
        controls.addWidget(self.colour)
        self.clean_ms = Spin(*CLEAN_MS_RANGE, tr("Clean take: every note within so many ms"))
        self.clean_cents = Spin(*CLEAN_CENTS_RANGE, tr("Clean take: every bend within so many cents"))
        self.clean_ms.setSuffix(tr(" ms"))
        self.clean_cents.setSuffix(tr(" cents"))
        self.file = button(tr("Take from a file …"), self.ask_file)
        controls.addWidget(self.file)
        controls.addStretch(1)
        column.addLayout(controls)

    def _build_settings(self, column: QVBoxLayout) -> None:
        """What a clean take is, and how the simulated player plays."""
        settings = QHBoxLayout()
        settings.setSpacing(8)
        column.addLayout(settings)
        settings.addWidget(quiet_label(tr("Clean within")))
        for spin in (self.clean_ms, self.clean_cents):
            spin.valueChanged.connect(self._set_clean)
            spin.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
            settings.addWidget(spin)
        self.manner = QWidget()
        simulated = QHBoxLayout(self.manner)
        simulated.setContentsMargins(0, 0, 0, 0)
        self.late = Spin(-200, 200, tr("ms late, every third note"))
        self.missed = Spin(0, 20, tr("Notes left out"))
        self.short = Spin(0, 100, tr("Cents that bends stop short"))
        for label, spin in ((tr("Late (ms)"), self.late), (tr("Missed notes"), self.missed),
                            (tr("Bends flat (cents)"), self.short)):  # fmt: skip
            simulated.addWidget(quiet_label(label))
            simulated.addWidget(spin)
            spin.valueChanged.connect(self._set_manner)
            spin.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        settings.addWidget(self.manner)
        settings.addStretch(1)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.meter.set_theme(theme)
        self.history.set_theme(theme)
        self.pitch.set_theme(theme)

    def _offer(self) -> None:
        names = self._take.sources()
        if [self.source.itemText(k) for k in range(self.source.count())] != names:
            self.source.clear()
            self.source.addItems(names)
        self.source.setCurrentText(self._take.source)

    def showEvent(self, event: object) -> None:
        self._offer()

    def _set_manner(self) -> None:
        from notcher.teach.stand_in import Manner

        self._take.manner = Manner(
            late_ms=self.late.value(), missed=self.missed.value(), short_cents=self.short.value()
        )

    def _set_clean(self) -> None:
        session = self._desk.session
        ms, cents = self.clean_ms.value(), self.clean_cents.value()
        lesson = session.project.lesson if session.is_open else NO_LESSON
        if session.is_open and (ms, cents) != (lesson.clean_ms, lesson.clean_cents):
            session.edit(
                tr("Limits of a clean take"),
                lambda p: set_lesson(p, replace(p.lesson, clean_ms=ms, clean_cents=cents)),
            )

    def _show_clean(self) -> None:
        session = self._desk.session
        lesson = session.project.lesson if session.is_open else NO_LESSON
        for spin, value in ((self.clean_ms, lesson.clean_ms), (self.clean_cents, lesson.clean_cents)):
            spin.blockSignals(True)
            spin.setValue(value)
            spin.blockSignals(False)

    def ask_file(self) -> None:
        """Choose a recorded take, and judge it."""
        path = self._runner.ask.open_file(tr("A take"))
        if path is not None:
            self._take.from_file(Path(path))

    def refresh(self) -> None:
        """Show what is done with a take, and what came of the last."""
        take = self._take
        self._show_clean()
        self.record.setText(tr("Stop") if take.state is State.RECORDING else tr("Record a take"))
        self.manner.setVisible(take.simulated)
        self.delay.setVisible(not take.simulated)
        self.live.setChecked(take.state is State.LIVE)
        live = take.state in (State.LIVE, State.RECORDING)
        self.pitch.setVisible(live)
        self.history.setVisible(not live)
        self.hint.setVisible(not take.simulated)
        words = {
            State.RECORDING: tr("Recording: play along."), State.LISTENING: tr("Listening to what was played …"),
        }.get(take.state, take.words)  # fmt: skip
        self.words.setText(words)
        self.words.setVisible(bool(words))
        self.history.show_takes(tuple(take.history(self._desk.phrase)))
