"""Phrases that come again: found, linked, and corrected together.

A phrase is like an earlier one where most of its notes stand on the same beats of it, and all of those are as many
semitones apart: none (the same), some (moved), or with notes that are changed, left out or added. What is like enough
to be worth linking is common practice (no source).
"""

import itertools
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from notcher.score.clause import Clause, Ordinal
from notcher.score.compare import note_changes, place_clause
from notcher.score.edits import SHORTEST_NOTE, new_note_id
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, Note, struck_together, written_vibrato
from notcher.score.project import Phrase, Project
from notcher.score.versions import phrase_of
from notcher.stopping import look_for_stop

_FEWEST, _LEAST_SHARE = 4, 0.7
_SAME_PLACE_BEATS, _SAME_PLACE_S = 0.17, 0.09
_HEADS = 3
_BAG_SHARE = 0.4
_USUAL_SHARE = 0.75


@dataclass(frozen=True, slots=True)
class PhraseRepeat:
    """A phrase and the earlier one it repeats. frets: how many it is moved by along the same strings, None where it
    lies on others; semitones: how much higher it sounds; changes: how many notes differ."""

    phrase_id: str
    of_id: str
    semitones: int
    frets: int | None
    changes: int

    def clause(self, project: Project) -> Clause:
        """As it is said: 'as First, 2 frets up, with 1 change'."""
        said = [Clause("as '{name}'", name=phrase_of(project, self.of_id).name)]
        if self.frets:
            n = abs(self.frets)
            up = self.frets > 0
            said.append(Clause("{n} fret up", many="{n} frets up", n=n) if up
                        else Clause("{n} fret down", many="{n} frets down", n=n))  # fmt: skip
        elif self.frets is None and self.semitones:
            n = abs(self.semitones)
            said.append(
                Clause("{n} half step up on other strings", many="{n} half steps up on other strings", n=n)
                if self.semitones > 0
                else Clause("{n} half step down on other strings", many="{n} half steps down on other strings", n=n)
            )
        elif self.frets is None:
            said.append(Clause("in another place"))
        if self.changes:
            said.append(Clause("with {n} change", many="with {n} changes", n=self.changes))
        return Clause("{clauses}", clauses=tuple(said))


# -- finding -------------------------------------------------------------------------------------------------------


def find_repeats(project: Project) -> list[PhraseRepeat]:
    """Every phrase that repeats an earlier one, with the one it is most like; those already linked are left out.

    Raises CancelledError when asked to stop.
    """
    groups = [(p, project.notes_between(p.start, p.end)) for p in project.phrases]
    bags = [Counter(b.pitch(project.tuning) - a.pitch(project.tuning) for a, b in _steps(notes)) for _, notes in groups]
    out: list[PhraseRepeat] = []
    for k, (phrase, notes) in enumerate(groups):
        look_for_stop()
        if phrase.like or len(notes) < _FEWEST:
            continue
        found: list[PhraseRepeat] = []
        for (earlier, _), bag in zip(groups[:k], bags, strict=False):
            if earlier.like or not _worth_a_look(bags[k], bag):
                continue
            like = alike(project, phrase, earlier)
            if like is not None:
                found.append(like)
                if like.changes == 0 and like.frets == 0:
                    break
        if found:
            out.append(min(found, key=lambda a: (a.changes, a.frets is None, abs(a.semitones))))
    return out


def _steps(notes: Sequence[Note]) -> list[tuple[Note, Note]]:
    return list(itertools.pairwise(notes))


def _worth_a_look(a: Mapping[int, int], b: Mapping[int, int]) -> bool:
    """Whether two phrases share enough of their intervals to be compared note by note."""
    shared = sum(min(n, b.get(k, 0)) for k, n in a.items())
    return shared >= _BAG_SHARE * max(sum(a.values()), sum(b.values()), 1)


def alike(project: Project, phrase: Phrase, earlier: Phrase) -> PhraseRepeat | None:
    """How a phrase is like an earlier one, or None."""
    ours, theirs = (project.notes_between(p.start, p.end) for p in (phrase, earlier))
    if min(len(ours), len(theirs)) < _FEWEST:
        return None
    shift, pairs = _aligned(project, theirs, ours)
    same = sum(b is not None for _, b in pairs)
    if same < _LEAST_SHARE * max(len(ours), len(theirs)):
        return None
    by_string = {b.string == a.string for a, b in pairs if b is not None}
    frets = {b.fret - a.fret for a, b in pairs if b is not None} if by_string == {True} else set()
    moved = frets.pop() if len(frets) == 1 else None
    link = replace(phrase, like=earlier.id)
    return PhraseRepeat(phrase.id, earlier.id, shift, moved, len(_differing(project, link, theirs, ours, shift, pairs)))


def _aligned(
    project: Project, theirs: Sequence[Note], ours: Sequence[Note]
) -> tuple[int, list[tuple[Note, Note | None]]]:
    """How many semitones most of our notes lie above theirs, and which of ours stands for each of theirs."""
    best: tuple[int, int, list[tuple[Note, Note | None]]] = (-1, 0, [])
    slack = _SAME_PLACE_S if project.tempo is None else _SAME_PLACE_BEATS
    first, second = ([(_place(project, n), n.pitch(project.tuning), n) for n in notes] for notes in (theirs, ours))
    for i in range(min(_HEADS, len(first))):
        for j in range(min(_HEADS, len(second))):
            offset = second[j][0] - first[i][0]
            gaps = Counter(q - p for x, p, _ in first for y, q, _ in second if -slack < y - x - offset < slack)
            if not gaps or gaps.most_common(1)[0][1] <= best[0]:
                continue
            shift = gaps.most_common(1)[0][0]
            pairs = _pairs(first, second, offset, slack, shift)
            count = sum(b is not None for _, b in pairs)
            if count > best[0]:
                best = count, shift, pairs
            if count == min(len(first), len(second)):
                return best[1], best[2]
    return best[1], best[2]


_Placed = tuple[float, int, Note]


def _pairs(
    theirs: Sequence[_Placed], ours: Sequence[_Placed], offset: float, slack: float, shift: int
) -> list[tuple[Note, Note | None]]:
    """(place, pitch, note) of both; which of ours stands for each of theirs."""
    left = list(ours)
    out: list[tuple[Note, Note | None]] = []
    for x, p, a in theirs:
        near = [row for row in left if abs(row[0] - x - offset) < slack and row[1] - p == shift]
        found = min(near, key=lambda row: abs(row[0] - x - offset), default=None)
        if found is not None:
            left.remove(found)
        out.append((a, found[2] if found is not None else None))
    return out


def _place(project: Project, note: Note) -> float:
    return note.onset if project.tempo is None else project.tempo.beat_at(note.onset)


# -- what differs --------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Differences:
    """same: ids of notes that are as in the phrase that is repeated; words: what is not, a clause each; like: 'as ...',
    without the changes."""

    same: frozenset[str]
    changes: tuple[Clause, ...]
    like: Clause


def differences(project: Project, phrase: Phrase) -> Differences:
    """What a linked phrase has otherwise than the one it repeats. Raises ScoreError where it is not linked."""
    if not phrase.like:
        raise ScoreError("'{name}' is not linked to another phrase", name=phrase.name)
    earlier = phrase_of(project, phrase.like)
    ours, theirs = (project.notes_between(p.start, p.end) for p in (phrase, earlier))
    shift, pairs = _aligned(project, theirs, ours)
    found = _differing(project, phrase, theirs, ours, shift, pairs)
    like = alike(project, phrase, earlier)
    said = replace(like, changes=0).clause(project) if like is not None else Clause("after '{name}'", name=earlier.name)
    return Differences(frozenset(n.id for n in ours) - {i for i, _ in found if i}, tuple(w for _, w in found), said)


def _differing(
    project: Project, phrase: Phrase, theirs: Sequence[Note], ours: Sequence[Note], shift: int,
    pairs: Sequence[tuple[Note, Note | None]],
) -> list[tuple[str, Clause]]:  # fmt: skip
    """(id of the note here, or '', what is otherwise) by time."""
    places = Counter((b.string - a.string, b.fret - a.fret) for a, b in pairs if b is not None)
    usual, often = places.most_common(1)[0] if places else ((0, 0), 0)
    # A phrase that lies elsewhere as a whole has no usual place to differ from.
    as_a_whole = often < _USUAL_SHARE * sum(places.values())
    out: list[tuple[float, str, Clause]] = []
    taken = {b.id for _, b in pairs if b is not None}
    free = [n for n in ours if n.id not in taken]
    for number, (a, b) in enumerate(pairs, 1):
        said: list[Clause] = []
        if b is None:
            instead = min(
                free, key=lambda n: abs(_relative(project, n, ours) - _relative(project, a, theirs)), default=None
            )
            apart = abs(_relative(project, instead, ours) - _relative(project, a, theirs)) if instead else 1.0
            if instead is not None and apart < 0.3:
                free.remove(instead)
                taken.add(instead.id)
                what = Clause("{nth} note: {changes}", nth=Ordinal(number), changes=place_clause(instead))
                out.append((instead.onset, instead.id, what))
            else:
                what = Clause("{nth} note is left out", nth=Ordinal(number))
                out.append((a.onset - theirs[0].onset + ours[0].onset, "", what))
            continue
        if (b.string - a.string, b.fret - a.fret) != usual and not as_a_whole:
            said.append(place_clause(b))
        said += note_changes(replace(a, string=b.string, fret=b.fret, doubt=b.doubt, advice=b.advice), b, timing=False)
        if said:
            out.append((b.onset, b.id, Clause("{nth} note: {changes}", nth=Ordinal(number), changes=tuple(said))))
    out += [(n.onset, n.id, Clause("{place} is added", place=place_clause(n))) for n in free]
    return [(i, what) for _, i, what in sorted(out, key=lambda row: row[:2])]


def _relative(project: Project, note: Note, notes: Sequence[Note]) -> float:
    return _place(project, note) - _place(project, notes[0])


# -- linking -------------------------------------------------------------------------------------------------------


def link(project: Project, phrase_id: str, of_id: str) -> Project:
    """Say that a phrase repeats another. Raises ScoreError for one that repeats itself, or one of its own repeats."""
    target = phrase_of(project, of_id)
    target = phrase_of(project, target.like) if target.like else target
    if target.id == phrase_id:
        raise ScoreError("a phrase cannot repeat itself; choose the one it comes from")
    return replace(
        project,
        phrases=tuple(
            replace(p, like=target.id) if p.id == phrase_id or p.like == phrase_id else p for p in project.phrases
        ),
    )


def unlink(project: Project, phrase_id: str) -> Project:
    """Let a phrase go its own way again."""
    return replace(project, phrases=tuple(replace(p, like="") if p.id == phrase_id else p for p in project.phrases))


def without_lost_links(project: Project) -> Project:
    """Links to phrases that are no more are let go."""
    ids = {p.id for p in project.phrases}
    if all(not p.like or p.like in ids for p in project.phrases):
        return project
    return replace(project, phrases=tuple(p if p.like in ids else replace(p, like="") for p in project.phrases))


# -- correcting together -------------------------------------------------------------------------------------------


def corrected(before: Project, after: Project) -> tuple[Project, tuple[str, ...]]:
    """An edit of notes in one phrase carried to the phrases linked with it: the project, and the phrases' names.

    What changed at a note is changed at the one that stands for it, moved as the phrase is moved; where the two were
    different before, they stay so. An edit of several linked phrases at once, or of more than notes, goes nowhere.
    """
    if before.phrases != after.phrases or before.tuning != after.tuning or before.tempo != after.tempo:
        return after, ()
    groups: dict[str, list[Phrase]] = {}
    for p in before.phrases:
        groups.setdefault(p.like or p.id, []).append(p)
    names: list[str] = []
    put: dict[str, Note | None] = {}
    added: list[Note] = []
    for group in (g for g in groups.values() if len(g) > 1):
        touched = [p for p in group if before.notes_between(p.start, p.end) != after.notes_between(p.start, p.end)]
        if len(touched) != 1:
            continue
        for other in group:
            if other is not touched[0]:
                changed, more = _carried(before, after, touched[0], other)
                if changed or more:
                    names.append(other.name)
                    put.update(changed)
                    added += more
    if not names:
        return after, ()
    carried = after.with_notes([kept for n in after.notes if (kept := put.get(n.id, n)) is not None])
    for n in added:
        carried = carried.with_notes([*carried.notes, replace(n, id=new_note_id(carried))])
    return carried, tuple(names)


def _carried(
    before: Project, after: Project, source: Phrase, other: Phrase
) -> tuple[dict[str, Note | None], list[Note]]:
    """What becomes of notes of another phrase, by id (None: they go), and notes that come; ids of these are not set."""
    was, now = (p.notes_between(source.start, source.end) for p in (before, after))
    theirs = before.notes_between(other.start, other.end)
    shift, pairs = _aligned(before, was, theirs)
    partner = {a.id: b for a, b in pairs if b is not None}
    new = {n.id: n for n in now}
    put: dict[str, Note | None] = {}
    for a in was:
        b, q = new.get(a.id), partner.get(a.id)
        if q is None or b == a:
            continue
        changed = None if b is None and _alike_but_place(a, q) else q if b is None else _transferred(before, a, b, q)
        if changed != q:
            put[q.id] = changed
    known = {n.id for n in was}
    anchor = next(((a, b) for a, b in pairs if b is not None), None)
    copies = [_copied(before, n, anchor, shift) for n in now if n.id not in known] if anchor is not None else []
    added = [c for c in copies if c is not None and not any(struck_together(m.onset, c.onset) for m in theirs)]
    return put, added


def _alike_but_place(a: Note, q: Note) -> bool:
    return not note_changes(replace(a, string=q.string, fret=q.fret, doubt=q.doubt, advice=q.advice), q, timing=False)


def _transferred(project: Project, a: Note, b: Note, q: Note) -> Note:
    """What changed from a to b, at the note that stands for it elsewhere; what that had otherwise than a stays."""
    out = _moved_alike(project, a, b, q)
    if _bend_key(a.bend) != _bend_key(b.bend) and _bend_key(q.bend) == _bend_key(a.bend):
        points = q.bend.points if q.bend is not None else ()
        out = replace(out, bend=replace(b.bend, points=points) if b.bend is not None else None)
    if (a.vibrato is None) != (b.vibrato is None) and (q.vibrato is None) == (a.vibrato is None):
        out = replace(out, vibrato=written_vibrato(q.duration) if b.vibrato is not None else None)
    elif a.vibrato != b.vibrato and q.vibrato == a.vibrato:
        out = replace(out, vibrato=b.vibrato)
    out = replace(out, marks=(q.marks | (b.marks - a.marks)) - (a.marks - b.marks))
    same = [
        name for name in _SAID_ALIKE if getattr(a, name) != getattr(b, name) and getattr(q, name) == getattr(a, name)
    ]
    out = replace(out, **{name: getattr(b, name) for name in same})
    if (a.written_at, a.written_length) != (b.written_at, b.written_length):
        out = replace(out, written_at=b.written_at, written_length=b.written_length)
    return out


# Fields that are taken over as they are.
_SAID_ALIKE = ("attack", "finger", "sounding", "raked_from", "partial")


def _moved_alike(project: Project, a: Note, b: Note, q: Note) -> Note:
    """The note moved on the neck as a was moved to b, where the neck reaches that."""
    tuning = project.tuning
    if (a.string, a.fret) == (b.string, b.fret):
        return q
    string = b.string + q.string - a.string
    pitch = b.pitch(tuning) + q.pitch(tuning) - a.pitch(tuning)
    fret = tuning.fret_for(pitch, string) if tuning.has_string(string) else None
    return q if fret is None else replace(q, string=string, fret=fret, held=True)


def _bend_key(bend: Bend | None) -> tuple[str, int, float | None] | None:
    return (bend.kind, bend.target_cents, bend.rise) if bend is not None else None


def _copied(project: Project, n: Note, anchor: tuple[Note, Note | None], shift: int) -> Note | None:
    """A note that was added, where and as it stands in the other phrase; None where the neck does not reach it."""
    a, b = anchor
    if b is None:
        return None
    string = n.string + b.string - a.string
    tuning = project.tuning
    fret = tuning.fret_for(n.pitch(tuning) + shift, string) if tuning.has_string(string) else None
    if fret is None:
        return None
    if project.tempo is None:
        onset, end = n.onset + b.onset - a.onset, n.end + b.onset - a.onset
    else:
        move = project.tempo.beat_at(b.onset) - project.tempo.beat_at(a.onset)
        onset, end = (project.tempo.time_at(project.tempo.beat_at(t) + move) for t in (n.onset, n.end))
    if onset < 0:
        return None
    return replace(n, onset=onset, end=max(end, onset + SHORTEST_NOTE), string=string, fret=fret, confirmed=False)
