"""Commands for sections, and for comparing two ways to take the lead out, in the Source room."""

from dataclasses import replace
from functools import partial

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import SOURCE
from notcher.app.state.desk import Desk
from notcher.score.clause import Clause
from notcher.score.project import Project
from notcher.score.sections import add_section
from notcher.wording import tr


def compare_isolations(desk: Desk) -> None:
    """Swap the two ways to take the lead out; the first time, keep this one as the other."""

    def change(p: Project) -> Project:
        return replace(p, lead=p.lead if p.other_lead is None else p.other_lead, other_lead=p.lead)

    first = desk.session.project.other_lead is None
    desk.session.edit(tr("A against B"), change)
    if first:
        desk.said.emit(tr("this setting is kept as the other one; change something, and A swaps between them"))


def begin(desk: Desk) -> None:
    """A section begins at the playhead."""
    at = desk.transport.position
    desk.session.edit(tr("Section"), lambda p: add_section(p, start=at))


def go(desk: Desk, number: int) -> None:
    """Go to the section of that number, counted from 1."""
    sections = desk.session.project.sections
    if number > len(sections):
        desk.said.emit(
            tr("there is no section {number}; the last is {last}", number=number, last=len(sections)) if sections
            else tr("there is no section {number}; S makes one at the playhead", number=number)
        )  # fmt: skip
        return
    desk.go_to(sections[number - 1].start)


COMMANDS: tuple[Command, ...] = (
    Command(
        "source.compare", "A against B: swap the isolations", ("A",), "Source", compare_isolations, rooms=(SOURCE,)
    ),
    Command("section.begin", "A section begins here", ("S",), "Source", begin, rooms=(SOURCE,)),
    *(
        Command(
            f"section.go-{k}", Clause("go to section {k}", k=k), (str(k),), "Source", partial(go, number=k), (SOURCE,)
        )
        for k in range(1, 10)
    ),
)
