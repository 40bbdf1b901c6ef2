"""Places for the notes of a project: where they lie when they are new, and what settles when the person says one."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.place.fingers import Fingered, finger
from notcher.place.search import Found, Lattice, places_of, search
from notcher.place.strokes import MARK_OF, Stroked, said_of, strokes
from notcher.place.wanted import Wanted
from notcher.score.note import Note
from notcher.score.playing import Hand
from notcher.score.project import Project, phrase_number
from notcher.score.tuning import Tuning

_NEARBY = 200
# Notes on either side from which fingers and strokes of a phrase no longer depend on what lies farther.
_AROUND = 16
REST_S = 0.6
"""Silence from which a passage without phrases begins a new one: a breath (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Placed:
    """A place: string, fret, the hand's position (fret of the first finger), the finger (None for none), and how likely
    the place is against the others of its pitch, 0 to 1."""

    string: int
    fret: int
    position: int
    finger: int | None
    sure: float


def place(wanted: Sequence[Wanted], tuning: Tuning, *, hand: Hand = Hand.PER_FRET) -> list[Placed]:
    """A place, a position and a finger for every note, in time order."""
    found = search(wanted, tuning)
    fingered = finger(wanted, [(f.string, f.fret) for f in found], hand)
    return [_placed(f, g) for f, g in zip(found, fingered, strict=True)]


def _placed(found: Found, fingered: Fingered) -> Placed:
    return Placed(found.string, found.fret, fingered.position, fingered.finger, found.sure)


def cut_at_rests(wanted: Sequence[Wanted]) -> list[Wanted]:
    """The same notes with phrases cut at rests, for what has no phrases yet."""
    out: list[Wanted] = []
    until = 0.0
    for w in wanted:
        number = out[-1].phrase + (w.onset - until > REST_S) if out else 0
        out.append(replace(w, phrase=number))
        until = max(until, w.end)
    return out


def wanted_of(project: Project, *, fixed: frozenset[str] | None = None) -> list[Wanted]:
    """What the project's notes want, by its phrases, or cut at rests where it has none. fixed: ids whose places are
    settled besides those that are confirmed or held; None: all are."""
    out = []
    number = -1
    for n in project.notes:
        # The phrase of the note before is the likeliest, and then the next one.
        if number < 0 or not project.phrases[number].holds(n.onset):
            after = number + 1
            there = 0 < after < len(project.phrases) and project.phrases[after].holds(n.onset)
            number = after if there else phrase_number(project.phrases, n.onset)
        settled = fixed is None or n.confirmed or n.held or n.id in fixed
        out.append(Wanted.of(n, project.tuning, fixed=settled, phrase=number))
    return out if project.phrases else cut_at_rests(out)


def settle(project: Project, said: frozenset[str], *, later: bool = True) -> Project:
    """The project after the person said where some notes lie: the rest of their phrases, and all later ones, are placed
    anew around them. What is confirmed or held never moves, and nothing moves in phrases before.

    later: False for their own phrases alone, which is done before a key is up; what lies well before them does not
    count then.
    """
    notes = list(project.notes)
    told = [i for i, n in enumerate(notes) if n.id in said]
    if not told:
        return project
    wanted = wanted_of(project, fixed=said)
    begins = next(i for i, w in enumerate(wanted) if w.phrase == wanted[told[0]].phrase)
    low, high = 0, len(notes)
    if not later:
        low = max(0, begins - _NEARBY)
        high = 1 + max(i for i, w in enumerate(wanted) if w.phrase == wanted[told[-1]].phrase)
    # What lies before stays, and counts for what comes.
    wanted = [
        replace(w, place=(n.string, n.fret)) if i < begins else w
        for i, (w, n) in enumerate(zip(wanted, notes, strict=True))
    ]
    for i, (string, fret) in enumerate(places_of(wanted[low:high], project.tuning), low):
        n = notes[i]
        if wanted[i].place is None and (n.string, n.fret) != (string, fret):
            notes[i] = replace(n, string=string, fret=fret, finger=None)
    return project.with_notes(notes)


def fingering(project: Project, *, hand: Hand = Hand.PER_FRET) -> dict[str, Fingered]:
    """Position and finger of every note where it lies now, by note id; a finger that the person said stays. Derived,
    never stored."""
    notes = project.notes
    found = finger(wanted_of(project), [(n.string, n.fret) for n in notes], hand)
    return {n.id: f for n, f in zip(notes, found, strict=True)}


def sureness(project: Project) -> dict[str, float]:
    """How likely each note's place is against the others of its pitch, 0 to 1, by note id; 1 where it is settled."""
    wanted = wanted_of(project, fixed=frozenset())
    if not wanted:
        return {}
    shares = Lattice(wanted, project.tuning).solve()
    return {
        n.id: 1.0 if n.confirmed or n.held else round(min(1.0, share.get((n.string, n.fret), 0.0)), 3)
        for n, share in zip(project.notes, shares, strict=True)
    }


def around(project: Project, notes: Sequence[Note]) -> Project:
    """The project with the notes given, in time order and lying where they are given, and a few before and after: what
    their fingers and strokes depend on, without the whole of a long solo."""
    if not notes:
        return project.with_notes([])
    ids = {n.id for n in notes}
    low, high = notes[0].onset, notes[-1].onset
    before = [n for n in project.notes if n.onset < low and n.id not in ids][-_AROUND:]
    after = [n for n in project.notes if n.onset > high and n.id not in ids][:_AROUND]
    # What lies between them and is not among them is not there: an offer is of a phrase's notes.
    return project.with_notes([*before, *notes, *after])


def picking(project: Project) -> dict[str, Stroked]:
    """The pick's stroke for every note that has one, by note id, by the project's school. Derived, never stored."""
    return strokes(project.notes, project.playing.picking, project.tempo)


def in_full(project: Project) -> Project:
    """The project with every finger and stroke written, where the person said none as they are proposed: for what is
    handed out with both hands."""
    hand, pick = fingering(project, hand=project.playing.hand), picking(project)
    return project.with_notes([_in_full(n, hand[n.id], pick.get(n.id)) for n in project.notes])


def _in_full(note: Note, hand: Fingered, stroked: Stroked | None) -> Note:
    # Of two strings under one stroke the mark stands at each; writers say it once where their form asks for it.
    marks = note.marks if stroked is None or said_of(note) else note.marks | {MARK_OF[stroked.stroke]}
    return replace(note, finger=hand.finger if note.finger is None else note.finger, marks=marks)
