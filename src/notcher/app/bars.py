"""The bars around the rooms: what Notcher says, what it works on, and the transport."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QComboBox, QHBoxLayout, QLabel, QProgressBar, QPushButton, QSlider, QWidget

from notcher.app.desk import Desk
from notcher.score.words import clock
from notcher.teach.lesson import FASTEST_PACE, SLOWEST_PACE

Choice = tuple[str, Callable[[], object]]


def quiet_label(text: str = "") -> QLabel:
    """A label in the lesser colour."""
    label = QLabel(text)
    label.setProperty("quiet", True)
    return label


def button(text: str, run: Callable[[], object], *, tip: str = "", checkable: bool = False) -> QPushButton:
    """A button that keeps the keys where they are: it takes focus by Tab only."""
    made = QPushButton(text)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.setCheckable(checkable)
    if tip:
        made.setToolTip(tip)
    made.clicked.connect(lambda _=False: run())
    return made


class MessageBar(QWidget):
    """One sentence in place, with what can be done about it. Never a dialog."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("messages")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 6, 8, 6)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._row.addWidget(self.label, 1)
        self._buttons: list[QPushButton] = []
        self._urgent = False
        close = button("Close", self.clear, tip="Take this message away")
        self._row.addWidget(close)
        self.hide()

    @property
    def text(self) -> str:
        """What is said now, '' for nothing."""
        return self.label.text() if self.isVisibleTo(self.parentWidget()) else ""

    @property
    def choices(self) -> tuple[str, ...]:
        """What can be chosen now."""
        return tuple(b.text() for b in self._buttons)

    def say(self, text: str, *choices: Choice) -> None:
        """Say something. A message with choices stays until one is taken, and lesser ones do not cover it."""
        if self._urgent and not choices and self.isVisibleTo(self.parentWidget()):
            first = self.label.text().split("\n")[0]
            self.label.setText(f"{first}\n{_sentence(text)}")
            return
        self.clear()
        self._urgent = bool(choices)
        self.label.setText(_sentence(text))
        for name, run in choices:
            made = button(name, lambda run=run: self._take(run))  # type: ignore[misc]
            self._row.insertWidget(self._row.count() - 1, made)
            self._buttons.append(made)
        self.show()

    def choose(self, name: str) -> None:
        """Press the choice of that name. Raises KeyError where it is not offered."""
        for made in self._buttons:
            if made.text() == name:
                made.click()
                return
        raise KeyError(name)

    def clear(self) -> None:
        """Say nothing."""
        for made in self._buttons:
            made.hide()
            self._row.removeWidget(made)
            made.deleteLater()
        self._buttons.clear()
        self._urgent = False
        self.label.clear()
        self.hide()

    def _take(self, run: Callable[[], object]) -> None:
        self.clear()
        run()


def _sentence(text: str) -> str:
    """With a capital and a full stop."""
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if text[-1:] in ".?!" else ".")


class WorkBar(QWidget):
    """What is being worked on, how far it is, and a way to stop it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 4, 8, 4)
        self._label = QLabel()
        self._bar = QProgressBar()
        self._bar.setRange(0, 100)
        self._bar.setMaximumWidth(420)
        self._stop: Callable[[], None] = lambda: None
        row.addWidget(self._label)
        row.addWidget(self._bar, 1)
        self.stop_button = button("Stop", lambda: self._stop())
        row.addWidget(self.stop_button)
        row.addStretch(1)
        self.hide()

    def begin(self, what: str, stop: Callable[[], None]) -> None:
        """Show that work has begun."""
        self._stop = stop
        self.update_progress(what, 0.0)
        self.show()

    def update_progress(self, what: str, share: float) -> None:
        """Say how far it is, 0 to 1."""
        self._label.setText(f"{what} …")
        self._bar.setValue(round(share * 100))

    def end(self) -> None:
        """Work is over."""
        self.hide()


class TransportBar(QWidget):
    """Play, loop, pace, source, count-in, place, and where the sound goes."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        t = desk.transport
        self._rows = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._rows.setContentsMargins(14, 6, 14, 6)
        self._rows.setSpacing(8)
        row, row_2 = QHBoxLayout(), QHBoxLayout()
        self._rows.addLayout(row, 1)
        self._rows.addLayout(row_2)
        self.play = button("Play", t.toggle, tip="Space")
        self.play.setMinimumWidth(70)
        self.again = button("Again", t.again, tip="Return: from the start of the loop")
        self.where = QLabel("0:00.0")
        self.loop = button("No loop", lambda: t.set_loop(None), tip="Click to play on without repeating; L sets a loop")
        self.pace = QSlider(Qt.Orientation.Horizontal)
        self.pace.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.pace.setRange(SLOWEST_PACE, FASTEST_PACE)
        self.pace.setMinimumWidth(80)
        self.pace.setAccessibleName("Pace in percent of the recording's speed")
        self.pace.valueChanged.connect(t.set_pace)
        self.pace_label = QLabel()
        self.source = QComboBox()
        self.source.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.source.setAccessibleName("What is heard")
        self.source.setToolTip("W: the next of these")
        self.source.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.source.textActivated.connect(t.choose)
        self.count_in = button("Count-in", lambda: t.set_count_in(self.count_in.isChecked()), tip="I", checkable=True)
        self.volume = QSlider(Qt.Orientation.Horizontal)
        self.volume.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.volume.setRange(0, 100)
        self.volume.setValue(80)
        self.volume.setMinimumWidth(40)
        self.volume.setMaximumWidth(80)
        self.volume.setAccessibleName("Loudness")
        self.volume.setToolTip("Loudness. Keep it moderate: loops are heard many times over")
        self.volume.valueChanged.connect(lambda v: t.player.set_gain(v / 100))
        self.device = quiet_label()
        self.device.setToolTip("No sound device was found: a silent clock runs in its place")
        for w in (self.play, self.again, self.where, self.loop):
            row.addWidget(w)
        row.addWidget(quiet_label("Pace"))
        row.addWidget(self.pace, 1)
        row.addWidget(self.pace_label)
        row_2.addWidget(quiet_label("Hear"))
        row_2.addWidget(self.source)
        row_2.addWidget(self.count_in)
        row_2.addWidget(quiet_label("Loud"))
        row_2.addWidget(self.volume)
        row_2.addWidget(self.device)
        row_2.addStretch(0)
        t.moved.connect(self._show_place)
        t.changed.connect(self.refresh)
        desk.session.opened.connect(self.refresh)
        self.refresh()

    def set_scale(self, percent: int) -> None:
        """Stand in one row, or in two where the type is large."""
        down, across = QBoxLayout.Direction.TopToBottom, QBoxLayout.Direction.LeftToRight
        self._rows.setDirection(down if percent >= 130 else across)

    def _show_place(self, time: float) -> None:
        self.where.setText(clock(time))

    def refresh(self) -> None:
        """Show the transport as it is."""
        t = self._desk.transport
        self.play.setText("Pause" if t.playing else "Play")
        loop = t.loop
        self.loop.setText(f"Loop {clock(loop[0])} to {clock(loop[1])}" if loop else "No loop")
        self.loop.setEnabled(loop is not None)
        self.pace.blockSignals(True)
        self.pace.setValue(t.pace)
        self.pace.blockSignals(False)
        self.pace_label.setText(f"{t.pace} %")
        names = list(t.player.sources)
        if [self.source.itemText(i) for i in range(self.source.count())] != names:
            self.source.clear()
            self.source.addItems(names)
        self.source.setCurrentText(t.player.source)
        self.source.setEnabled(bool(names))
        self.count_in.setChecked(t.count_in)
        for w in (self.play, self.again):
            w.setEnabled(bool(names))
        device = t.device_name
        self.device.setText("Silent clock" if device == "" else "")
        self.device.setVisible(device == "")
        self._show_place(t.position)
