"""What Notcher says, in one place over the rooms. Never a dialog."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from notcher.app.widgets.forms import button
from notcher.wording import tr

Choice = tuple[str, Callable[[], object]]
_WIDEST, _EDGE = 1400, 10
LEAST_MS, A_LETTER_MS = 7000, 60
"""How long something stays that asks nothing, and for each letter of it: a slow reader takes 200 words a minute (common
practice, no source)."""


class MessageBar(QWidget):
    """One sentence in place, with what can be done about it. Never a dialog.

    It lies over the rooms; where nothing is asked it goes by itself after a while, unless the mouse is on it."""

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
        self.last = ""
        """What was said last, also where it is gone by now."""
        self._over: tuple[QWidget, QWidget] | None = None
        self._leaving = QTimer(self)
        self._leaving.setSingleShot(True)
        self._leaving.timeout.connect(self._leave)
        close = button(tr("Close"), self.clear, tip=tr("Take this message away"))
        self._row.addWidget(close)
        self.hide()

    def lie_over(self, whole: QWidget, *, below: QWidget) -> None:
        """Lie over a widget, under the row in which another one stands."""
        self._over = whole, below
        self.setParent(whole)
        whole.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        if self._over is None or self.isHidden():
            return
        whole, below = self._over
        width = min(_WIDEST, whole.width() - 2 * _EDGE)
        layout = self.layout()
        assert layout is not None
        layout.activate()
        high = self.heightForWidth(width) if self.hasHeightForWidth() else self.sizeHint().height()
        top = below.geometry().bottom() + 2
        self.setGeometry((whole.width() - width) // 2, top, width, min(high, whole.height() - top))
        self.raise_()

    def _leave(self) -> None:
        focused = self.focusWidget()
        if self.underMouse() or (focused is not None and focused.hasFocus()):
            self._leaving.start(LEAST_MS)
        else:
            self.clear()

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
            self._place()
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
        self.last = said
        if not choices:
            self._leaving.start(LEAST_MS + A_LETTER_MS * len(said))
        self.show()
        self._place()

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

    def settle(self) -> None:
        """Take away what no longer holds; a question stays until it is answered."""
        if not self._urgent:
            self.clear()

    def clear(self) -> None:
        """Say nothing."""
        self._leaving.stop()
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
