"""A number with small buttons, which leaves the window's one-key commands alone when it was typed."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSpinBox


class Spin(QSpinBox):
    """A whole number between two; reached by Tab alone, so that a click on it takes no keys away."""

    def __init__(self, low: int, high: int, name: str) -> None:
        super().__init__()
        self.setRange(low, high)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
