"""What is being worked on, over the rooms."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QWidget

from notcher.app.widgets.forms import button
from notcher.wording import tr


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
        self.stop_button = button(tr("Stop"), lambda: self._stop())
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
