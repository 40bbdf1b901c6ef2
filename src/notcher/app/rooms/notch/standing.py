"""How far the solo is, in the corner: notes confirmed, in doubt, still proposed; each shows only those when pressed."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from notcher.app.state.desk import Desk
from notcher.app.widgets.forms import button
from notcher.score.find import Standing
from notcher.score.gaps import expected_mistakes
from notcher.wording import term, tr
from notcher.wording.notes import mistakes_words

_ORDER = (Standing.CONFIRMED, Standing.DOUBTFUL, Standing.PROPOSED)


class StandingCorner(QWidget):
    """only: the notes of one standing are to be shown (None: all)."""

    only = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(4)
        self.buttons: dict[Standing, QPushButton] = {}
        for standing in _ORDER:
            made = button("", lambda s=standing: self._press(s), checkable=True)  # type: ignore[misc]
            made.setToolTip(
                tr(
                    "Show only what is {standing}, and go to the first; again: show all",
                    standing=term("standing", standing),
                )
            )
            self.buttons[standing] = made
            row.addWidget(made)
        self.left = QLabel()
        self.left.setToolTip(
            tr("By how sure Notcher is of each note that is not confirmed, and of each place where one may be missing")
        )
        row.addWidget(self.left)
        desk.session.project_changed.connect(self.refresh)
        desk.session.opened.connect(lambda: self._press(None))
        self.refresh()

    def refresh(self) -> None:
        """Count again."""
        notes = self._desk.session.project.notes if self._desk.session.is_open else ()
        counts = dict.fromkeys(_ORDER, 0)
        for n in notes:
            counts[Standing.of(n)] += 1
        for standing, made in self.buttons.items():
            made.setText(f"{counts[standing]} {term('standing', standing)}")
            made.setEnabled(counts[standing] > 0 or made.isChecked())
        wrong, among = expected_mistakes(self._desk.session.project) if notes else (0.0, 0)
        self.left.setText(mistakes_words(wrong, among))
        self.setVisible(bool(notes))

    def _press(self, standing: Standing | None) -> None:
        on = standing is not None and self.buttons[standing].isChecked()
        for other, made in self.buttons.items():
            made.setChecked(on and other is standing)
        self.only.emit(standing if on else None)
        if on:
            first = next((n for n in self._desk.session.project.notes if Standing.of(n) is standing), None)
            if first is not None:
                self._desk.session.select(frozenset({first.id}))
                self._desk.axis.reveal_range(first.onset, first.end)
                if not self._desk.transport.playing:
                    self._desk.transport.seek(first.onset)
