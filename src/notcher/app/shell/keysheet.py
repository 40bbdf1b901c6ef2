"""The sheet of keys: every command with its key, over the window, gone with the next key."""

import itertools
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from notcher.app.commands import Command
from notcher.app.widgets import quiet_label

_FOOT = (
    "In the Notch room the keys 0 to 9 set the fret; two digits in a row make 10 to 24; Alt and 1 to 4 the finger, "
    "Alt+0 the thumb. In the Source room 1 to 9 go to a section. Any key closes this sheet."
)
_COLUMNS = (("Playing", "Source", "Phrases"), ("Notes",), ("Technique", "File", "View"))


def shown_key(keys: str) -> str:
    """A key as it stands on a keyboard."""
    text = QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)
    for a, b in (("Return", "Enter"), ("PgDown", "Page Down"), ("PgUp", "Page Up"), ("Del", "Delete"),
                 ("Up", "↑"), ("Down", "↓"), ("Left", "←"), ("Right", "→")):  # fmt: skip
        if text == a or text.endswith("+" + a):
            text = text[: len(text) - len(a)] + b
    return text


class KeySheet(QWidget):
    """Made when asked for; hidden by any key or click."""

    def __init__(self, commands: Sequence[Command], parent: QWidget) -> None:
        super().__init__(parent)
        self._commands = commands
        self.setObjectName("keysheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(36, 24, 36, 20)
        row = QHBoxLayout()
        row.setSpacing(40)
        for groups in _COLUMNS:
            row.addLayout(self._column(groups), 1)
        outer.addLayout(row)
        outer.addStretch(1)
        outer.addWidget(quiet_label(_FOOT))

    def _column(self, groups: tuple[str, ...]) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        listed = [c for c in self._commands if c.group in groups and c.keys and not c.id.rpartition("-")[2].isdigit()]
        ordered = sorted(listed, key=lambda c: groups.index(c.group))
        by_group = itertools.groupby(ordered, key=lambda c: c.group)
        for name, commands in by_group:
            head = QLabel(name)
            head.setProperty("head", True)
            column.addWidget(head)
            grid = QGridLayout()
            grid.setVerticalSpacing(1)
            grid.setColumnStretch(1, 1)
            for k, c in enumerate(commands):
                key = QLabel(_keys(c))
                key.setMinimumWidth(96)
                grid.addWidget(key, k, 0)
                grid.addWidget(quiet_label(c.label), k, 1)
            column.addLayout(grid)
            column.addSpacing(8)
        column.addStretch(1)
        return column

    def open(self) -> None:
        """Cover the window."""
        parent = self.parentWidget()
        assert parent is not None
        self.setGeometry(parent.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def event(self, event: QEvent | None) -> bool:
        # While the sheet is open its keys close it and command nothing.
        if event is not None and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        self.hide()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.hide()


def _keys(command: Command) -> str:
    return f"<b>{shown_key(command.keys[0])}</b>" if command.keys else ""
