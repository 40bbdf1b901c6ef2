"""Views that are painted have no text of their own; what they show is said for those who do not see it."""

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QWidget

_SOON_MS = 250


class PaintedView(QWidget):
    """A widget with a name, and a description of what it shows now, for screen readers and magnifiers.

    A view says when what it shows has changed; the description follows a moment later, so that drawing is not held up.
    """

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON_MS)
        self._soon.timeout.connect(self.describe)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.showed()

    def showed(self) -> None:
        """What it shows has changed."""
        self._soon.start()

    def describe(self) -> None:
        """Say what it shows now."""
        if self.isVisible():
            self.setAccessibleDescription(self.in_words())

    def in_words(self) -> str:
        """What it shows, in a sentence or two. Raises NotImplementedError where a widget has no words."""
        raise NotImplementedError
