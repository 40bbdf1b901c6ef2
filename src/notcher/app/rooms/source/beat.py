"""Beat: a first guess by the program, then corrected by tapping, dragging, and saying what a bar is."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QSpinBox, QVBoxLayout, QWidget

from notcher.app.commands import beats as verbs
from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.rooms.source.beat_strip import BeatStrip
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.theme import Theme
from notcher.rhythm.quantize import EVEN, find_swing
from notcher.rhythm.threes import falls_into_threes
from notcher.rhythm.values import places_of
from notcher.score.note import Note
from notcher.score.tempo import LONGEST_BAR, TempoMap
from notcher.score.unit import QUARTER, UNITS
from notcher.wording import tr, trn
from notcher.wording.numbers import clock
from notcher.wording.rhythm import metre_words, unit_words


class BeatPanel(QWidget):
    """A tempo map, not one number; or none at all, which is fine."""

    find_wanted = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.state = QLabel()
        self.state.setWordWrap(True)
        column.addWidget(self.state)
        self.hint = quiet_label(tr("Most notes off the beat lie on its thirds: written as three eighths, 12/8, they "
                                   "need no triplets."))  # fmt: skip
        self.hint.setWordWrap(True)
        self.hint.setVisible(False)
        column.addWidget(self.hint)
        self._looking: Latest[bool] = Latest(self)
        self._looked: tuple[tuple[Note, ...], TempoMap] | None = None
        self.strip = BeatStrip(desk, theme)
        column.addWidget(self.strip, 1)
        self._build_finding(column, desk)
        self._build_bars(column, desk)
        desk.taps_changed.connect(self._show_taps)

    def _build_finding(self, column: QVBoxLayout, desk: Desk) -> None:
        """Found, tapped, shifted, halved and doubled."""
        row = QHBoxLayout()
        self.find_button = button(
            tr("Find the beat"), self.find_wanted.emit, tip=tr("Notcher listens for beats and bars")
        )
        self.tap_button = button(tr("Tap along"), lambda: verbs.tap(desk), tip=tr("T on every beat while it plays"))
        self.one_button = button(
            tr("Bar 1 is here"), lambda: verbs.bar_one(desk), tip=tr("B: the beat nearest to the playhead")
        )
        self.half_button = button(tr("Half as fast"), lambda: verbs.half(desk), tip="[")
        self.double_button = button(tr("Twice as fast"), lambda: verbs.double(desk), tip="]")
        self.none_button = button(
            tr("No beat"), lambda: verbs.no_beat(desk), tip=tr("tab without rhythm; the timing is left to the ear")
        )
        for made in (
            self.find_button, self.tap_button, self.one_button, self.half_button, self.double_button, self.none_button,
        ):  # fmt: skip
            row.addWidget(made)
        row.addStretch(1)
        column.addLayout(row)

    def _build_bars(self, column: QVBoxLayout, desk: Desk) -> None:
        """How long a bar is, and what a beat is written as."""
        row = QHBoxLayout()
        row.addWidget(QLabel(tr("The bar at the playhead has")))
        self.beats_in_bar = QSpinBox()
        self.beats_in_bar.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.beats_in_bar.setAccessibleName(tr("How many beats this bar has"))
        self.beats_in_bar.setRange(1, LONGEST_BAR)
        self.beats_in_bar.setValue(4)
        row.addWidget(self.beats_in_bar)
        row.addWidget(QLabel(tr("beats")))
        self.onwards = QCheckBox(tr("and all that follow"))
        self.onwards.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        row.addWidget(self.onwards)
        self.size_button = button(
            tr("Say so"), lambda: verbs.bar_length(desk, self.beats_in_bar.value(), onwards=self.onwards.isChecked())
        )
        row.addWidget(self.size_button)
        row.addSpacing(16)
        row.addWidget(QLabel(tr("A beat is written as")))
        self.unit = QComboBox()
        self.unit.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.unit.setAccessibleName(tr("What a beat is written as"))
        self.unit.setToolTip(tr("three eighths: 6/8, 9/8, 12/8, counted 1 and a 2 and a"))
        for unit in UNITS:
            self.unit.addItem(unit_words(unit), unit)
        self.unit.activated.connect(lambda k: verbs.unit(desk, self.unit.itemData(k)))
        row.addWidget(self.unit)
        row.addSpacing(16)
        how = quiet_label(tr("Drag a thick line to move a bar, a thin one to move a beat. Ctrl and the wheel: closer."))
        how.setWordWrap(True)
        row.addWidget(how, 1)
        column.addLayout(row)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.strip.set_theme(theme)

    def _show_taps(self) -> None:
        self.strip.show_taps(list(self._desk.taps))
        self.refresh()

    def _look_for_threes(self, notes: tuple[Note, ...], tempo: TempoMap | None) -> None:
        """Say where beats fall into three, though they are written as quarters."""
        if tempo is None or tempo.unit != QUARTER:
            self._looked = None
            self._looking.forget()
            self.hint.setVisible(False)
        elif self._looked is None or self._looked[0] is not notes or self._looked[1] is not tempo:
            self._looked = notes, tempo

            def work(_: Report) -> bool:
                swung = find_swing([n.onset for n in notes], tempo) != EVEN
                return falls_into_threes(places_of(notes, tempo), swung=swung)

            self._looking.start(work, self.hint.setVisible)

    def wait(self) -> None:
        """Let what runs come to its end (before the window goes)."""
        self._looking.wait()

    def refresh(self) -> None:
        """Show the project as it is."""
        has_sound = self._desk.transport.audio is not None
        self.find_button.setEnabled(has_sound)
        if not self._desk.session.is_open:
            return
        tempo = self._desk.session.project.tempo
        self._look_for_threes(self._desk.session.project.notes, tempo)
        for made in (self.one_button, self.half_button, self.double_button, self.none_button, self.size_button,
                     self.unit):  # fmt: skip
            made.setEnabled(tempo is not None)
        if tempo is not None:
            self.unit.setCurrentIndex(UNITS.index(tempo.unit))
        taps = len(self._desk.taps)
        if taps:
            self.state.setText(
                trn("{n} beat tapped.", "{n} beats tapped.", taps) + " "
                + tr("Go on with T; four or more take the place of the beats there as soon as you stop for two "
                     "seconds.")
            )  # fmt: skip
        elif tempo is None:
            self.state.setText(
                tr("No beat is known. The tab then has fret numbers spaced by time; that is fine for a free passage.")
            )
        else:
            bars = max(0, tempo.last_bar())
            slow, fast = _range(tempo.beats)
            mean = (
                tr("{bpm:.1f} beats a minute on average", bpm=tempo.bpm()) if fast - slow < 2
                else tr("{bpm:.1f} beats a minute on average, from {slow:.0f} to {fast:.0f}", bpm=tempo.bpm(),
                        slow=slow, fast=fast)
            )  # fmt: skip
            size = tempo.beats_per_bar
            metre = trn("{n} beat in a bar", "{n} beats in a bar", size) + tr(
                ", written as {metre}", metre=metre_words(tempo)
            )
            said = [mean, metre, trn("{n} bar", "{n} bars", bars)]
            if tempo.changes:
                said.append(trn("{n} change of metre", "{n} changes of metre", len(tempo.changes)))
            begins = tr("Bar 1 begins at {time}.", time=clock(tempo.time_at(tempo.first_beat_of(1))))
            self.state.setText(f"{'; '.join(said)}. {begins}")


def _range(beats: tuple[float, ...]) -> tuple[float, float]:
    """Slowest and fastest tempo over eight beats, in beats a minute."""
    span = min(8, len(beats) - 1)
    rates = [60.0 * span / (b - a) for a, b in zip(beats, beats[span:], strict=False)]
    return min(rates), max(rates)
