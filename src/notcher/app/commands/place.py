"""Commands for where a phrase lies: the next place towards thinner or thicker strings, one of those on offer."""

from collections.abc import Callable

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import NOTCH, PLACE, TEACH
from notcher.app.state.desk import Desk
from notcher.audio.tone import reference_tone
from notcher.place.phrases import PhrasePlace, shifted, take_place
from notcher.score.edits import confirm
from notcher.score.project import Phrase, Project
from notcher.wording import tr

_GOAL_S = 1.6


def phrase_in_hand(desk: Desk) -> Phrase | None:
    """The phrase of the selected note in the Notch room, else the phrase in hand; says so where there is none."""
    chosen = desk.session.selected_notes()
    found = desk.session.project.phrase_at(chosen[0].onset) if chosen and desk.room == NOTCH else None
    found = found or desk.phrase
    if found is None:
        desk.said.emit(tr("there is no phrase here; cut the solo into phrases first"))
    return found


def _say(desk: Desk, label: str, phrase: Phrase, change: Callable[[Project], Project]) -> None:
    own = frozenset(n.id for n in desk.session.project.notes_between(phrase.start, phrase.end))
    desk.placing.edit_fingering(label, change, own)


def to_strings(desk: Desk, steps: int) -> None:
    """The phrase to its next place towards the thinner (1) or thicker (-1) strings."""
    phrase = phrase_in_hand(desk)
    if phrase is not None:
        _say(desk, tr("Move the phrase on the neck"), phrase, lambda p: shifted(p, phrase, steps))


def take(desk: Desk, phrase: Phrase, place: PhrasePlace) -> None:
    """Put a phrase where it is offered to lie."""
    _say(desk, tr("Choose the phrase's place"), phrase, lambda p: take_place(p, phrase, place.places))


def confirm_and_next(desk: Desk) -> None:
    """Say that the phrase in hand is right, but for notes in doubt, and go to the next one."""
    phrase = phrase_in_hand(desk)
    if phrase is None:
        return
    notes = desk.session.project.notes_between(phrase.start, phrase.end)
    ids = frozenset(n.id for n in notes if not n.doubt)
    if ids:
        desk.session.edit(tr("Confirm the phrase"), lambda p: confirm(p, ids))
    desk.step_phrase(1)


def hear_goal(desk: Desk) -> None:
    """Sound the tone that a bend goes to: of the selected note, else of the bend at the playhead or the next after it
    in the phrase. A pre-bend is pushed before anybody hears it; this is what it is tuned by."""
    project = desk.session.project
    chosen = [n for n in desk.session.selected_notes() if n.bend is not None]
    phrase = desk.phrase
    if not chosen and phrase is not None:
        bends = [n for n in project.notes_between(phrase.start, phrase.end) if n.bend is not None]
        chosen = [n for n in bends if n.end > desk.transport.position] or bends
    if not chosen:
        desk.said.emit(tr("there is no bend here whose goal could be heard"))
        return
    note = chosen[0]
    assert note.bend is not None
    goal = note.pitch(project.tuning) + note.bend.target_cents / 100
    # As the recording sits, unless it is brought to A = 440.
    offset = 0.0 if project.in_tune else project.offset_cents
    desk.transport.sound_once(reference_tone(goal, seconds=_GOAL_S, offset_cents=offset))
    desk.said.emit(
        tr(
            "the goal of the bend at string {string}, fret {fret}: it sounds like fret {goal:g}", string=note.string,
            fret=note.fret, goal=note.sounds_like_fret(),
        )
    )  # fmt: skip


COMMANDS: tuple[Command, ...] = (
    Command("place.thinner", "Phrase towards the thinner strings", ("Alt+Shift+Up",), "Phrases",
            lambda d: to_strings(d, 1), rooms=(NOTCH, PLACE)),
    Command("place.thicker", "Phrase towards the thicker strings", ("Alt+Shift+Down",), "Phrases",
            lambda d: to_strings(d, -1), rooms=(NOTCH, PLACE)),
    Command("place.up", "Phrase towards the thinner strings", ("Up",), "Place", lambda d: to_strings(d, 1),
            rooms=(PLACE,)),
    Command("place.down", "Phrase towards the thicker strings", ("Down",), "Place", lambda d: to_strings(d, -1),
            rooms=(PLACE,)),
    Command("place.confirm", "Confirm the phrase, and next", ("C",), "Place", confirm_and_next, rooms=(PLACE,)),
    Command("place.take-1", "Take the first place offered", ("1",), "Place", lambda d: d.asked.emit("place-1"),
            rooms=(PLACE,)),
    Command("place.take-2", "Take the second place offered", ("2",), "Place", lambda d: d.asked.emit("place-2"),
            rooms=(PLACE,)),
    Command("place.take-3", "Take the third place offered", ("3",), "Place", lambda d: d.asked.emit("place-3"),
            rooms=(PLACE,)),
    Command("place.hear", "Hear the place that is looked at", ("H",), "Place", lambda d: d.asked.emit("place-hear"),
            rooms=(PLACE,)),
    Command("place.goal", "Hear the goal of the bend", ("Shift+G",), "Playing", hear_goal, rooms=(NOTCH, PLACE, TEACH)),
    Command("view.counts", "Counts under the large tab", ("Alt+C",), "View", lambda d: d.asked.emit("teach-counts"),
            rooms=(TEACH,)),
    Command("view.fingers", "Fingers under the large tab", ("Alt+F",), "View", lambda d: d.asked.emit("teach-fingers"),
            rooms=(TEACH,)),
    Command("view.neck", "Neck under the large tab", ("Alt+N",), "View", lambda d: d.asked.emit("teach-neck"),
            rooms=(TEACH,)),
    Command("view.left-handed", "Neck for the left or right hand", (), "View", lambda d: d.asked.emit("left-handed")),
)  # fmt: skip
