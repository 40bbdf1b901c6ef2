"""Many notes at once: those that fit a description, and one change to all of them."""

from collections.abc import Set
from dataclasses import dataclass, replace
from enum import StrEnum

from notcher.score.bends import decided
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, BendKind, Mark, Note, written_vibrato
from notcher.score.project import Project


class Standing(StrEnum):
    """How far a note is settled."""

    DOUBTFUL = "doubtful"
    PROPOSED = "proposed"
    CONFIRMED = "confirmed"

    @classmethod
    def of(cls, note: Note) -> "Standing":
        """A doubt outweighs all else."""
        if note.doubt:
            return cls.DOUBTFUL
        return cls.CONFIRMED if note.confirmed else cls.PROPOSED


@dataclass(frozen=True, slots=True)
class Description:
    """What notes have to be; None (or nothing) where it does not matter. bent, vibrato: whether there is any; without:
    marks they must not have."""

    string: int | None = None
    fret: int | None = None
    attack: Attack | None = None
    bent: bool | None = None
    kind: BendKind | None = None
    cents: int | None = None
    vibrato: bool | None = None
    finger: int | None = None
    marks: frozenset[Mark] = frozenset()
    without: frozenset[Mark] = frozenset()
    standing: Standing | None = None

    def fits(self, note: Note) -> bool:
        """Whether a note is as described."""
        bend = note.bend
        return all(
            (
                self.string in (None, note.string),
                self.fret in (None, note.fret),
                self.attack in (None, note.attack),
                self.bent in (None, bend is not None),
                self.kind is None or (bend is not None and bend.kind is self.kind),
                self.cents is None or (bend is not None and bend.target_cents == self.cents),
                self.vibrato in (None, note.vibrato is not None),
                self.finger in (None, note.finger),
                self.marks <= note.marks,
                not self.without & note.marks,
                self.standing in (None, Standing.of(note)),
            )
        )


def find(project: Project, wanted: Description, *, start: float = 0.0, end: float | None = None) -> frozenset[str]:
    """Ids of the notes that fit, of those that begin between two times in seconds."""
    last = float("inf") if end is None else end
    return frozenset(n.id for n in project.notes_between(start, last) if wanted.fits(n))


def change_all(project: Project, ids: Set[str], to: Description) -> Project:
    """Make notes as described, where the description says anything. Raises ScoreError where it says nothing, or where a
    note cannot be so."""
    if to == Description() or to.standing is not None:
        raise ScoreError("say what they are to become, such as 'bend half', 'pull' or 'no vibrato'")
    if not ids:
        raise ScoreError("no note is like that")
    if to.string is not None:
        project.tuning.check_string(to.string)
    if to.fret is not None:
        project.tuning.check_fret(to.fret)
    return project.with_notes([_made(n, to) if n.id in ids else n for n in project.notes])


def _made(note: Note, to: Description) -> Note:
    bend, vibrato = note.bend, note.vibrato
    if to.bent is False:
        bend = None
    elif to.kind is not None or to.cents is not None:
        kind = to.kind or (bend.kind if bend else BendKind.BEND)
        cents = to.cents or (bend.target_cents if bend else 50 if kind is BendKind.CURL else 200)
        bend = decided(bend, kind, cents)
    if to.vibrato is not None:
        vibrato = (vibrato or written_vibrato(note.duration)) if to.vibrato else None
    string, fret = to.string or note.string, note.fret if to.fret is None else to.fret
    return replace(
        note, string=string, fret=fret, attack=to.attack or note.attack, bend=bend, vibrato=vibrato,
        finger=note.finger if to.finger is None else to.finger,
        marks=(note.marks | to.marks) - to.without, held=note.held or (string, fret) != (note.string, note.fret),
    )  # fmt: skip
