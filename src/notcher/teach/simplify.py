"""An easier version of a phrase, proposed: colour left out, fast ornaments thinned, string changes fewer.

What is colour, and what is dropped first, is common practice (no source): vibrato, harmonics, rakes and the bar are
missed without harm, a quick note that is only hammered or pulled goes before one that is picked, and a wide bend is
played as the note it reaches.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.score.clause import Clause
from notcher.score.legato import legato_mended
from notcher.score.note import TOGETHER_S, Attack, Bend, BendKind, Mark, Note
from notcher.score.technique import MARKS
from notcher.score.tuning import Tuning

_COLOUR = frozenset(row.mark for row in MARKS if row.colour)
_FAST_S = 0.13
_FASTEST_PICKED_S = 0.085
_WIDEST_CENTS = 200
_REACH = 4


@dataclass(frozen=True, slots=True)
class Easier:
    """The notes, and what was made easier, a clause each."""

    notes: tuple[Note, ...]
    said: tuple[Clause, ...]


def easier(notes: Sequence[Note], tuning: Tuning) -> Easier:
    """An easier version of some notes in time order; the same notes and nothing said where none is needed."""
    kept, thinned = _thinned(_without_graces(notes))
    plain = [_plain(n) for n in kept]
    coloured = sum(a != b for a, b in zip(kept, plain, strict=True)) + len(notes) - len(_without_graces(notes))
    narrow = [_narrow(n, tuning) for n in plain]
    bends = sum(a != b for a, b in zip(plain, narrow, strict=True))
    level = _fewer_string_changes(narrow, tuning)
    moved = sum((a.string, a.fret) != (b.string, b.fret) for a, b in zip(narrow, level, strict=True))
    done = [
        Clause("colour left out at {n} note", many="colour left out at {n} notes", n=coloured),
        Clause("{n} quick note left out", many="{n} quick notes left out", n=thinned),
        Clause("{n} wide bend played as the note reached", many="{n} wide bends played as the notes reached", n=bends),
        Clause("{n} note moved to the string of those around", many="{n} notes moved to the string of those around",
               n=moved),
    ]  # fmt: skip
    said = tuple(clause for clause in done if clause.values["n"])
    return Easier(tuple(legato_mended(level)), said) if said else Easier(tuple(notes), ())


def _without_graces(notes: Sequence[Note]) -> list[Note]:
    """Without grace notes and the dead strings of a rake, which a simpler hand leaves out first."""
    kept = [n for n in notes if Mark.GRACE not in n.marks]
    return [
        n for i, n in enumerate(kept)
        if not (Mark.DEAD in n.marks and i + 1 < len(kept) and kept[i + 1].attack is Attack.RAKE)
    ]  # fmt: skip


def _plain(n: Note) -> Note:
    bend = None if n.bend is not None and n.bend.kind is BendKind.CURL else n.bend
    attack = Attack.PICK if n.attack is Attack.RAKE else n.attack
    return replace(n, vibrato=None, marks=n.marks - _COLOUR, bend=bend, attack=attack)


def _thinned(notes: Sequence[Note]) -> tuple[list[Note], int]:
    """Without quick notes between two others: those hammered or pulled where notes come fast, every second one where
    they come faster still. The note before lasts through the gap."""
    out: list[Note] = []
    dropped = 0
    for i, n in enumerate(notes):
        first_or_last = i in (0, len(notes) - 1)
        into = n.onset - notes[i - 1].onset if i else 1.0
        out_of = notes[i + 1].onset - n.onset if i + 1 < len(notes) else 1.0
        with_another = min(into, out_of) < TOGETHER_S
        legato = n.attack in (Attack.HAMMER, Attack.PULL, Attack.TAP)
        limit = _FAST_S if legato else _FASTEST_PICKED_S
        just_kept = bool(out) and i > 0 and out[-1].id == notes[i - 1].id
        if not first_or_last and not with_another and just_kept and not n.bend and max(into, out_of) < limit:
            out[-1] = replace(out[-1], end=max(out[-1].end, n.end))
            dropped += 1
        else:
            out.append(n)
    return out, dropped


def _narrow(n: Note, tuning: Tuning) -> Note:
    """A bend of more than a whole step as the note it reaches; pre-bends so too."""
    if n.bend is None or n.bend.target_cents <= _WIDEST_CENTS:
        return n
    top = n.bend.target_cents
    fret = n.fret + top // 100
    if top % 100 or fret > tuning.highest_fret:
        kind = n.bend.kind if n.bend.kind is not BendKind.AGAIN else BendKind.BEND
        return replace(n, bend=Bend(kind, _WIDEST_CENTS))
    return replace(n, fret=fret, bend=None, held=True)


def _fewer_string_changes(notes: Sequence[Note], tuning: Tuning) -> list[Note]:
    """A single note on another string than those around it goes to theirs, where the hand reaches it there."""
    out = list(notes)
    for i in range(1, len(out) - 1):
        before, n, after = out[i - 1], out[i], out[i + 1]
        if before.string != after.string or n.string == before.string or n.bend is not None:
            continue
        if min(n.onset - before.onset, after.onset - n.onset) < TOGETHER_S or Mark.NATURAL_HARMONIC in n.marks:
            continue
        fret = tuning.fret_for(n.pitch(tuning), before.string)
        around = [f for f in (before.fret, after.fret) if f]
        if fret is not None and all(abs(fret - f) <= _REACH for f in around):
            out[i] = replace(n, string=before.string, fret=fret, held=True)
    return out
