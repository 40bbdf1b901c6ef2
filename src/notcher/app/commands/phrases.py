"""Commands that cut the solo into phrases."""

from dataclasses import replace

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import NOTCH
from notcher.app.state.desk import Desk
from notcher.score import edits
from notcher.score.clause import quoted
from notcher.score.errors import ScoreError
from notcher.score.note import TOGETHER_S
from notcher.score.project import Phrase, Project
from notcher.teach.phrasing import propose_phrases
from notcher.wording import tr


def _here(desk: Desk) -> Phrase | None:
    return desk.session.project.phrase_at(desk.transport.position) or desk.phrase


def rename(desk: Desk) -> None:
    """Name the phrase under the playhead."""
    phrase = _here(desk)
    if phrase is None:
        desk.said.emit(tr("there is no phrase here to rename"))
        return
    desk.phrase_id = phrase.id
    desk.asked.emit("rename-phrase")


def split(desk: Desk) -> None:
    """Cut the phrase at the selected note, or at the playhead."""
    chosen = desk.session.selected_notes()
    at = chosen[0].onset - TOGETHER_S if chosen else desk.transport.position
    desk.session.edit(tr("Split phrase"), lambda p: edits.split_phrase(p, at=at))


def join(desk: Desk) -> None:
    """Join the phrase under the playhead with the next."""
    phrase = _here(desk)
    if phrase is None:
        desk.said.emit(tr("there is no phrase here to join"))
        return
    desk.session.edit(tr("Join phrases"), lambda p: edits.join_phrase_with_next(p, phrase.id))


def from_loop(desk: Desk) -> None:
    """Make the loop a phrase of its own."""
    loop = desk.transport.loop
    if loop is None:
        desk.said.emit(tr("set a loop first, by dragging along the waveform"))
        return
    desk.session.edit(tr("Phrase from loop"), lambda p: edits.add_phrase(p, start=loop[0], end=loop[1]))


def propose(desk: Desk) -> None:
    """Cut the whole solo anew at rests and long notes. Undo brings the old phrases back. Raises ScoreError where there
    are no notes."""

    def change(project: Project) -> Project:
        if not project.notes:
            raise ScoreError("there are no notes to cut into phrases; measure the recording first")
        return replace(project, phrases=propose_phrases(project.notes, duration=project.recording.duration))

    def cut() -> None:
        desk.session.edit(tr("Propose phrases"), change)

    kept = [p.name for p in desk.session.project.phrases if p.aside or p.like]
    if not kept:
        cut()
        return
    names = quoted(kept[:3])
    names = tr("{names} and others", names=names) if len(kept) > 3 else names
    desk.offered.emit(
        tr("phrases with other versions or links lose them when all are cut anew: {names}", names=names),
        [(tr("Cut all anew"), cut), (tr("Leave them"), lambda: None)],
    )


COMMANDS: tuple[Command, ...] = tuple(
    Command(f"phrase.{i}", label, keys, "Phrases", run, rooms=(NOTCH,))
    for i, label, keys, run in (
        ("rename", "Rename the phrase", ("F2",), rename),
        ("split", "Split the phrase here", ("X",), split),
        ("join", "Join the phrase with the next", ("Shift+X",), join),
        ("from-loop", "Make the loop a phrase", ("Shift+P",), from_loop),
        ("propose", "Propose all phrases anew", ("Ctrl+Shift+P",), propose),
    )
)
