"""What a command is: declared once, made into menu entries, keys and the sheet of keys."""

from collections.abc import Callable
from dataclasses import dataclass

from notcher.app.desk import Desk


@dataclass(frozen=True, slots=True)
class Command:
    """One thing a person can do. keys: Qt key sequences, the first is shown; rooms: where it is offered, () for all."""

    id: str
    label: str
    keys: tuple[str, ...]
    group: str
    run: Callable[[Desk], object]
    rooms: tuple[str, ...] = ()
