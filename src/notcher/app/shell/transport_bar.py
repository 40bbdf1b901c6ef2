"""The transport, under the rooms: it goes through all of them."""

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QComboBox, QHBoxLayout, QLabel, QSlider, QWidget

from notcher.app.commands.play import pace_step
from notcher.app.shell.keysheet import shown_key
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import Field, button, quiet_label
from notcher.score.errors import ScoreError
from notcher.teach.pace import read_pace
from notcher.wording import render_message, tr
from notcher.wording.numbers import clock, pace_words

# Pixels of the field beside the words in it.
_BESIDE_PACE = 26


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
        self._halves = row, row_2
        self._build_playing(desk)
        self._build_sound(desk)
        for w in (self.play, self.again, self.where, self.loop):
            row.addWidget(w)
        row.addWidget(quiet_label(tr("Pace")))
        row.addWidget(self.slower)
        row.addWidget(self.pace)
        row.addWidget(self.faster)
        row.addStretch(1)
        row_2.addWidget(quiet_label(tr("Hear")))
        row_2.addWidget(self.source)
        row_2.addWidget(self.count_in)
        row_2.addWidget(self.click)
        row_2.addWidget(quiet_label(tr("Loud")))
        row_2.addWidget(self.volume)
        row_2.addWidget(self.device)
        row_2.addStretch(0)
        t.moved.connect(self._show_place)
        t.changed.connect(self.refresh)
        desk.session.opened.connect(self.refresh)
        self.refresh()

    def _build_playing(self, desk: Desk) -> None:
        """Playing, the loop and the pace."""
        t = desk.transport
        self.play = button(tr("Play"), t.toggle, tip=shown_key("Space"))
        self.play.setMinimumWidth(70)
        self.again = button(tr("Again"), t.again, tip=tr("Return: from the start of the loop"))
        self.where = QLabel("0:00.0")
        self.loop = button(
            tr("No loop"), lambda: t.set_loop(None), tip=tr("Click to play on without repeating; L sets a loop")
        )
        self.slower = button("−", lambda: pace_step(desk, up=False), tip=tr("-  a step slower"))
        self.slower.setAccessibleName(tr("A step slower"))
        self.pace = Field()
        self.pace.setAccessibleName(tr("Pace in percent or in beats a minute"))
        self.pace.setToolTip(tr("50, 46 bpm, +5: Enter takes it. Shift+T taps it"))
        self.pace.returnPressed.connect(self._take_pace)
        self.pace.editingFinished.connect(self.refresh)
        self.faster = button("+", lambda: pace_step(desk, up=True), tip=tr("=  a step faster"))
        self.faster.setAccessibleName(tr("A step faster"))

    def _build_sound(self, desk: Desk) -> None:
        """What is heard with what, and how loud."""
        t = desk.transport
        self.source = QComboBox()
        self.source.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.source.setAccessibleName(tr("What is heard"))
        self.source.setToolTip(tr("W: the next of these"))
        self.source.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.source.activated.connect(lambda k: t.choose(self.source.itemData(k)))
        self.count_in = button(
            tr("Count-in"), lambda: t.set_count_in(self.count_in.isChecked()), tip="I", checkable=True
        )
        self.click = button(
            tr("Click"), lambda: t.set_click(self.click.isChecked()), tip=tr("Shift+I: clicks along with what plays"),
            checkable=True,
        )  # fmt: skip
        self.volume = QSlider(Qt.Orientation.Horizontal)
        self.volume.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.volume.setRange(0, 100)
        self.volume.setValue(80)
        self.volume.setMinimumWidth(40)
        self.volume.setMaximumWidth(80)
        self.volume.setAccessibleName(tr("Loudness"))
        self.volume.setToolTip(tr("Loudness. Keep it moderate: loops are heard many times over"))
        self.volume.valueChanged.connect(lambda v: t.player.set_gain(v / 100))
        self.device = quiet_label()
        self.device.setToolTip(tr("No sound device was found: a silent clock runs in its place"))

    def set_scale(self, percent: int) -> None:
        """The size of type, in percent."""
        self.where.setMinimumWidth(self.where.fontMetrics().horizontalAdvance("00:00.0") + 2)
        self.pace.setFixedWidth(self.pace.fontMetrics().horizontalAdvance(pace_words(62.5, 160)) + _BESIDE_PACE)
        QTimer.singleShot(0, self._fit)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Stand in one row, or in two where one has no room for all words."""
        margins = self._rows.contentsMargins()
        wanted = sum(row.sizeHint().width() for row in self._halves) + self._rows.spacing()
        room = self.width() - margins.left() - margins.right()
        down, across = QBoxLayout.Direction.TopToBottom, QBoxLayout.Direction.LeftToRight
        self._rows.setDirection(across if wanted <= room else down)

    def _show_place(self, time: float) -> None:
        self.where.setText(clock(time))

    def _take_pace(self) -> None:
        """What was typed; what is no pace is said, and the field shows what holds."""
        t = self._desk.transport
        try:
            t.set_pace(read_pace(self.pace.text().partition(",")[0], bpm=t.bpm, now=t.pace))
        except ScoreError as error:
            self._desk.said.emit(render_message(error))
        self.pace.setModified(False)
        self.refresh()

    def refresh(self) -> None:
        """Show the transport as it is."""
        t = self._desk.transport
        self.play.setText(tr("Pause") if t.playing else tr("Play"))
        loop = t.loop
        self.loop.setText(
            tr("Loop {start} to {end}", start=clock(loop[0]), end=clock(loop[1])) if loop else tr("No loop")
        )
        self.loop.setEnabled(loop is not None)
        if not self.pace.hasFocus() or not self.pace.isModified():
            self.pace.setText(pace_words(t.pace, t.bpm))
        names = list(t.player.sources)
        if [self.source.itemData(i) for i in range(self.source.count())] != names:
            self.source.clear()
            for name in names:
                self.source.addItem(tr(name), name)
        self.source.setCurrentIndex(self.source.findData(t.player.source))
        self.source.setEnabled(bool(names))
        self.count_in.setChecked(t.count_in)
        self.click.setChecked(t.click)
        self.click.setEnabled(t.bpm is not None)
        for w in (self.play, self.again):
            w.setEnabled(bool(names))
        device = t.device_name
        self.device.setText(tr("Silent clock") if device == "" else "")
        self.device.setVisible(device == "")
        self._show_place(t.position)
        self._fit()
