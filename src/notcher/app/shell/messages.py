"""What Notcher says, in one place over the rooms. Never a dialog."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from notcher.app.widgets import button
from notcher.wording import tr

Choice = tuple[str, Callable[[], object]]


class MessageBar(QWidget):
    """One sentence in place, with what can be done about it. Never a dialog."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("messages")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 6, 8, 6)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._row.addWidget(self.label, 1)
        self._buttons: list[QPushButton] = []
        self._urgent = False
        close = button(tr("Close"), self.clear, tip=tr("Take this message away"))
        self._row.addWidget(close)
        self.hide()

    @property
    def text(self) -> str:
        """What is said now, '' for nothing."""
        return self.label.text() if self.isVisibleTo(self.parentWidget()) else ""

    @property
    def choices(self) -> tuple[str, ...]:
        """What can be chosen now."""
        return tuple(b.text() for b in self._buttons)

    def say(self, text: str, *choices: Choice) -> None:
        """Say something. A message with choices stays until one is taken; lesser ones do not cover it, and it does not
        cover what was said before."""
        if self._urgent and not choices and self.isVisibleTo(self.parentWidget()):
            first = self.label.text().split("\n")[0]
            self.label.setText(tr("{first}\n{sentence}", first=first, sentence=_sentence(text)))
            return
        standing = self.text if choices and not self._urgent else ""
        self.clear()
        self._urgent = bool(choices)
        said = _sentence(text)
        self.label.setText(tr("{first}\n{sentence}", first=said, sentence=standing) if standing else said)
        for name, run in choices:
            made = button(name, lambda run=run: self._take(run))  # type: ignore[misc]
            self._row.insertWidget(self._row.count() - 1, made)
            self._buttons.append(made)
        self.show()

    def choose(self, name: str) -> None:
        """Press the choice of that name. Raises KeyError where it is not offered."""
        for made in self._buttons:
            if made.text() == name:
                made.click()
                return
        raise KeyError(name)

    def take(self, number: int) -> bool:
        """Press a choice by its number, from 0; whether there is one."""
        if number >= len(self._buttons) or not self.text:
            return False
        self._buttons[number].click()
        return True

    def clear(self) -> None:
        """Say nothing."""
        for made in self._buttons:
            made.hide()
            self._row.removeWidget(made)
            made.deleteLater()
        self._buttons.clear()
        self._urgent = False
        self.label.clear()
        self.hide()

    def _take(self, run: Callable[[], object]) -> None:
        self.clear()
        run()


def _sentence(text: str) -> str:
    """With a capital and a full stop."""
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if text[-1:] in ".?!" else ".")
