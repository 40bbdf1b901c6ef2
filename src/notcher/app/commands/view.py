"""Commands for files, undo, rooms and what is in view."""

from collections.abc import Callable

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import NOTCH, PLACE, TEACH
from notcher.app.state.desk import Desk
from notcher.score.clause import Clause
from notcher.wording import later, tr


def zoom_to_loop(desk: Desk) -> None:
    """Fill the view with the loop, the phrase in hand, or everything."""
    stretch = desk.transport.loop
    if stretch is None and desk.phrase is not None:
        stretch = (desk.phrase.start, desk.phrase.end)
    if stretch is None or abs(desk.axis.span - (stretch[1] - stretch[0]) * 1.12) < 0.01:
        stretch = (0.0, desk.axis.duration)
    desk.axis.show_range(*stretch)


_TURNED = {
    "off": later("degrees are not shown"), "chord": later("degrees against the chord"),
    "key": later("degrees against the key"), "words": later("degrees against the chord, in words"),
}  # fmt: skip


def turn_degrees(desk: Desk) -> None:
    """Show the degrees of notes in the next way, or not."""
    desk.said.emit(tr(_TURNED[desk.analysis.turn_degrees()]))


def turn_figures(desk: Desk) -> None:
    """Show where figures come again, or not."""
    shown = desk.analysis.turn_figures()
    desk.said.emit(tr("figures that come again are shown") if shown else tr("figures are not shown"))


def _ask(what: str) -> Callable[[Desk], None]:
    return lambda desk: desk.asked.emit(what)


def room_command(room_id: str, title: str, key: str) -> Command:
    """The command that goes to a room."""
    return Command(
        f"room.{room_id}",
        Clause("{room} room", room=Clause(title)),
        (key,),
        "View",
        lambda desk: desk.show_room(room_id),
    )


COMMANDS: tuple[Command, ...] = (
    Command("file.open", "Open a recording, project or score …", ("Ctrl+O",), "File", _ask("open")),
    Command("file.save", "Save", ("Ctrl+S",), "File", _ask("save")),
    Command("file.save-as", "Save as …", ("Ctrl+Shift+S",), "File", _ask("save-as")),
    Command("file.line-up", "Line the notes up with a recording …", (), "File", _ask("line-up")),
    Command("file.lay-over", "Lay a score over this recording …", (), "File", _ask("lay-over")),
    Command("file.quit", "Leave Notcher", ("Ctrl+Q",), "File", _ask("quit")),
    Command("edit.undo", "Undo", ("Ctrl+Z",), "File", lambda d: d.session.undo()),
    Command("edit.redo", "Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), "File", lambda d: d.session.redo()),
    Command("view.closer", "Closer", ("Ctrl+Up",), "View",
            lambda d: d.axis.zoom(0.7, at=d.transport.position if d.axis.start <= d.transport.position <= d.axis.end
                                  else d.axis.start + d.axis.span / 2), rooms=(NOTCH,)),
    Command("view.farther", "Farther", ("Ctrl+Down",), "View",
            lambda d: d.axis.zoom(1 / 0.7, at=d.transport.position if d.axis.start <= d.transport.position <= d.axis.end
                                  else d.axis.start + d.axis.span / 2), rooms=(NOTCH,)),
    Command("view.fit", "Fill the view with the loop or phrase, then all", ("Z",), "View", zoom_to_loop,
            rooms=(NOTCH,)),
    Command("view.degrees", "Degrees of notes: chord, key, words, none", ("Q",), "View",
            turn_degrees, rooms=(NOTCH, PLACE, TEACH)),
    Command("view.figures", "Show or hide figures that come again", ("Shift+Q",), "View", turn_figures,
            rooms=(NOTCH, PLACE, TEACH)),
    Command("view.note-names", "Note names: B, or H as in German", (), "View", _ask("note-names")),
    Command("view.theme", "Light or dark", ("Ctrl+L",), "View", _ask("theme")),
    Command("view.larger", "Larger type", ("Ctrl+=", "Ctrl++"), "View", _ask("larger")),
    Command("view.smaller", "Smaller type", ("Ctrl+-",), "View", _ask("smaller")),
    Command("view.choice-1", "First answer to what is asked", ("F5",), "View", _ask("choice-1")),
    Command("view.choice-2", "Second answer", ("F6",), "View", _ask("choice-2")),
    Command("view.choice-3", "Third answer", ("F7",), "View", _ask("choice-3")),
    Command("view.put-away", "Dismiss message, or show the last one again", ("F8",), "View", _ask("put-away")),
    Command("view.keys", "Keys of this room", ("?", "F1"), "View", _ask("keys")),
)  # fmt: skip
