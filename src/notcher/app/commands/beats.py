"""Commands that say where the beat is, in the Source room."""

from collections.abc import Callable
from dataclasses import replace

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import SOURCE
from notcher.app.state.desk import Desk
from notcher.score import beats
from notcher.score.errors import ScoreError
from notcher.score.project import Project
from notcher.score.tempo import TempoMap
from notcher.score.unit import Unit
from notcher.wording import tr
from notcher.wording.rhythm import unit_words


def _edit(desk: Desk, label: str, change: Callable[[TempoMap], TempoMap]) -> None:
    def on_project(p: Project) -> Project:
        if p.tempo is None:
            raise ScoreError("no beat is known yet; let it be found, or tap along with T")
        return p.with_tempo(change(p.tempo))

    desk.session.edit(label, on_project)


def tap(desk: Desk) -> None:
    """A beat is now; taken over once the person stops tapping."""
    if not desk.transport.playing:
        desk.said.emit(tr("tap while it plays: Space starts it"))
        return
    desk.tap(desk.transport.position)


def bar_one(desk: Desk) -> None:
    """The beat nearest to the playhead begins bar 1."""
    at = desk.transport.position
    _edit(desk, tr("Bar 1"), lambda t: beats.say_bar_one(t, at))


def bar_length(desk: Desk, size: int, *, onwards: bool) -> None:
    """The bar at the playhead has so many beats."""
    at = desk.transport.position
    _edit(
        desk, tr("{size} beats in a bar", size=size),
        lambda t: beats.say_bar_length(t, t.bar_and_beat(at)[0], size, onwards=onwards),
    )  # fmt: skip


def unit(desk: Desk, chosen: Unit) -> None:
    """What a beat is written as."""
    _edit(desk, tr("A beat is {unit}", unit=unit_words(chosen)), lambda t: beats.say_unit(t, chosen))


def half(desk: Desk) -> None:
    """Two beats become one."""
    _edit(desk, tr("Half as fast"), beats.half_as_fast)


def double(desk: Desk) -> None:
    """One beat becomes two."""
    _edit(desk, tr("Twice as fast"), beats.twice_as_fast)


def no_beat(desk: Desk) -> None:
    """There is no beat to write by."""
    desk.session.edit(tr("No beat"), lambda p: replace(p, tempo=None))


COMMANDS: tuple[Command, ...] = tuple(
    Command(f"beat.{i}", label, keys, "Source", run, rooms=(SOURCE,))
    for i, label, keys, run in (
        ("tap", "Tap the beat along", ("T",), tap),
        ("bar-one", "Bar 1 is here", ("B",), bar_one),
        ("half", "Half as fast", ("[",), half),
        ("double", "Twice as fast", ("]",), double),
    )
)
