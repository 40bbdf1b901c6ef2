"""Notes as an instructor says them, without times; and putting what was said in the place of what was there."""

import difflib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from notcher.score.bends import decided
from notcher.score.edits import new_note_id
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, struck_together, written_vibrato
from notcher.score.project import Project
from notcher.score.tuning import HIGHEST_FRET, MOST_STRINGS

# Seconds from note to note under which nobody plays (common practice, no source: the fastest trills have 20 a second).
_FASTEST_S = 0.035
_NEW_NOTE_S, _SHORTEST_S = 0.25, 0.02


@dataclass(frozen=True, slots=True)
class PassageNote:
    """One note as it was said. together: struck with the one before it. rise: the seconds a slow bend takes to its top.
    span: where it stands in the line, for showing errors; no part of what it means."""

    string: int
    fret: int
    attack: Attack = Attack.PICK
    bend: tuple[BendKind, int] | None = None
    vibrato: bool = False
    marks: frozenset[Mark] = frozenset()
    finger: int | None = None
    together: bool = False
    rise: float | None = None
    raked_from: int | None = None
    sounding: float | None = None
    span: tuple[int, int] = field(default=(0, 0), compare=False)

    def __post_init__(self) -> None:
        if not 1 <= self.string <= MOST_STRINGS:
            raise ScoreError(
                "strings go from 1 (thinnest) to {most_strings} at most, got {string}",
                most_strings=MOST_STRINGS,
                string=self.string,
            )
        if not 0 <= self.fret <= HIGHEST_FRET:
            raise ScoreError(
                "frets go from 0 (open) to {highest_fret}, got {fret}", highest_fret=HIGHEST_FRET, fret=self.fret
            )


def passage_of(notes: Sequence[Note]) -> list[PassageNote]:
    """Notes, in time order, as they are said."""
    out = []
    for i, n in enumerate(notes):
        bend = (n.bend.kind, n.bend.target_cents) if n.bend else None
        together = i > 0 and struck_together(notes[i - 1].onset, n.onset)
        rise = n.bend.rise if n.bend else None
        vibrato = n.vibrato is not None
        out.append(
            PassageNote(
                n.string, n.fret, n.attack, bend, vibrato, n.marks, n.finger, together, rise, n.raked_from, n.sounding
            )
        )  # fmt: skip
    return out


def edit_passage(project: Project, start: float, end: float, line: Sequence[PassageNote]) -> Project:
    """Put what was said in the place of the notes between two times in seconds.

    Notes that are still there keep their times, and what was measured of them; what is new about them counts as
    confirmed. New notes share the time between their neighbours; those no longer said go. Raises ScoreError where it
    does not end after it starts."""
    if not 0 <= start < end:
        raise ScoreError("a passage must end after it starts, got {start} s to {end} s", start=start, end=end)
    old = list(project.notes_between(start, end))
    matched = _matched(old, line)
    onsets = _onsets(old, line, matched, start, end)
    _check_room(onsets, matched, end)
    for s in line:
        project.tuning.check_string(s.string)
    made: list[Note] = []
    taken = project
    for k, s in enumerate(line):
        before = matched[k]
        if before is not None:
            made.append(_changed(old[before], s))
            continue
        note = Note(
            new_note_id(taken), onsets[k], min(end, onsets[k] + _NEW_NOTE_S), s.string, s.fret, attack=s.attack,
            bend=Bend(*s.bend, rise=s.rise) if s.bend else None, marks=s.marks,
            vibrato=written_vibrato(_NEW_NOTE_S) if s.vibrato else None,
            finger=s.finger, raked_from=s.raked_from, sounding=s.sounding, confirmed=True, by_hand=True, held=True,
        )  # fmt: skip
        made.append(note)
        # Only so that the next id is another one.
        taken = taken.with_notes([*taken.notes, note])
    gone = {n.id for n in old}
    return project.with_notes([*(n for n in project.notes if n.id not in gone), *_cut(made, old)])


def _check_room(onsets: Sequence[float], matched: Sequence[int | None], end: float) -> None:
    """Raises ScoreError where new notes would follow one another faster than anybody plays."""
    times = [*onsets, end]
    tight = [k for k, new in enumerate(matched) if new is None and 0 < times[k + 1] - times[k] < _FASTEST_S]
    if tight:
        low, high = onsets[tight[0]], times[tight[-1] + 1]
        raise ScoreError(
            "{n} notes do not fit into {ms:.0f} ms; make room for them first, or choose a longer passage",
            n=len(tight), ms=1000 * (high - low),
        )  # fmt: skip


def _matched(old: Sequence[Note], line: Sequence[PassageNote]) -> list[int | None]:
    """For each note said the number of the one it was, or None."""
    places = [(n.string, n.fret) for n in old], [(s.string, s.fret) for s in line]
    out: list[int | None] = [None] * len(line)
    for tag, a, b, c, d in difflib.SequenceMatcher(None, *places, autojunk=False).get_opcodes():
        # As many in the place of as many: the same notes, put elsewhere.
        if tag == "equal" or (tag == "replace" and b - a == d - c):
            for i in range(d - c):
                out[c + i] = a + i
        elif tag == "replace":
            for i in range(min(b - a, d - c)):
                out[c + i] = a + i
    return out


def _onsets(
    old: Sequence[Note], line: Sequence[PassageNote], matched: Sequence[int | None], start: float, end: float
) -> list[float]:
    """When each note said begins: as before, or sharing the time to the next one that is known."""
    known = [old[m].onset if m is not None else None for m in matched]
    out: list[float] = []
    for k, at in enumerate(known):
        if at is not None:
            out.append(at)
            continue
        if line[k].together and out:
            out.append(out[-1])
            continue
        low = out[-1] if out else start
        ahead = next((j for j in range(k + 1, len(known)) if known[j] is not None), None)
        high = known[ahead] if ahead is not None else None
        # Strikes still to come before that one; each gets as much.
        strikes = sum(1 for j in range(k, ahead if ahead is not None else len(known)) if not line[j].together)
        if high is None:
            room = (end - low) / (strikes + (1 if out else 0))
            out.append(low + min(room, 2 * _NEW_NOTE_S) if out else low)
        else:
            out.append(low + (high - low) / (strikes + 1) if out else low + (high - low) / (strikes + 1) * 0.5)
    return out


def _changed(note: Note, s: PassageNote) -> Note:
    """The note as it is said now; untouched where nothing is new."""
    bend, vibrato = note.bend, note.vibrato
    if s.bend is None:
        bend = None
    elif bend is None or (bend.kind, bend.target_cents, bend.rise) != (*s.bend, s.rise):
        bend = replace(decided(bend, *s.bend), rise=s.rise)
    if s.vibrato != (vibrato is not None):
        vibrato = written_vibrato(note.duration) if s.vibrato else None
    held = note.held or (note.string, note.fret) != (s.string, s.fret)
    changed = replace(
        note,
        string=s.string,
        fret=s.fret,
        attack=s.attack,
        bend=bend,
        vibrato=vibrato,
        marks=s.marks,
        finger=s.finger,
        raked_from=s.raked_from,
        sounding=s.sounding,
        held=held,
    )
    return note if changed == note else replace(changed, confirmed=True, doubt=None)


def _cut(made: Sequence[Note], old: Sequence[Note]) -> list[Note]:
    """Notes that ring into a new one on their string are ended there."""
    fresh = {n.id for n in made} - {n.id for n in old}
    ordered = sorted(made, key=lambda n: n.onset)
    out = []
    for i, n in enumerate(ordered):
        following = next((m for m in ordered[i + 1 :] if not struck_together(n.onset, m.onset)), None)
        meets = following is not None and (following.id in fresh or n.id in fresh)
        if meets and following is not None and n.end > following.onset:
            n = replace(n, end=max(n.onset + _SHORTEST_S, following.onset))
        out.append(n)
    return out
