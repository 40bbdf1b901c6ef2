"""Small parts that all rooms are made of: labels, buttons, fields, columns."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget


def quiet_label(text: str = "") -> QLabel:
    """A label in the lesser colour."""
    label = QLabel(text)
    label.setProperty("quiet", True)
    return label


def button(text: str, run: Callable[[], object], *, tip: str = "", checkable: bool = False) -> QPushButton:
    """A button that keeps the keys where they are: it takes focus by Tab only."""
    made = QPushButton(text)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.setCheckable(checkable)
    if tip:
        made.setToolTip(tip)
    made.clicked.connect(lambda _=False: run())
    return made


def two_columns(panel: QWidget, *, shares: tuple[int, int], spacing: int) -> tuple[QVBoxLayout, QVBoxLayout]:
    """The left and the right column of a panel. shares: of its width; spacing: between rows."""
    columns = QHBoxLayout(panel)
    columns.setContentsMargins(0, 0, 0, 0)
    columns.setSpacing(40)
    left, right = QVBoxLayout(), QVBoxLayout()
    for part, share in zip((left, right), shares, strict=True):
        part.setSpacing(spacing)
        columns.addLayout(part, share)
    return left, right


def panel_rows(panel: QWidget) -> tuple[QVBoxLayout, QHBoxLayout]:
    """The column of a panel under the strands, and its first row, which is still to be put into it."""
    column = QVBoxLayout(panel)
    column.setContentsMargins(14, 6, 14, 4)
    column.setSpacing(2)
    row = QHBoxLayout()
    row.setSpacing(10)
    return column, row


class Field(QLineEdit):
    """A line edit that the window's one-key commands leave alone. Keys with Ctrl still are commands."""

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            control = Qt.KeyboardModifier.ControlModifier
            if not event.modifiers() & control:
                event.accept()
                return True
        return super().event(event)
