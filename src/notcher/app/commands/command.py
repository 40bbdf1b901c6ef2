"""What a command is: declared once, made into menu entries, keys and the sheet of keys."""

from collections.abc import Callable
from dataclasses import dataclass

from notcher.app.state.desk import Desk
from notcher.score.clause import Clause
from notcher.wording import render_message, tr


@dataclass(frozen=True, slots=True)
class Command:
    """One thing a person can do. label: in English, `words` says it; keys: Qt key sequences, the first is shown; rooms:
    where it is offered, () for all."""

    id: str
    label: str | Clause
    keys: tuple[str, ...]
    group: str
    run: Callable[[Desk], object]
    rooms: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """What it does, as it stands in a menu."""
        said = render_message(self.label) if isinstance(self.label, Clause) else tr(self.label)
        return said[:1].upper() + said[1:]
