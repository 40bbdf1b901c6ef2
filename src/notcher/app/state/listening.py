"""The listening window: what led to the note being worked on, and the note itself, again and again at the current
pace; it goes along with the selection."""

from PyQt6.QtCore import QObject

from notcher.app.state.session import Session
from notcher.app.state.transport import Transport

BEFORE_S, AFTER_S = 0.8, 0.15
"""How much of the recording is heard before the note, and after it."""
_SHORTEST_S = 0.4


class ListeningWindow(QObject):
    """Off until it is wanted; on, it follows the selected notes."""

    def __init__(self, session: Session, transport: Transport, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._transport = session, transport
        self.on = False
        self._loop: tuple[float, float] | None = None
        session.selection_changed.connect(self._follow)
        session.opened.connect(self.stop)

    def toggle(self) -> None:
        """On or off. On it needs a selected note; the loop that moves along shows it."""
        if self.on:
            self.stop()
            self._transport.pause()
        else:
            self.on, self._loop = bool(self._session.selection), None
            self._follow()

    def stop(self) -> None:
        """Off; what plays goes on, without the loop."""
        if self.on:
            self.on = False
            if self._transport.loop == self._loop:
                self._transport.set_loop(None)

    def _follow(self) -> None:
        if not self.on:
            return
        if self._transport.loop not in (None, self._loop) and self._loop is not None:
            # The person looped something else meanwhile: that is what is wanted now.
            self.on = False
            return
        notes = self._session.selected_notes()
        if not notes:
            self.stop()
            return
        start = max(0.0, notes[0].onset - BEFORE_S)
        end = max(max(n.end for n in notes) + AFTER_S, start + _SHORTEST_S)
        self._transport.set_loop((start, end))
        self._loop = self._transport.loop
        self._transport.again()
