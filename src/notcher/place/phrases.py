"""A phrase's places as a whole: what may be offered with a word for each, and what follows when one is taken."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.place.fingers import Fingered, finger
from notcher.place.offers import offered
from notcher.place.search import Lattice, Place
from notcher.place.solver import around, fingering, wanted_of
from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.playing import Hand
from notcher.score.project import Phrase, Project

_TRIED = 8
# A bend of more than a semitone is a far one.
_FAR_BEND_CENTS = 150
_RINGS = 2
# Notes on either side that count where a key must not wait for the whole solo.
_NEARBY = 100


@dataclass(frozen=True, slots=True)
class PhrasePlace:
    """A place for a phrase: of its notes in order, the hand for each, why one would take it, and whether it is where
    the phrase lies now."""

    places: tuple[Place, ...]
    hand: tuple[Fingered, ...]
    why: tuple[Clause, ...]
    now: bool

    @property
    def position(self) -> int:
        """Where the hand is most of the time: what the place is called by."""
        positions = [f.position for f in self.hand]
        return max(sorted(set(positions)), key=positions.count) if positions else 0

    @property
    def shifts(self) -> int:
        """How often the hand moves."""
        return sum(a.position != b.position for a, b in zip(self.hand, self.hand[1:], strict=False))


def places_of(
    project: Project, phrase: Phrase, *, most: int = 3, hand: Hand = Hand.PER_FRET, nearby: int | None = None
) -> list[PhrasePlace]:
    """So many places for a phrase, likeliest first. What is confirmed or held in it stays in all of them, but for a
    first note that is only held: where that lies is what is asked here.

    nearby: how many notes before and after count, None for the whole solo.
    """
    notes = project.notes_between(phrase.start, phrase.end)
    if not notes:
        return []
    wanted = wanted_of(_free(project, notes[0]), fixed=frozenset())
    first = next(i for i, n in enumerate(project.notes) if n.id == notes[0].id)
    # From which note on the solo counts, and up to which.
    low = 0 if nearby is None else max(0, first - nearby)
    high = len(wanted) if nearby is None else first + len(notes) + nearby
    span = range(first - low, first - low + len(notes))
    # The phrases before are as they lie; those after are open.
    wanted = [
        replace(w, place=(n.string, n.fret)) if i < first else w
        for i, (w, n) in enumerate(zip(wanted, project.notes, strict=True))
    ]
    wanted = wanted[low:high]
    lattice = Lattice(wanted, project.tuning)
    lattice.solve()
    now = tuple((n.string, n.fret) for n in notes)
    found = offered(lattice, span, most=most, now=now)

    def fingered(places: tuple[Place, ...]) -> tuple[Fingered, ...]:
        """As they are shown where the phrase lies: with what is around it."""
        placed = [replace(n, string=s, fret=f) for n, (s, f) in zip(notes, places, strict=True)]
        found = fingering(around(project, placed), hand=hand)
        return tuple(found[n.id] for n in placed)

    before = _position_before(project, phrase, hand)
    made = [PhrasePlace(o.places, fingered(o.places), (), o.places == now) for o in found]
    if not any(p.now for p in made):
        # Where it lies is always among them, so that it can be compared, and taken back to.
        made = [*made[: most - 1], PhrasePlace(now, fingered(now), (), True)]
    return [replace(p, why=_why(p, made, notes, before)) for p in made]


def _free(project: Project, first: Note) -> Project:
    """The project with a phrase's first note held no more, unless it is confirmed."""
    if first.confirmed or not first.held:
        return project
    return project.with_notes([replace(n, held=False) if n.id == first.id else n for n in project.notes])


def _position_before(project: Project, phrase: Phrase, hand: Hand) -> int | None:
    """Where the hand is at the end of what comes before."""
    earlier = [n for n in project.notes if n.onset < phrase.start][-12:]
    if not earlier:
        return None
    wanted = wanted_of(replace(project, phrases=(), notes=()).with_notes(earlier))
    return finger(wanted, [(n.string, n.fret) for n in earlier], hand)[-1].position


def _why(
    place: PhrasePlace, others: Sequence[PhrasePlace], notes: Sequence[Note], before: int | None
) -> tuple[Clause, ...]:
    """What speaks for a place against the others."""
    said: list[Clause] = []
    rest = [o for o in others if o is not place]
    if rest and all(place.shifts < o.shifts for o in rest):
        said.append(
            Clause("the hand stays") if place.shifts == 0
            else Clause("fewest shifts: {n}", n=place.shifts)
        )  # fmt: skip
    if before is not None and place.hand[0].position == before:
        said.append(Clause("same position as the phrase before"))
    bends = [f for n, f in zip(notes, place.hand, strict=True) if n.bend and n.bend.target_cents > _FAR_BEND_CENTS]
    if bends and all(f.finger == 3 for f in bends):
        said.append(Clause("the bends lie under the third finger"))
    opens = sum(fret == 0 for _, fret in place.places)
    if opens >= _RINGS:
        said.append(Clause("{n} open string rings", many="{n} open strings ring", n=opens))
    mean = _mean_string(place)
    if rest and all(mean > _mean_string(o) for o in rest):
        said.append(Clause("the thicker strings' fuller tone"))
    if rest and all(mean < _mean_string(o) for o in rest):
        said.append(Clause("the thinner strings' brighter tone"))
    return tuple(said)


def _mean_string(place: PhrasePlace) -> float:
    return sum(string for string, _ in place.places) / len(place.places)


def take_place(project: Project, phrase: Phrase, places: Sequence[Place]) -> Project:
    """Put a phrase where the person says: it counts as their word for its first note. What is confirmed or held in it
    stays; what follows is for `settle`. Raises ScoreError where the phrase has no notes or other ones than offered."""
    notes = project.notes_between(phrase.start, phrase.end)
    if len(notes) != len(places):
        raise ScoreError("the phrase was changed meanwhile; look at its places again")
    if not notes:
        raise ScoreError("there are no notes in this phrase")
    put: dict[str, Note] = {}
    for k, (n, (string, fret)) in enumerate(zip(notes, places, strict=True)):
        if replace(n, string=string, fret=fret).pitch(project.tuning) != n.pitch(project.tuning):
            raise ScoreError("the phrase was changed meanwhile; look at its places again")
        if n.confirmed or (n.held and k):
            continue
        moved = (n.string, n.fret) != (string, fret)
        put[n.id] = replace(n, string=string, fret=fret, held=k == 0, finger=None if moved else n.finger)
    return project.with_notes([put.get(n.id, n) for n in project.notes])


def next_place(project: Project, phrase: Phrase, steps: int) -> PhrasePlace:
    """The phrase's next place towards the thinner (1) or thicker (-1) strings. Raises ScoreError where there is
    none."""
    notes = project.notes_between(phrase.start, phrase.end)
    if not notes:
        raise ScoreError("there are no notes in this phrase")
    # As if nothing held it: the person moves all that is not confirmed.
    free = project.with_notes([replace(n, held=False) if n in notes and not n.confirmed else n for n in project.notes])
    mean = sum(n.string for n in notes) / len(notes)
    found = [p for p in places_of(free, phrase, most=_TRIED, nearby=_NEARBY) if (mean - _mean_string(p)) * steps > 0.25]
    if not found:
        if steps > 0:
            raise ScoreError("this phrase has no place on thinner strings that a hand would take")
        raise ScoreError("this phrase has no place on thicker strings that a hand would take")
    return min(found, key=lambda p: abs(mean - _mean_string(p)))


def shifted(project: Project, phrase: Phrase, steps: int) -> Project:
    """The phrase in its next place towards the thinner (1) or thicker (-1) strings, by one key."""
    notes = project.notes_between(phrase.start, phrase.end)
    ids = {n.id for n in notes if not n.confirmed}
    found = next_place(project, phrase, steps)
    free = project.with_notes([replace(n, held=False) if n.id in ids else n for n in project.notes])
    return take_place(free, phrase, found.places)
