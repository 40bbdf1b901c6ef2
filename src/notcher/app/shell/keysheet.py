"""The sheet of keys: the commands of the room in hand with their keys, over the window, gone with the next key."""

import itertools
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from notcher.app.commands import Command
from notcher.app.widgets.forms import quiet_label
from notcher.app.widgets.theme import BASE_POINTS, font
from notcher.wording import later, term, tr

_FOOT = later(
    "In the Notch room the keys 0 to 9 set the fret; two digits in a row make 10 to 24; Alt and 1 to 4 the finger, "
    "Alt+0 the thumb. In the Source room 1 to 9 go to a section, in the Place room 1 to 3 take a place. Any key closes "
    "this sheet."
)
_COLUMNS = (("Playing", "Source", "Phrases", "Place"), ("Notes", "Teach", "Hand out"), ("Technique", "File", "View"))


KEY_WORDS = ("Ctrl", "Shift", "Alt", "Enter", "Space", "Home", "Backspace", "Delete", "Esc", "Page Up", "Page Down")
"""What stands on keys, for the catalogues."""
_SMALLEST_POINTS = 7.5
_KEY_NAMES = {
    "Return": "Enter", "PgDown": "Page Down", "PgUp": "Page Up", "Del": "Delete", "Up": "↑", "Down": "↓", "Left": "←",
    "Right": "→",
}  # fmt: skip


def shown_key(keys: str) -> str:
    """A key as it stands on a keyboard."""
    text = QKeySequence(keys).toString(QKeySequence.SequenceFormat.PortableText)
    *held, last = text.replace("++", "+plus").split("+")
    last = "+" if last == "plus" else _KEY_NAMES.get(last, last)
    return "+".join(term("key", part) if part in KEY_WORDS else part for part in (*held, last))


class KeySheet(QWidget):
    """Made when asked for, of what has a key in the room in hand; hidden by any key or click."""

    def __init__(self, commands: Sequence[Command], room: str, parent: QWidget) -> None:
        super().__init__(parent)
        self._commands = [c for c in commands if not c.rooms or room in c.rooms]
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
        foot = quiet_label(tr(_FOOT))
        foot.setWordWrap(True)
        outer.addWidget(foot)

    def _column(self, groups: tuple[str, ...]) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(4)
        listed = [c for c in self._commands if c.group in groups and c.keys and not c.id.rpartition("-")[2].isdigit()]
        ordered = sorted(listed, key=lambda c: groups.index(c.group))
        by_group = itertools.groupby(ordered, key=lambda c: c.group)
        for name, commands in by_group:
            head = QLabel(tr(name))
            head.setProperty("head", True)
            column.addWidget(head)
            grid = QGridLayout()
            grid.setVerticalSpacing(1)
            grid.setColumnStretch(1, 1)
            for k, c in enumerate(commands):
                key = QLabel(_keys(c))
                key.setMinimumWidth(max(96, key.sizeHint().width()))
                grid.addWidget(key, k, 0)
                words = quiet_label(c.words)
                words.setWordWrap(True)
                grid.addWidget(words, k, 1)
            column.addLayout(grid)
            column.addSpacing(8)
        column.addStretch(1)
        return column

    def open(self) -> None:
        """Cover the window."""
        parent = self.parentWidget()
        assert parent is not None
        self.setGeometry(parent.rect())
        self._fit()
        self.show()
        self.raise_()
        self.setFocus()

    def _fit(self) -> None:
        """As large as all of it goes into the window: other languages are longer."""
        points = font(BASE_POINTS).pointSizeF()
        layout = self.layout()
        assert layout is not None
        while points > _SMALLEST_POINTS:
            self.setStyleSheet(f"QLabel {{ font-size: {points:g}pt; }}")
            layout.activate()
            if layout.totalHeightForWidth(self.width()) <= self.height():
                break
            points -= 0.5

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
