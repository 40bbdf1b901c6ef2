"""Isolate: where the lead sits between left and right, its band, and how hard the rest is taken away; heard at once."""

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import partial
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QButtonGroup, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSlider, QVBoxLayout, QWidget

from notcher.app.commands.sections import compare_isolations
from notcher.app.jobs.job import Report
from notcher.app.jobs.latest import Latest
from notcher.app.state.desk import Desk
from notcher.app.state.transport import LEAD, RECORDING, REST
from notcher.app.widgets.forms import button, quiet_label
from notcher.app.widgets.painted import PaintedView
from notcher.app.widgets.theme import Theme, font
from notcher.audio.lead import pan_profile
from notcher.audio.survey import survey
from notcher.score.isolation import FIND_OUT, Isolation, StereoPosition
from notcher.score.plays import Plays
from notcher.wording import later, tr
from notcher.wording.guitar import pan_words, stereo_position_words

_POSITIONS = (
    (StereoPosition.AUTO, later("Find out"), later("Notcher listens for the place that carries one clear line")),
    (StereoPosition.PAN, later("One place"), later("the lead sits at one place between left and right")),
    (StereoPosition.SIDES, later("Both sides"), later("the lead was played twice, once on each side")),
    (StereoPosition.MIX, later("Everywhere"), later("nothing is taken away by place: mono, or a lead alone")),
)
_PLAYS = (
    (Plays.LINE, later("One line"), later("a lead: one string after another, with bends and slides")),
    (Plays.RIFF, later("A riff and chords"), later("low strings struck together, often recorded twice")),
)
_PROFILE_S = 40
_Chosen = TypeVar("_Chosen")
_MOST_HZ, _LEAST_HZ = 16000.0, 40.0


class PlacePicture(PaintedView):
    """How much sound sits at each place from left to right, and what of it is kept."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(tr("How much sound sits at each place from left to right; the framed part is kept"), parent)
        self._theme = theme
        self._places: NDArray[np.float64] | None = None
        self._shares: NDArray[np.float64] | None = None
        self._isolation = Isolation()
        self.words = ""
        self.setMinimumHeight(96)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self._theme = theme
        self.update()

    def show_profile(self, places: NDArray[np.float64] | None, shares: NDArray[np.float64] | None, words: str) -> None:
        """Show where the sound sits; or words, where that cannot be said. places: from left (-1) to right (1), and
        shares of the sound there, 0 to 1; both shape (n,)."""
        self._places, self._shares, self.words = places, shares, words
        self.showed()
        self.update()

    def show_isolation(self, isolation: Isolation) -> None:
        """Show what is kept."""
        self._isolation = isolation
        self.showed()
        self.update()

    def in_words(self) -> str:
        """Where most of the sound sits, and what is kept."""
        if self._places is None or self._shares is None:
            return self.words
        loudest = float(np.clip(self._places[int(np.argmax(self._shares))], -1.0, 1.0))
        return tr(
            "Most of the sound sits {most}; the lead is taken to sit {where}.", most=pan_words(loudest),
            where=stereo_position_words(self._isolation),
        )  # fmt: skip

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = self._theme
        painter.fillRect(self.rect(), t.color("ground"))
        area = QRectF(14, 8, self.width() - 28, self.height() - 30)
        painter.setFont(font(9))
        painter.setPen(t.color("quiet"))
        for words, at, align in (
            (tr("left"), area.left(), Qt.AlignmentFlag.AlignLeft),
            (tr("centre"), area.center().x(), Qt.AlignmentFlag.AlignHCenter),
            (tr("right"), area.right(), Qt.AlignmentFlag.AlignRight),
        ):  # fmt: skip
            box = QRectF(at - 60, area.bottom() + 3, 120, 18)
            if align == Qt.AlignmentFlag.AlignLeft:
                box = QRectF(at, area.bottom() + 3, 120, 18)
            elif align == Qt.AlignmentFlag.AlignRight:
                box = QRectF(at - 120, area.bottom() + 3, 120, 18)
            painter.drawText(box, align, words)
        if self._places is None or self._shares is None:
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
            return
        i = self._isolation
        most = float(np.max(self._shares)) or 1.0
        step = area.width() / len(self._places)
        for place, share in zip(self._places, self._shares, strict=True):
            kept = i.stereo_position is StereoPosition.MIX or (
                i.stereo_position is StereoPosition.PAN and abs(place - i.pan) <= i.width
            )
            kept = kept or (i.stereo_position is StereoPosition.SIDES and abs(place) > 0.25)
            x = area.left() + (place + 1.05) / 2.1 * area.width() - step / 2
            height = float(share) / most * (area.height() - 4)
            painter.fillRect(
                QRectF(x + 0.5, area.bottom() - height, step - 1, height), t.color("sure" if kept else "wave")
            )
        if i.stereo_position is StereoPosition.PAN:
            left, right = (
                area.left() + (np.clip(p, -1.0, 1.0) + 1.05) / 2.1 * area.width()
                for p in (i.pan - i.width, i.pan + i.width)
            )
            painter.setPen(QPen(t.color("pick"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(left, area.top() - 2, right - left, area.height() + 2), 4, 4)
            middle = area.left() + (i.pan + 1.05) / 2.1 * area.width()
            painter.drawLine(QPointF(middle, area.top() - 2), QPointF(middle, area.top() + 6))


# How loud it is at each place between left and right; or a sentence on why that tells nothing.
_Profile = tuple[NDArray[np.float64], NDArray[np.float64], float] | str


class IsolatePanel(QWidget):
    """Every change is heard at once where the lead or the rest is what plays, and is kept with the project."""

    measure_wanted = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._showing = False
        self._surveying: Latest[_Profile] = Latest(self)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(36)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.setSpacing(8)
        right.setSpacing(8)
        grid.addLayout(left, 0, 0)
        grid.addLayout(right, 0, 1)
        grid.setColumnStretch(0, 3)
        grid.setColumnStretch(1, 2)

        self._build_place(left, theme)
        self._build_hearing(right)
        desk.transport.sound_ready.connect(self._look_where_sound_sits)

    def _build_place(self, left: QVBoxLayout, theme: Theme) -> None:
        """Where the lead sits: by choice, in the picture, by sliders."""
        row, self.positions = self._choice(tr("The lead sits"), _POSITIONS, self._take_position)
        left.addLayout(row)
        self.picture = PlacePicture(theme)
        self.picture.setMaximumHeight(220)
        left.addWidget(self.picture, 1)
        sliders = QGridLayout()
        sliders.setHorizontalSpacing(12)
        sliders.setVerticalSpacing(8)
        self.sliders: dict[str, QSlider] = {}
        self._values: dict[str, QLabel] = {}
        for k, (key, name, low, high) in enumerate((
            ("pan", tr("Place"), -100, 100), ("width", tr("Width"), 5, 100), ("low_hz", tr("From"), 0, 100),
            ("high_hz", tr("Up to"), 0, 100),
            ("strength", tr("How hard"), 0, 100),
        )):  # fmt: skip
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            slider.setRange(low, high)
            slider.setAccessibleName(tr("{name} of the lead", name=name))
            slider.valueChanged.connect(lambda v, key=key: self._take_slider(key, v))
            value = QLabel()
            value.setMinimumWidth(92)
            sliders.addWidget(QLabel(name), k, 0)
            sliders.addWidget(slider, k, 1)
            sliders.addWidget(value, k, 2)
            self.sliders[key], self._values[key] = slider, value
        left.addLayout(sliders)
        left.addStretch(1)

    def _choice(
        self, label: str, rows: Iterable[tuple[_Chosen, str, str]], take: Callable[[_Chosen], None]
    ) -> tuple[QHBoxLayout, dict[_Chosen, QPushButton]]:
        """A row of buttons of which one is chosen, and each by what it stands for. rows: that, name and tip."""
        row = QHBoxLayout()
        row.addWidget(QLabel(label))
        made: dict[_Chosen, QPushButton] = {}
        group = QButtonGroup(self)
        for value, name, tip in rows:
            made[value] = button(tr(name), partial(take, value), tip=tr(tip), checkable=True)
            group.addButton(made[value])
            made[value].setFocusPolicy(Qt.FocusPolicy.TabFocus)
            row.addWidget(made[value])
        row.addStretch(1)
        row.setSpacing(8)
        return row, made

    def _build_hearing(self, right: QVBoxLayout) -> None:
        """What is heard, two settings compared, and measuring."""
        desk = self._desk
        right.addWidget(QLabel(tr("Hear")))
        row = QHBoxLayout()
        self.hear: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for source, name in ((RECORDING, tr("Both")), (LEAD, tr("The lead alone")), (REST, tr("All the rest"))):
            made = button(name, lambda source=source: self._hear(source), checkable=True)  # type: ignore[misc]
            group.addButton(made)
            self.hear[source] = made
            row.addWidget(made)
        row.addStretch(1)
        right.addLayout(row)
        right.addSpacing(8)
        row = QHBoxLayout()
        self.compare_button = button(
            tr("A against B"), lambda: compare_isolations(desk), tip=tr("A: swap the two settings")
        )
        row.addWidget(self.compare_button, 0, Qt.AlignmentFlag.AlignTop)
        self.compare_words = quiet_label()
        self.compare_words.setWordWrap(True)
        row.addWidget(self.compare_words, 1)
        right.addLayout(row)
        right.addSpacing(8)
        row, self.plays = self._choice(tr("It plays"), _PLAYS, self._take_plays)
        right.addLayout(row)
        self.state = QLabel()
        self.state.setWordWrap(True)
        right.addWidget(self.state)
        row = QHBoxLayout()
        self.measure_all = button(tr("Measure it all"), lambda: self.measure_wanted.emit(None))
        self.measure_loop = button(tr("Measure the loop only"), lambda: self.measure_wanted.emit(desk.transport.loop))
        row.addWidget(self.measure_all)
        row.addWidget(self.measure_loop)
        row.addStretch(1)
        right.addLayout(row)
        words = quiet_label(
            tr("Measuring proposes: notes that you confirmed or added stay. Undo brings the rest back.")
        )
        words.setWordWrap(True)
        right.addWidget(words)
        right.addStretch(1)

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.picture.set_theme(theme)

    def refresh(self) -> None:
        """Show the project as it is."""
        desk = self._desk
        has_sound = desk.transport.audio is not None
        self.measure_all.setEnabled(has_sound)
        self.measure_loop.setEnabled(has_sound and desk.transport.loop is not None)
        if not desk.session.is_open:
            return
        i = desk.session.project.lead
        self._showing = True
        for position, made in self.positions.items():
            made.setChecked(position is i.stereo_position)
        for plays, made in self.plays.items():
            made.setChecked(plays is desk.session.project.plays)
        for key, value in (
            ("pan", round(100 * i.pan)), ("width", round(100 * i.width)), ("low_hz", _to_slider(i.low_hz)),
            ("high_hz", _to_slider(i.high_hz)), ("strength", round(100 * i.strength)),
        ):  # fmt: skip
            if not self.sliders[key].isSliderDown():
                self.sliders[key].setValue(value)
        for source, made in self.hear.items():
            made.setChecked(desk.transport.player.source == source)
            made.setEnabled(source in desk.transport.player.sources)
        self._showing = False
        for key in ("pan", "width"):
            self.sliders[key].setEnabled(i.stereo_position is StereoPosition.PAN)
        self.sliders["strength"].setEnabled(i.stereo_position in (StereoPosition.PAN, StereoPosition.SIDES))
        self._values["pan"].setText(tr("centre") if abs(i.pan) < 0.05 else pan_words(i.pan))
        self._values["width"].setText(f"± {i.width * 100:.0f} %")
        self._values["low_hz"].setText(tr("{low_hz:.0f} Hz", low_hz=i.low_hz))
        self._values["high_hz"].setText(tr("{high_hz:.0f} Hz", high_hz=i.high_hz))
        self._values["strength"].setText(f"{i.strength * 100:.0f} %")
        self.picture.show_isolation(i)
        other = desk.session.project.other_lead
        self.compare_words.setText(
            tr("Now heard: {now}. The other: {other}. One key, A, swaps them.", now=_in_short(i),
               other=_in_short(other))
            if other else tr("A keeps this setting as the other one, to be compared with what you try next.")
        )  # fmt: skip
        self.state.setText(desk.measured_words())

    # -- what is done --------------------------------------------------------------------------------------------

    def _change(self, label: str, change: Callable[[Isolation], Isolation], *, merge: int = -1) -> None:
        if self._desk.session.is_open:
            self._desk.session.edit(label, lambda p: replace(p, lead=change(p.lead)), merge=merge)

    def _take_position(self, position: StereoPosition) -> None:
        self._change(tr("Where the lead sits"), lambda i: replace(i, stereo_position=position))
        self.refresh()

    def _take_plays(self, plays: Plays) -> None:
        """Where it sits is found out anew: a riff is often recorded twice, where a lead is in the centre."""
        if self._desk.session.is_open and plays is not self._desk.session.project.plays:
            self._desk.session.edit(tr("What plays"), lambda p: replace(p, plays=plays, lead=FIND_OUT))
        self.refresh()

    def _take_slider(self, key: str, value: int) -> None:
        if self._showing:
            return

        def change(i: Isolation) -> Isolation:
            match key:
                case "low_hz":
                    return replace(i, low_hz=min(_from_slider(value), i.high_hz / 1.5))
                case "high_hz":
                    return replace(i, high_hz=max(_from_slider(value), i.low_hz * 1.5))
                case "pan":
                    return replace(i, pan=value / 100)
                case "width":
                    return replace(i, width=value / 100)
                case _:
                    return replace(i, strength=value / 100)

        self._change(tr("How the lead is taken out"), change, merge=300_000 + list(self.sliders).index(key))

    def _hear(self, source: str) -> None:
        self._desk.transport.choose(source)
        self.refresh()

    def _look_where_sound_sits(self) -> None:
        audio = self._desk.transport.audio
        self.picture.show_profile(None, None, "")
        if audio is None:
            return
        length = min(audio.duration, float(_PROFILE_S))
        start = max(0.0, (audio.duration - length) / 2)
        self.picture.show_profile(None, None, tr("finding out where sound sits …"))

        def work(_: Report) -> _Profile:
            if survey(audio).flat:
                if audio.channels == 1:
                    return tr("The recording has one channel: place tells nothing, only the band does.")
                return tr("The recording has the same sound in both channels: place tells nothing, only the band does.")
            return pan_profile(audio.between(start, start + length))

        self._surveying.start(work, self._profile_found)

    def _profile_found(self, found: _Profile) -> None:
        if isinstance(found, str):
            self.picture.show_profile(None, None, found)
        else:
            self.picture.show_profile(found[0], found[1], "")

    def wait(self) -> None:
        """Wait until no thread of this panel runs."""
        self._surveying.wait()


def _in_short(i: Isolation) -> str:
    values = {"where": stereo_position_words(i), "low": i.low_hz, "high": i.high_hz}
    if i.stereo_position in (StereoPosition.PAN, StereoPosition.SIDES):
        return tr("{where}, {percent:.0f} % hard, {low:.0f} to {high:.0f} Hz", percent=i.strength * 100, **values)
    return tr("{where}, {low:.0f} to {high:.0f} Hz", **values)


def _to_slider(hz: float) -> int:
    return round(100 * float(np.log(hz / _LEAST_HZ) / np.log(_MOST_HZ / _LEAST_HZ)))


def _from_slider(value: int) -> float:
    return float(round(_LEAST_HZ * (_MOST_HZ / _LEAST_HZ) ** (value / 100)))
