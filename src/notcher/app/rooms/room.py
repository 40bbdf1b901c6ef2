"""What a room of the window is."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtWidgets import QWidget

from notcher.app.jobs.tasks import Tasks
from notcher.app.state.desk import Desk
from notcher.app.state.pedals import Pedals
from notcher.app.state.settings import Settings
from notcher.app.widgets.theme import Theme


@dataclass(frozen=True, slots=True)
class Around:
    """What the shell gives to a room as it is made."""

    desk: Desk
    tasks: Tasks
    settings: Settings
    theme: Theme
    pedals: Pedals


class RoomView(QWidget):
    """What the shell asks of every room; a room answers where it has something to say."""

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours, and at the size of type that is set."""

    def wait(self) -> None:
        """Wait until no thread of this room runs, as the window goes."""

    def takes_file(self, path: Path) -> bool:
        """Whether a file that was dropped here is this room's; else it is opened."""
        return False

    def answers(self) -> dict[str, Callable[[], object]]:
        """What this room does where a command asks for it by name (Desk.asked)."""
        return {}


@dataclass(frozen=True, slots=True)
class Room:
    """id: for the code; title: on its button; key: goes there; make: its view. overview: whether the whole recording is
    shown over it; framed: with a frame around what the room shows of it."""

    id: str
    title: str
    key: str
    make: Callable[[Around], RoomView]
    overview: bool = True
    framed: bool = False
