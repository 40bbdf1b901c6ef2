"""What a player locks to in the Teach room: clicks, a breath between rounds, steps of the pace, another pitch."""

from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QWidget

from notcher.app.rooms.teach.spin import Spin
from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import quiet_label
from notcher.audio.player import MOST_SHIFT
from notcher.teach.clicks import MOST_BREATH, PARTS
from notcher.teach.pace import STEPS
from notcher.wording import later, tr

_PARTS = {
    1: later("beats"), 2: later("two a beat"), 3: later("three a beat"), 4: later("four a beat"),
}  # fmt: skip


_STEPS = {"10 %": later("10 %"), "5 %": later("5 %"), "5 bpm": later("5 bpm"), "2 bpm": later("2 bpm")}


class TimeControls(QWidget):
    """One row; each thing is set here and nowhere else in the room."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        t = desk.transport
        self._transport = t
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.parts = self._choice(tr("How often it clicks"), [(tr(_PARTS[n]), n) for n in PARTS])
        self.parts.activated.connect(lambda k: t.set_click_parts(PARTS[k]))
        self.accents = QCheckBox(tr("accent on 1"))
        self.accents.setChecked(True)
        self.accents.toggled.connect(t.set_accents)
        self.breath = Spin(0, MOST_BREATH, tr("Beats of breath between rounds"))
        self.breath.valueChanged.connect(t.set_breath)
        self.steps = self._choice(tr("How far a step of the pace goes"), [(tr(_STEPS[step]), step) for step in STEPS])
        self.steps.activated.connect(lambda k: t.set_pace_step(STEPS[k]))
        self.shift = Spin(-MOST_SHIFT, MOST_SHIFT, tr("Half steps higher than recorded"))
        self.shift.valueChanged.connect(t.set_shift)
        for label, widget in (
            (tr("Click"), self.parts), ("", self.accents), (tr("Breath"), self.breath), (tr("Steps"), self.steps),
            (tr("Half steps"), self.shift),
        ):  # fmt: skip
            if label:
                row.addWidget(quiet_label(label))
            row.addWidget(widget)
        row.addStretch(1)
        t.changed.connect(self.refresh)
        self.refresh()

    def _choice(self, name: str, rows: list[tuple[str, object]]) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(name)
        made.setToolTip(name)
        for text, value in rows:
            made.addItem(text, value)
        return made

    def refresh(self) -> None:
        """Show what is set."""
        t = self._transport
        for widget, value in ((self.breath, t.breath), (self.shift, t.shift)):
            if widget.value() != value:
                widget.setValue(value)
        self.parts.setCurrentIndex(PARTS.index(t.click_parts))
        self.steps.setCurrentIndex(STEPS.index(t.pace_step))
        self.accents.setChecked(t.accents)
        beat = t.bpm is not None
        for control in (self.parts, self.accents):
            control.setEnabled(beat)
