"""Pedals: any MIDI message or key can be bound to an act; inputs are found as they are plugged in."""

import logging
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QKeyCombination, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPlainTextEdit, QSpinBox

from notcher.app.state.settings import Settings
from notcher.teach.pedal import message_name

log = logging.getLogger(__name__)

ACTS = ("play.toggle", "play.again", "phrase.next", "play.faster", "take.record", "lesson.run")
"""The commands that can be bound, by their ids."""
SIMULATED = ("pedal 1", "pedal 2")
"""What the pedals on the screen say."""
_SEQUENCER = Path("/dev/snd/seq")
_LOOK_MS = 2000
_BARE = frozenset({Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt, Qt.Key.Key_Meta, Qt.Key.Key_AltGr})
_TYPED_IN = (QLineEdit, QPlainTextEdit, QSpinBox, QComboBox)


class Pedals(QObject):
    """Listens to MIDI inputs and keys; says which act is wanted. bound: what was learned, for the views."""

    act = pyqtSignal(str)
    changed = pyqtSignal()
    _said = pyqtSignal(str)

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._settings = settings
        self.learning = ""
        self._ports: dict[str, Any] = {}
        self._said.connect(self.pressed)
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self.look)
        if _SEQUENCER.exists():
            self._look.start()
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self)

    @property
    def inputs(self) -> tuple[str, ...]:
        """The MIDI inputs that are listened to."""
        return tuple(self._ports)

    def bound_to(self, act: str) -> str:
        """What an act is bound to, '' for nothing."""
        return next((said for said, a in self._settings.pedals.items() if a == act), "")

    def learn(self, act: str) -> None:
        """Bind the next message or key to an act; the same act again gives up."""
        self.learning = "" if self.learning == act else act
        self.changed.emit()

    def clear(self, act: str) -> None:
        """Bind nothing to an act."""
        self._settings.pedals = {said: a for said, a in self._settings.pedals.items() if a != act}
        self._settings.save()
        self.learning = ""
        self.changed.emit()

    def pressed(self, said: str) -> None:
        """A pedal or key said something: it is learned, or what it is bound to is done."""
        if self.learning:
            act, self.learning = self.learning, ""
            kept = {s: a for s, a in self._settings.pedals.items() if a != act and s != said}
            self._settings.pedals = {**kept, said: act}
            self._settings.save()
            self.changed.emit()
            return
        act = self._settings.pedals.get(said, "")
        if act in ACTS:
            self.act.emit(act)

    # -- MIDI ----------------------------------------------------------------------------------------------------

    def look(self) -> None:
        """Open inputs that were plugged in, and forget those that went."""
        import mido

        try:
            names = set(mido.get_input_names())
        except Exception as error:
            # The library raises its own errors, and those of the system's sequencer.
            log.info("no MIDI: %s", error)
            self._look.stop()
            return
        for name in set(self._ports) - names:
            self._close(name)
        for name in names - set(self._ports):
            try:
                self._ports[name] = mido.open_input(name, callback=self._message)
            except Exception as error:
                log.info("the MIDI input %s cannot be opened: %s", name, error)
        self.changed.emit()

    def _message(self, message: Any) -> None:
        """Called on the library's thread."""
        said = message_name(message)
        if said:
            self._said.emit(said)

    def _close(self, name: str) -> None:
        port = self._ports.pop(name, None)
        if port is not None:
            port.close()

    def close(self) -> None:
        """Listen no more."""
        self._look.stop()
        for name in list(self._ports):
            self._close(name)
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)

    # -- keys ----------------------------------------------------------------------------------------------------

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent) or event.isAutoRepeat():
            return False
        kind = event.type()
        if kind not in (QEvent.Type.ShortcutOverride, QEvent.Type.KeyPress):
            return False
        said = self._key(event)
        wanted = said and (self.learning or said in self._settings.pedals)
        if not wanted or isinstance(QApplication.focusWidget(), _TYPED_IN):
            return False
        if kind == QEvent.Type.ShortcutOverride:
            # Taken here, the key is no command any more; it comes again as a press.
            event.accept()
            return True
        # Seen first on its way to whatever has the focus, it goes no further.
        self.pressed(said)
        return True

    @staticmethod
    def _key(event: QKeyEvent) -> str:
        key = Qt.Key(event.key())
        if key in _BARE or key == Qt.Key.Key_unknown:
            return ""
        return "key " + QKeySequence(QKeyCombination(event.modifiers(), key)).toString()
