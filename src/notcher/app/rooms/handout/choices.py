"""Fields of the Hand out room: choices, numbers and boxes that leave the window's keys alone."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QSpinBox


def choice(name: str, rows: Sequence[tuple[str, Any]], changed: Callable[[], object] | None = None) -> QComboBox:
    """A choice among rows of (words, value). name: for who does not see it; changed: called as another is taken."""
    made = QComboBox()
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.setAccessibleName(name)
    for words, value in rows:
        made.addItem(words, value)
    if changed is not None:
        made.activated.connect(lambda _: changed())
    return made


def take(box: QComboBox, value: object) -> None:
    """Show the row that has a value, where one has."""
    at = box.findData(value)
    if at >= 0:
        box.setCurrentIndex(at)


def tick(words: str, *, on: bool = False, tip: str = "", changed: Callable[[], object] | None = None) -> QCheckBox:
    """A box to tick."""
    made = QCheckBox(words)
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.setChecked(on)
    if tip:
        made.setToolTip(tip)
    if changed is not None:
        made.toggled.connect(lambda _: changed())
    return made


def number(name: str, low: int, high: int, value: int, *, step: int = 1, unit: str = "") -> QSpinBox:
    """A whole number in a range."""
    made = QSpinBox()
    made.setRange(low, high)
    made.setSingleStep(step)
    made.setValue(value)
    made.setSuffix(f" {unit}" if unit else "")
    made.setAccessibleName(name)
    return made
