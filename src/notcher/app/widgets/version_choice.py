"""Which version of the phrase in hand is shown; there only where it has more than one."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QWidget

from notcher.app.commands.versions import show
from notcher.app.state.desk import Desk
from notcher.wording import tr


class VersionChoice(QComboBox):
    """Follows the phrase in hand, and the project."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(tr("Version of this phrase"))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.activated.connect(self._choose)
        desk.phrase_changed.connect(self.refresh)
        desk.session.project_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Fill it for the phrase in hand."""
        phrase = self._desk.phrase
        names = phrase.versions if phrase is not None else ()
        if tuple(self.itemText(i) for i in range(self.count())) != names:
            self.clear()
            self.addItems(names)
        if phrase is not None:
            self.setCurrentText(phrase.showing)
        self.setVisible(len(names) > 1)

    def _choose(self, _: int) -> None:
        phrase = self._desk.phrase
        if phrase is not None:
            show(self._desk, phrase.id, self.currentText())
