"""What is done while teaching: the lesson, takes, layers, and what is told of a phrase."""

from collections.abc import Callable

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import TEACH
from notcher.app.state.desk import Desk
from notcher.teach.layers import ORDER
from notcher.wording import tr
from notcher.wording.lesson import LAYERS


def _t(id_: str, label: str, keys: tuple[str, ...], run: Callable[[Desk], object]) -> Command:
    return Command(id_, label, keys, "Teach", run, rooms=(TEACH,))


def _asks(what: str) -> Callable[[Desk], object]:
    return lambda desk: desk.asked.emit(what)


def next_layer(desk: Desk) -> None:
    """Show and hear one layer more; after all of it the notes alone."""
    layer = ORDER[(ORDER.index(desk.transport.layer) + 1) % len(ORDER)]
    desk.set_layer(layer)
    desk.said.emit(tr("layer: {layer}", layer=tr(LAYERS[layer])))


COMMANDS: tuple[Command, ...] = (
    _t("lesson.run", "Run the lesson, hold it, go on", ("Ctrl+Return",), lambda d: d.lesson.toggle()),
    _t("lesson.make", "Make the lesson from the phrases", ("Alt+M",), _asks("lesson-make")),
    _t("lesson.keep", "Keep what is looped as a step", ("Alt+K",), _asks("lesson-keep")),
    _t("lesson.next", "Next step of the lesson", ("Ctrl+PgDown",), lambda d: d.lesson.skip(1)),
    _t("lesson.back", "Step of the lesson before", ("Ctrl+PgUp",), lambda d: d.lesson.skip(-1)),
    _t("lesson.end", "End the lesson", (), lambda d: d.lesson.end()),
    _t("lesson.panel", "Lesson beside the large tab", ("Alt+L",), _asks("teach-lesson")),
    _t("take.record", "Record a take, or stop", ("R",), _asks("take-record")),
    _t("take.file", "Judge a take from a file …", ("Shift+R",), _asks("take-file")),
    _t("take.panel", "Takes under the large tab", ("Alt+R",), _asks("teach-takes")),
    _t("teach.layer", "Layer: notes, legato, bends, all", ("Y",), next_layer),
    _t("teach.cue", "Cue line under the large tab", ("Alt+U",), _asks("teach-cue")),
    _t("teach.chords", "Chords over the large tab", ("Alt+H",), _asks("teach-chords")),
    _t("teach.pedals", "Pedals: what they do …", ("Alt+P",), _asks("teach-pedals")),
    _t("teach.words", "Advice and what to listen for …", ("Alt+A",), _asks("teach-words")),
)  # fmt: skip
