"""Commands of the Hand out room."""

from collections.abc import Callable

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import HAND_OUT
from notcher.app.state.desk import Desk


def _ask(what: str) -> Callable[[Desk], None]:
    return lambda desk: desk.asked.emit(what)


COMMANDS: tuple[Command, ...] = (
    Command("handout.packet", "Hand out the packet …", ("G",), "Hand out", _ask("handout-packet"), rooms=(HAND_OUT,)),
    Command("handout.print", "Print …", ("Ctrl+P",), "Hand out", _ask("handout-print"), rooms=(HAND_OUT,)),
    Command("handout.view", "Pages, sound and film, or packet", ("V",), "Hand out", _ask("handout-view"),
            rooms=(HAND_OUT,)),
)  # fmt: skip
