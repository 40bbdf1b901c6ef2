"""Commands for the versions of a phrase, and for phrases that come again."""

from collections.abc import Callable

from notcher.app.commands.command import Command
from notcher.app.rooms.ids import NOTCH
from notcher.app.state.desk import Desk
from notcher.place.elsewhere import elsewhere
from notcher.score import versions
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.phrase_repeats import PhraseRepeat, link, unlink
from notcher.score.project import AS_PLAYED, Phrase, Project
from notcher.teach.simplify import easier
from notcher.wording import render_message, tr, trn
from notcher.wording.notes import version_words

_NAMED = 4


def phrase_here(desk: Desk) -> Phrase | None:
    """The phrase of the selected note, under the playhead, or in hand; says so where there is none."""
    chosen = desk.session.selected_notes()
    project = desk.session.project
    found = project.phrase_at(chosen[0].onset) if chosen else project.phrase_at(desk.transport.position)
    found = found or desk.phrase
    if found is None:
        desk.said.emit(tr("there is no phrase here; cut the solo into phrases first"))
    return found


def show(desk: Desk, phrase_id: str, name: str) -> None:
    """Show a version of a phrase."""
    desk.session.edit(
        tr("Show {version}", version=version_words(name)), lambda p: versions.show_version(p, phrase_id, name)
    )
    _stay_in(desk, phrase_id)


def _stay_in(desk: Desk, phrase_id: str) -> None:
    """Where the selected note is not in the version that is shown now, its first note is taken, so that the next key
    means the same phrase."""
    if not desk.session.selection and desk.room == NOTCH:
        project = desk.session.project
        first = versions.notes_of(project, versions.phrase_of(project, phrase_id))[:1]
        desk.session.select(frozenset(n.id for n in first))


def give_version(desk: Desk, label: str, phrase_id: str, name: str, notes: tuple[Note, ...]) -> bool:
    """Give a phrase a version and show it; whether that was done."""
    done = desk.session.edit(label, lambda p: versions.add_version(p, phrase_id, name, notes))
    if done:
        _stay_in(desk, phrase_id)
    return done


def next_version(desk: Desk) -> None:
    """Show the phrase's next version."""
    phrase = phrase_here(desk)
    if phrase is None:
        return
    names = phrase.versions
    if len(names) == 1:
        desk.said.emit(
            tr("'{name}' has no other version yet; propose an easier one, or another place", name=phrase.name)
        )
        return
    name = names[(names.index(phrase.showing) + 1) % len(names)]
    show(desk, phrase.id, name)
    desk.said.emit(tr("'{name}' is shown {version}", name=phrase.name, version=version_words(name)))


def propose_easier(desk: Desk) -> None:
    """Propose an easier version of the phrase, from what was played, and show it."""
    phrase = phrase_here(desk)
    if phrase is None:
        return
    project = desk.session.project
    found = easier(versions.notes_of(project, phrase, version=AS_PLAYED), project.tuning)
    if not found.said:
        desk.said.emit(tr("'{name}' is plain already; nothing was found to make easier", name=phrase.name))
        return
    if give_version(desk, tr("Easier version"), phrase.id, versions.EASIER, found.notes):
        desk.said.emit(
            tr(
                "'{name}' made easier: {how}. What was played is kept beside it",
                name=phrase.name,
                how="; ".join(render_message(clause) for clause in found.said),
            )
        )


def propose_elsewhere(desk: Desk) -> None:
    """Propose the phrase in another place on the neck, and show it."""
    phrase = phrase_here(desk)
    if phrase is None:
        return
    project = desk.session.project
    try:
        notes = elsewhere(versions.notes_of(project, phrase, version=AS_PLAYED), project.tuning)
    except ScoreError as error:
        desk.said.emit(render_message(error))
        return
    if give_version(desk, tr("Another place"), phrase.id, versions.ELSEWHERE, notes):
        frets = [n.fret for n in notes if n.fret]
        desk.said.emit(
            tr("'{name}' in another place, frets {low} to {high}. What was played is kept beside it", name=phrase.name,
               low=min(frets), high=max(frets)) if frets
            else tr("'{name}' in another place. What was played is kept beside it", name=phrase.name)
        )  # fmt: skip


def as_meant(desk: Desk) -> None:
    """A copy of what was played, to correct a slip in."""
    phrase = phrase_here(desk)
    if phrase is None:
        return
    notes = versions.notes_of(desk.session.project, phrase)
    if give_version(desk, tr("As meant"), phrase.id, versions.AS_MEANT, notes):
        desk.said.emit(
            tr("correct '{name}' as it was meant; what was played, with the slip, is kept beside it", name=phrase.name)
        )


def remove(desk: Desk) -> None:
    """Let the version that is shown go."""
    phrase = phrase_here(desk)
    if phrase is not None:
        desk.session.edit(tr("Remove the version"), lambda p: versions.remove_version(p, phrase.id, phrase.showing))
        _stay_in(desk, phrase.id)


def offer_repeats(desk: Desk, found: list[PhraseRepeat], left: Callable[[], object] = lambda: None) -> None:
    """Say which phrases come again, and offer to link them. left: what follows where they are to stay as they are."""
    project = desk.session.project
    if not found:
        linked = sum(bool(p.like) for p in project.phrases)
        desk.said.emit(
            trn(
                "no other phrase comes again; {n} is linked already",
                "no other phrase comes again; {n} are linked already", linked,
            ) if linked else tr("no other phrase comes again")
        )  # fmt: skip
        return

    def take(chosen: list[PhraseRepeat]) -> None:
        def change(p: Project) -> Project:
            for a in chosen:
                p = link(p, a.phrase_id, a.of_id)
            return p

        desk.session.edit(tr("Link repeats"), change)

    said = [
        tr("'{name}' is {like}", name=versions.phrase_of(project, a.phrase_id).name, like=a.clause(project))
        for a in found[:_NAMED]
    ]
    more = tr(", and {n} more", n=len(found) - _NAMED) if len(found) > _NAMED else ""
    choices: list[tuple[str, Callable[[], object]]] = [
        (tr("Link them") if len(found) > 1 else tr("Link it"), lambda: take(found))
    ]
    exact = [a for a in found if not a.changes]
    if 0 < len(exact) < len(found):
        choices.append((tr("Only those without a change"), lambda: take(exact)))
    choices.append((tr("Leave them"), left))
    text = tr(
        "{names}{more}. A linked phrase shows what differs, and corrections go to all", names="; ".join(said), more=more
    )
    desk.offered.emit(text, choices)


def let_go(desk: Desk) -> None:
    """Let a linked phrase go its own way."""
    phrase = phrase_here(desk)
    if phrase is None:
        return
    if not phrase.like:
        desk.said.emit(tr("'{name}' is not linked to another phrase", name=phrase.name))
        return
    desk.session.edit(tr("Unlink the phrase"), lambda p: unlink(p, phrase.id))


COMMANDS: tuple[Command, ...] = tuple(
    Command(f"version.{i}", label, keys, "Phrases", run, rooms=(NOTCH,))
    for i, label, keys, run in (
        ("next", "Show the phrase's next version", ("Alt+V",), next_version),
        ("easier", "Propose an easier version", ("Alt+E",), propose_easier),
        ("elsewhere", "Propose another place on the neck", ("Alt+P",), propose_elsewhere),
        ("move", "Move the phrase: chord, key, scale", ("Alt+K",), lambda d: d.asked.emit("move")),
        ("as-meant", "What was meant: a copy to correct", ("Alt+M",), as_meant),
        ("remove", "Remove this version", (), remove),
        ("repeats", "Find phrases that come again", ("Alt+R",), lambda d: d.asked.emit("repeats")),
        ("let-go", "Let a linked phrase go its own way", (), let_go),
    )
)
