"""The transport, under the rooms: it goes through all of them."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QBoxLayout, QComboBox, QHBoxLayout, QLabel, QSlider, QWidget

from notcher.app.desk import Desk
from notcher.app.widgets import button, quiet_label
from notcher.score.words import clock
from notcher.teach.lesson import FASTEST_PACE, SLOWEST_PACE


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
