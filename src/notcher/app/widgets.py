"""Small parts that all rooms are made of."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton


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
