"""Edits: functions from a project to a new one. Nothing is changed in place, so undo is a list of projects.

Each takes the project first and raises ScoreError, with the remedy, where it does not apply.
"""

import itertools
from collections.abc import Iterable, Set
from dataclasses import replace
from fractions import Fraction

from notcher.score.bends import cut, decided, refit, shifted
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Maybe, Note, Vibrato, written_vibrato
from notcher.score.pitch import PitchName
from notcher.score.project import Phrase, Project
from notcher.score.versions import cut_asides, joined_asides

SHORTEST_NOTE = 0.02
# Pitches that a trill turns between.
_OF_A_TRILL = 2


def _replaced(project: Project, changed: Iterable[Note]) -> Project:
    by_id = {n.id: n for n in changed}
    return project.with_notes([by_id.get(n.id, n) for n in project.notes])


def _chosen(project: Project, ids: Set[str]) -> list[Note]:
    found = [n for n in project.notes if n.id in ids]
    if not found:
        raise ScoreError("no note is selected; select one first")
    return found


def new_note_id(project: Project) -> str:
    """An id no note of the project has, nor one put aside."""
    taken = {n.id for n in project.notes} | {n.id for p in project.phrases for v in p.aside for n in v.notes}
    return next(i for i in (f"n{k}" for k in itertools.count(len(taken) + 1)) if i not in taken)


def add_note(
    project: Project, *, onset: float, end: float, string: int, fret: int, attack: Attack = Attack.PICK
) -> Project:
    """Add a note by hand; it counts as confirmed and its place as held. Raises ScoreError for a fret the neck lacks."""
    project.tuning.check_fret(fret)
    note = Note(new_note_id(project), onset, end, string, fret, attack=attack, confirmed=True, by_hand=True, held=True)
    return project.with_notes([*project.notes, note])


def delete_notes(project: Project, ids: Set[str]) -> Project:
    """Take notes out."""
    _chosen(project, ids)
    return project.with_notes([n for n in project.notes if n.id not in ids])


def move_to_string(project: Project, ids: Set[str], *, steps: int) -> Project:
    """Move notes to another string at the same pitch: +1 is the next thicker string. The place is then held. Raises
    ScoreError where there is no such string or the pitch is not on it."""
    moved = []
    for note in _chosen(project, ids):
        string = note.string + steps
        if not project.tuning.has_string(string):
            raise ScoreError("string {string} has no neighbour on that side", string=note.string)
        fret = project.tuning.fret_for(note.pitch(project.tuning), string)
        if fret is None:
            name = PitchName(note.pitch(project.tuning))
            raise ScoreError(
                "{name} is not on string {string}: {reach}", name=name, string=string, reach=project.tuning.reach
            )
        moved.append(replace(note, string=string, fret=fret, held=True))
    return _replaced(project, moved)


def change_fret(project: Project, ids: Set[str], *, by: int = 0, to: int | None = None) -> Project:
    """Change the fret, and so the pitch, by some frets or to one. The place is then held."""
    changed = []
    for note in _chosen(project, ids):
        fret = note.fret + by if to is None else to
        project.tuning.check_fret(fret)
        changed.append(replace(note, fret=fret, held=True))
    return _replaced(project, changed)


def set_place(project: Project, note_id: str, *, string: int, fret: int) -> Project:
    """Put one note on a string and fret, pressed down there, and hold it there. Raises ScoreError for a fret beyond the
    neck."""
    project.tuning.check_fret(fret)
    note = project.note(note_id)
    partial = None if Mark.NATURAL_HARMONIC in note.marks else note.partial
    marks = note.marks - {Mark.NATURAL_HARMONIC}
    return _replaced(project, [replace(note, string=string, fret=fret, held=True, marks=marks, partial=partial)])


def touch_node(project: Project, note_id: str, *, string: int, fret: int, partial: int | None) -> Project:
    """Make one note a natural harmonic, touched at a fret of a string. partial: None for the lowest there. Raises
    ScoreError for a fret beyond the neck."""
    project.tuning.check_fret(fret)
    note = project.note(note_id)
    marks = note.marks - {Mark.PINCH_HARMONIC} | {Mark.NATURAL_HARMONIC}
    return _replaced(
        project, [replace(note, string=string, fret=fret, held=True, marks=marks, partial=partial, finger=None)]
    )


def nudge(project: Project, ids: Set[str], *, onset: float = 0.0, end: float = 0.0) -> Project:
    """Move onsets and ends by seconds. The bend's shape keeps its place in the recording. Raises ScoreError where a
    note would be too short."""
    changed = []
    for note in _chosen(project, ids):
        new_onset, new_end = max(0.0, note.onset + onset), note.end + end
        if new_end - new_onset < SHORTEST_NOTE:
            raise ScoreError(
                "a note keeps at least {shortest_note:.0f} ms; delete it instead", shortest_note=SHORTEST_NOTE * 1000
            )
        shift = new_onset - note.onset
        length = new_end - new_onset
        maybe = tuple(replace(m, bend=shifted(m.bend, shift, length)) for m in note.maybe)
        bend = shifted(note.bend, shift, length)
        changed.append(replace(note, onset=new_onset, end=new_end, bend=bend, maybe=maybe))
    return _replaced(project, changed)


def split_note(project: Project, note_id: str, *, at: float) -> Project:
    """Cut a note in two at a time in seconds; the second part is picked again and needs confirming. Raises ScoreError
    where the time is not well inside it."""
    note = project.note(note_id)
    if not note.onset + SHORTEST_NOTE <= at <= note.end - SHORTEST_NOTE:
        raise ScoreError("put the playhead inside the note, at least 20 ms from its ends, to split it there")
    first_bend, second_bend = cut(note.bend, at - note.onset, note.duration)
    vibrato_first = note.vibrato if note.vibrato and note.vibrato.start < at - note.onset else None
    vibrato_second = (
        replace(note.vibrato, start=max(0.0, note.vibrato.start - (at - note.onset))) if note.vibrato else None
    )
    first = replace(note, end=at, bend=first_bend, vibrato=vibrato_first)
    second = replace(
        note, id=new_note_id(project), onset=at, attack=Attack.PICK, bend=second_bend, vibrato=vibrato_second,
        confirmed=False, maybe=(),
    )  # fmt: skip
    others = [n for n in project.notes if n.id != note_id]
    return project.with_notes([*others, first, second])


def join_notes(project: Project, ids: Set[str]) -> Project:
    """Join notes that follow one another into the first, which keeps its place. Other pitches become its bend, or those
    of a trill its sign. Raises ScoreError for fewer than two, or notes that do not follow one another."""
    notes = _chosen(project, ids)
    if len(notes) < 2:
        raise ScoreError("select two or more notes that follow one another to join them")
    first, end = notes[0], max(n.end for n in notes)
    base = first.pitch(project.tuning)
    points: list[tuple[float, float]] = []
    for n in notes:
        raised = 100.0 * (n.pitch(project.tuning) - base)
        shape = n.bend.written_shape(n.duration) if n.bend else ((0.0, 0.0), (n.duration, 0.0))
        points += [(n.onset - first.onset + t, raised + c) for t, c in shape if raised + c > -60]
    points.sort()
    trilled = Mark.TRILL in first.marks and len({n.pitch(project.tuning) for n in notes}) == _OF_A_TRILL
    bend = refit(Bend(BendKind.BEND, 50, tuple(points))) if points and not trilled else None
    joined = replace(first, end=end, bend=bend, vibrato=next((n.vibrato for n in notes if n.vibrato), None))
    return project.with_notes([n for n in project.notes if n.id not in ids] + [joined])


def set_bend(project: Project, ids: Set[str], *, kind: BendKind | None, target_cents: int = 200) -> Project:
    """Write a bend of a kind and interval, keeping the measured shape where there is one; None takes it away."""
    changed = []
    for note in _chosen(project, ids):
        bend = decided(note.bend, kind, target_cents) if kind else None
        changed.append(replace(note, bend=bend, maybe=_still_asked(note, "bend")))
    return _replaced(project, changed)


def raise_bend(project: Project, ids: Set[str], *, by: int) -> Project:
    """Widen or narrow the written interval by quarter steps of 50 cents; below a quarter the bend goes."""
    changed = []
    for note in _chosen(project, ids):
        target = (note.bend.target_cents if note.bend else 0) + by
        kind = note.bend.kind if note.bend else BendKind.BEND
        changed.append(replace(note, bend=decided(note.bend, kind, min(600, target)) if target >= 50 else None))
    return _replaced(project, changed)


def bend_arrives(project: Project, ids: Set[str], *, at: float) -> Project:
    """Write bends as rising evenly until a time in seconds, as a slow bend that arrives on a beat does. Raises
    ScoreError where the time lies outside the note, or the bend was measured, so that its arrival is known."""
    changed = []
    for note in _chosen(project, ids):
        rise = at - note.onset
        if note.bend is None or note.bend.starts_raised:
            raise ScoreError("write a bend first (B); a pre-bend is up already when it is picked")
        if not SHORTEST_NOTE <= rise <= note.duration:
            raise ScoreError("put the playhead inside the note, where the bend is to arrive")
        if note.bend.points:
            raise ScoreError("this bend was measured; when it arrives stands beside the strands")
        changed.append(replace(note, bend=replace(note.bend, rise=round(rise, 3))))
    return _replaced(project, changed)


def set_finger(project: Project, ids: Set[str], *, finger: int) -> Project:
    """Say which finger (1 to 4, 0 the thumb) takes notes, or take it back where all have it."""
    notes = _chosen(project, ids)
    off = all(n.finger == finger for n in notes)
    return _replaced(project, [replace(n, finger=None if off else finger) for n in notes])


def set_raked_from(project: Project, ids: Set[str], *, string: int | None) -> Project:
    """Say on which string a rake into notes begins; None: not said. Raises ScoreError for a string there is not, or the
    note's own."""
    notes = _chosen(project, ids)
    if string is not None:
        project.tuning.check_string(string)
        if any(n.string == string for n in notes):
            raise ScoreError("a rake begins on another string than the note it leads to")
    return _replaced(project, [replace(n, raked_from=string) for n in notes])


def set_sounding(project: Project, ids: Set[str], *, share: float | None) -> Project:
    """Say which share of their value notes sound for, more than 0 and up to 1; None: as they were played."""
    return _replaced(project, [replace(n, sounding=share) for n in _chosen(project, ids)])


def set_partial(project: Project, note_id: str, *, partial: int | None) -> Project:
    """Say which partial a natural harmonic sounds (its node may lie between two frets), None for the lowest."""
    return _replaced(project, [replace(project.note(note_id), partial=partial)])


def write_at(project: Project, ids: Set[str], *, part: Fraction | None) -> Project:
    """Write onsets on a part of a beat (0 up to 1), on the beat that brings each nearest; None: as the search finds."""
    return _replaced(project, [replace(n, written_at=part) for n in _chosen(project, ids)])


def write_length(project: Project, ids: Set[str], *, beats: Fraction | None) -> Project:
    """Write values in beats; None: as they were played. The next onset cuts a value that is longer."""
    return _replaced(project, [replace(n, written_length=beats) for n in _chosen(project, ids)])


def change_string(project: Project, ids: Set[str], *, by: int) -> Project:
    """Move a shape to the neighbouring strings, frets kept: 1 is one string thicker. Raises ScoreError at the edge."""
    notes = _chosen(project, ids)
    if any(not project.tuning.has_string(n.string + by) for n in notes):
        raise ScoreError("there is no string beyond that; the shape stays where it is")
    return _replaced(project, [replace(n, string=n.string + by, held=True) for n in notes])


def toggle_vibrato(project: Project, ids: Set[str]) -> Project:
    """Vibrato off where every chosen note has it, else on (5.5 Hz, 25 cents where none was measured)."""
    notes = _chosen(project, ids)
    off = all(n.vibrato for n in notes)
    return _replaced(
        project,
        [replace(n, vibrato=None if off else n.vibrato or written_vibrato(n.duration)) for n in notes],
    )


def set_attack(project: Project, ids: Set[str], *, attack: Attack) -> Project:
    """Say how notes are reached."""
    return _replaced(
        project, [replace(n, attack=attack, maybe=_still_asked(n, "attack")) for n in _chosen(project, ids)]
    )  # fmt: skip


def as_it_may_be(project: Project, ids: Set[str]) -> Project:
    """Write the likeliest technique that is suggested for each of the notes. Raises ScoreError where none is, or where
    a pre-bend would begin below the nut."""
    asked = [n for n in _chosen(project, ids) if n.suggested]
    if not asked:
        raise ScoreError("nothing is suggested here; a note with a suggestion has a ? over its tag")
    return _replaced(project, [_as_it_may_be(n) for n in asked])


def _as_it_may_be(note: Note) -> Note:
    likeliest = note.suggested[0]
    if likeliest.attack is not None:
        return replace(note, attack=likeliest.attack, maybe=_still_asked(note, "attack"))
    if likeliest.bend is not None:
        fret = note.fret - likeliest.bend.frets_up
        if fret < 0:
            raise ScoreError("on this string the pre-bend would begin below fret 0; move the note to a thicker string")
        # The note may have been made shorter since.
        bend = shifted(likeliest.bend, 0.0, note.duration)
        return replace(note, fret=fret, bend=bend, maybe=_still_asked(note, "bend"))
    assert likeliest.mark is not None
    rest = tuple(m for m in note.maybe if m is not likeliest)
    return replace(note, marks=note.marks | {likeliest.mark}, maybe=rest)


def _still_asked(note: Note, answered: str) -> tuple[Maybe, ...]:
    """What may be so of a note beside what was answered: an attack or a bend."""
    return tuple(m for m in note.maybe if getattr(m, answered) is None)


def toggle_mark(project: Project, ids: Set[str], *, mark: Mark) -> Project:
    """Write a mark at the chosen notes, or take it away where all have it."""
    notes = _chosen(project, ids)
    off = all(mark in n.marks for n in notes)
    return _replaced(
        project,
        [
            replace(n, marks=n.marks - {mark} if off else n.marks | {mark},
                    maybe=tuple(m for m in n.maybe if m.mark is not mark))
            for n in notes
        ],
    )  # fmt: skip


def confirm(project: Project, ids: Set[str]) -> Project:
    """Say that notes are right as they stand; a doubt about them goes."""
    return _replaced(project, [replace(n, confirmed=True, doubt=None) for n in _chosen(project, ids)])


def set_doubt(project: Project, ids: Set[str], *, reason: str | None) -> Project:
    """Mark notes as doubtful, with the reason, or take the doubt away with None. Raises ScoreError for no words."""
    if reason is not None and not reason.strip():
        raise ScoreError("say in a few words what is doubtful")
    clean = reason.strip() if reason else None
    return _replaced(
        project,
        [replace(n, doubt=clean, confirmed=n.confirmed and clean is None) for n in _chosen(project, ids)],
    )


def set_vibrato(project: Project, ids: Set[str], *, vibrato: Vibrato | None) -> Project:
    """Say how a string is shaken: rate, extent and start, or not at all."""
    return _replaced(project, [replace(n, vibrato=vibrato) for n in _chosen(project, ids)])


def set_phrases(project: Project, phrases: Iterable[Phrase]) -> Project:
    """Replace all phrases."""
    return replace(project, phrases=tuple(sorted(phrases, key=lambda p: p.start)))


def rename_phrase(project: Project, phrase_id: str, *, name: str) -> Project:
    """Give a phrase a name that no other has. Raises ScoreError for no name, or one that another has."""
    clean = name.strip()
    if not clean:
        raise ScoreError("a phrase needs a name")
    if any(p.name.lower() == clean.lower() and p.id != phrase_id for p in project.phrases):
        raise ScoreError("another phrase is called '{clean}' already", clean=clean)
    return set_phrases(project, [replace(p, name=clean) if p.id == phrase_id else p for p in project.phrases])


def split_phrase(project: Project, *, at: float) -> Project:
    """Cut the phrase under a time in two, there. Raises ScoreError where no phrase lies under it."""
    phrase = project.phrase_at(at)
    if phrase is None or at - phrase.start < 0.1 or phrase.end - at < 0.1:
        raise ScoreError("put the playhead inside a phrase, where the second part is to begin")
    taken = {p.id for p in project.phrases} | {p.name for p in project.phrases}
    number = next(k for k in itertools.count(len(project.phrases) + 1) if f"p{k}" not in taken and str(k) not in taken)
    second = Phrase(f"p{number}", f"{phrase.name} b", at, phrase.end)
    if second.name in taken:
        second = replace(second, name=str(number))
    second = replace(cut_asides(phrase, at, phrase.end), id=second.id, name=second.name, like="")
    others = [p for p in project.phrases if p.id != phrase.id]
    return set_phrases(project, [*others, cut_asides(phrase, phrase.start, at), second])


def join_phrase_with_next(project: Project, phrase_id: str) -> Project:
    """Join a phrase with the one after it; the first name stays. Raises ScoreError for the last one."""
    ids = [p.id for p in project.phrases]
    if phrase_id not in ids or ids.index(phrase_id) + 1 >= len(ids):
        raise ScoreError("there is no phrase after this one to join it with")
    i = ids.index(phrase_id)
    first, second = project.phrases[i : i + 2]
    joined = replace(first, end=second.end, aside=joined_asides(first, second))
    return set_phrases(project, [*project.phrases[:i], joined, *project.phrases[i + 2 :]])


def add_phrase(project: Project, *, start: float, end: float) -> Project:
    """Make a stretch a phrase of its own; phrases under it are cut back or go. Raises ScoreError where one of them has
    other versions."""
    kept: list[Phrase] = []
    for p in project.phrases:
        if p.end <= start or p.start >= end:
            kept.append(p)
            continue
        if p.start < start - 0.05:
            kept.append(cut_asides(p, p.start, start))
        elif p.end > end + 0.05:
            kept.append(cut_asides(p, end, p.end))
        elif p.aside:
            raise ScoreError(
                "'{name}' lies under it and has other versions; remove those first, or loop less", name=p.name
            )
    taken = {p.id for p in project.phrases} | {p.name for p in project.phrases}
    number = next(k for k in itertools.count(len(project.phrases) + 1) if f"p{k}" not in taken and str(k) not in taken)
    return set_phrases(project, [*kept, Phrase(f"p{number}", str(number), start, end)])
