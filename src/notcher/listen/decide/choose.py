"""Which of all that may be notes are kept, and where what was left out may have been one."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.candidates.shape import as_shown
from notcher.listen.candidates.single_strings import LEGATO_FROM
from notcher.listen.classify.belief import KEPT, NOTE, Belief
from notcher.listen.classify.confirmed_notes import Known, leaps_anew, notes_anew
from notcher.listen.classify.judge import Classified
from notcher.listen.decide.plainer import as_bent
from notcher.models.classifier import Features, FeatureTable, classifier
from notcher.score.gap import Gap
from notcher.score.note import CLAIMED, Attack, BendKind, Mark
from notcher.score.sure import Sure

# Seconds within which two notes of one pitch cannot both begin, and a quarter tone more.
_SAME_S, _SAME_STEPS = 0.06, 1
# Seconds within which strings are struck with one stroke.
_STROKE_S = 0.025
# Things that are told of what decided.
_TOLD = 4
# Chance from which what was left out is marked.
_MARKED = 0.18


def chosen_of(
    classified: Classified, known: Sequence[Known] = ()
) -> tuple[list[HeardNote], tuple[Gap, ...], tuple[HeardNote, ...]]:
    """The notes, in time order, each with how sure it is; the gaps; and all that was left out, with its chance. known:
    what the person decided already."""
    candidates: Sequence[Candidate] = classified.candidates.notes
    rows, beliefs = classified.features, list(classified.beliefs)
    if known:
        candidates, beliefs = _with_known(candidates, beliefs, rows, known)
    row_of = {id(c.note): rows[i] for i, c in enumerate(candidates)}
    judged = [(c, _pushed(c, belief)) for c, belief in zip(candidates, beliefs, strict=True)]
    kept: list[tuple[Candidate, Belief]] = []
    left: list[tuple[Candidate, Belief]] = []
    # What the bar does is read from the contour alone, which the likelier reading of a note need not come from.
    marks: dict[int, frozenset[Mark]] = {}
    for c, belief in sorted(judged, key=lambda j: -j[1].note):
        same = next((k.note for k, _ in kept if _is_the_same(c.note, k.note)), None)
        if same is None:
            (kept if belief.note >= KEPT else left).append((c, belief))
        elif belief.note >= KEPT:
            marks[id(same)] = marks.get(id(same), frozenset()) | c.note.marks
    notes = {id(c.note): _told(c.note, belief, row_of[id(c.note)]) for c, belief in kept}
    notes |= {k: replace(notes[k], marks=notes[k].marks | more) for k, more in marks.items()}
    for c, _ in kept:
        if c.cuts is None:
            continue
        whole, shorter = c.cuts
        host = notes.get(id(whole))
        if host is not None and host.end > shorter.end:
            vibrato = shorter.vibrato if host.vibrato is not None else None
            notes[id(whole)] = replace(
                host, end=shorter.end, bend=shorter.bend, vibrato=vibrato, pitch=shorter.pitch
            )  # fmt: skip
    bent = sorted(map(as_bent, notes.values()), key=lambda n: (n.onset, -n.pitch))
    gaps = tuple(
        Gap(round(c.note.onset, 3), round(max(c.note.end, c.note.onset + 0.05), 3), c.note.pitch, belief.note)
        for c, belief in sorted(left, key=lambda j: j[0].note.onset)
        if belief.note >= _MARKED
    )
    out = tuple(replace(c.note, confidence=belief.note) for c, belief in sorted(left, key=lambda j: j[0].note.onset))
    return _with_their_strings(_together(bent)), gaps, out


def _is_the_same(a: HeardNote, b: HeardNote) -> bool:
    return abs(a.onset - b.onset) < _SAME_S and abs(a.pitch - b.pitch) < _SAME_STEPS


def _pushed(c: Candidate, belief: Belief) -> Belief:
    """What is thought of a string that is pushed while another is held: that was asked of it as a whole."""
    if c.pushed is None:
        return belief
    return replace(belief, note=max(belief.note, c.pushed), pitch=max(belief.pitch, c.pushed), bend=c.pushed)


def _together(notes: list[HeardNote]) -> list[HeardNote]:
    """Strings struck with one stroke begin together: each was found by itself, to a few milliseconds."""
    out: list[HeardNote] = []
    for n in notes:
        before = out[-1] if out else None
        if (
            before is not None and n.onset - before.onset < _STROKE_S and n.pitch != before.pitch
            and n.attack is Attack.PICK and before.attack is Attack.PICK
        ):  # fmt: skip
            n = replace(n, onset=before.onset)
        out.append(n)
    return sorted(out, key=lambda n: (n.onset, -n.pitch))


def _with_their_strings(notes: list[HeardNote]) -> list[HeardNote]:
    """A unison bend whose held string turned out to be no note is a bend by itself."""
    out = list(notes)
    for i, n in enumerate(notes):
        if n.bend is None or n.bend.kind is not BendKind.UNISON:
            continue
        goal = n.pitch + n.bend.target_cents / 100
        beside = notes[max(0, i - 4) : i + 5]
        if not any(m.pitch == goal and m.bend is None and abs(m.onset - n.onset) < _SAME_S for m in beside):
            out[i] = replace(n, bend=replace(n.bend, kind=BendKind.BEND))
    return out


def _with_known(
    candidates: Sequence[Candidate], beliefs: list[Belief], rows: FeatureTable, known: Sequence[Known]
) -> tuple[list[Candidate], list[Belief]]:
    """What confirmed notes of the recording make of the others: whether each is a note, and how it is reached."""
    chances = notes_anew(np.array([b.note for b in beliefs]), rows, candidates, known)
    beliefs = [replace(b, note=round(float(p), 3)) for b, p in zip(beliefs, chances, strict=True)]
    out = list(candidates)
    asked = [i for i, c in enumerate(out) if c.note.evidence.legato is not None]
    if asked:
        notes = [out[i].note for i in asked]
        legato = np.array([n.evidence.legato for n in notes], float)
        for i, p in zip(asked, leaps_anew(legato, rows.only(asked), notes, known).tolist(), strict=True):
            n = out[i].note
            by_hand = Attack.HAMMER if n.evidence.jump_cents > 0 else Attack.PULL
            attack = by_hand if p >= LEGATO_FROM else Attack.PICK
            if attack is not n.attack and n.attack in (Attack.PICK, Attack.HAMMER, Attack.PULL):
                note = replace(n, attack=attack, evidence=replace(n.evidence, legato=round(p, 3), reached=()))
                out[i] = replace(out[i], note=note)
    return out, beliefs


def _told(note: HeardNote, belief: Belief, row: Features) -> HeardNote:
    return replace(
        note, confidence=belief.note, bend=as_shown(note.bend),
        vibrato=note.vibrato if belief.vibrato >= CLAIMED else None,
        evidence=replace(note.evidence, because=classifier(NOTE).because(row, yes=True, most=_TOLD)),
        sure=Sure(pitch=belief.pitch, onset=belief.onset, attack=belief.attack, bend=belief.bend),
    )  # fmt: skip
