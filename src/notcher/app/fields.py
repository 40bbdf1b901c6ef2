"""A field for words that keeps its keys to itself: while one types, letters, Enter and arrows are not commands."""

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit


class Field(QLineEdit):
    """A line edit that the window's one-key commands leave alone. Keys with Ctrl still are commands."""

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            control = Qt.KeyboardModifier.ControlModifier
            if not event.modifiers() & control:
                event.accept()
                return True
        return super().event(event)
