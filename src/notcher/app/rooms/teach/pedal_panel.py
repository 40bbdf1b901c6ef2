"""What pedals and keys do, and two pedals on the screen for where none is plugged in."""

from functools import partial

from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from notcher.app.state.pedals import ACTS, SIMULATED, Pedals
from notcher.app.widgets.forms import button, quiet_label
from notcher.wording import later, tr, trn

_WORDS = {
    "play.toggle": later("Play or pause"), "play.again": later("Again from the start"),
    "phrase.next": later("Next phrase"), "play.faster": later("Faster by a step"),
    "take.record": later("Record a take, or stop"), "lesson.run": later("Run the lesson, hold it, go on"),
}  # fmt: skip
_COLUMNS = 3


class PedalPanel(QWidget):
    """A cell an act: what it is bound to, and a button that learns."""

    def __init__(self, pedals: Pedals) -> None:
        super().__init__()
        self._pedals = pedals
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(8)
        self.learn: dict[str, QPushButton] = {}
        for k, act in enumerate(ACTS):
            row, column = divmod(k, _COLUMNS)
            grid.addWidget(QLabel(tr(_WORDS[act])), row, 3 * column)
            self.learn[act] = button("", partial(pedals.learn, act), tip=tr("Press this, then the pedal or key"))
            grid.addWidget(self.learn[act], row, 3 * column + 1)
            clear = button("×", partial(pedals.clear, act), tip=tr("Bind nothing to it"))
            clear.setAccessibleName(tr("Bind nothing to: {act}", act=tr(_WORDS[act])))
            grid.addWidget(clear, row, 3 * column + 2)
        for k, said in enumerate(SIMULATED):
            words = tr("Left pedal") if k == 0 else tr("Right pedal")
            grid.addWidget(button(words, partial(pedals.pressed, said)), k, 3 * _COLUMNS)
        self.found = quiet_label()
        grid.addWidget(self.found, 2, 0, 1, 3 * _COLUMNS)
        grid.setColumnStretch(3 * _COLUMNS + 1, 1)
        pedals.changed.connect(self.refresh)
        self.refresh()
        self.hide()

    def refresh(self) -> None:
        """Show what is bound."""
        names = {SIMULATED[0]: tr("left pedal"), SIMULATED[1]: tr("right pedal")}
        for act, made in self.learn.items():
            said = self._pedals.bound_to(act)
            waiting = self._pedals.learning == act
            made.setText(tr("press it now …") if waiting else names.get(said, said.removeprefix("key ")) or tr("learn"))
        inputs = self._pedals.inputs
        self.found.setText(
            trn("{n} MIDI input: {names}", "{n} MIDI inputs: {names}", len(inputs), names=", ".join(inputs))
            if inputs
            else tr("No MIDI pedal is plugged in; one that sends keys works as it is.")
        )
