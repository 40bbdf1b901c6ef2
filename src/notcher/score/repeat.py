"""A passage that comes again: its notes copied to another time, beat for beat where there is a beat."""

from collections.abc import Set
from dataclasses import replace

from notcher.score.bends import scaled
from notcher.score.clause import Clause
from notcher.score.edits import SHORTEST_NOTE, new_note_id
from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import Project

_SLACK_S = 0.03


def copy_passage(project: Project, ids: Set[str], *, at: float) -> Project:
    """Copy notes so that the first begins at a time in seconds. With a tempo map every note keeps its place in the
    beat, so that a repeat played a little faster fits; without one the seconds stay.

    Raises ScoreError where no note is chosen, where notes are already there, or where the copy would not end before the
    recording does.
    """
    notes = [n for n in project.notes if n.id in ids]
    if not notes:
        raise ScoreError("no note is selected, and no phrase is here to copy")
    copies = [_moved(project, n, notes[0].onset, at) for n in notes]
    _check_room(project, copies, at)
    grown = project
    for n in copies:
        grown = grown.with_notes([*grown.notes, replace(n, id=new_note_id(grown))])
    return grown


def move_passage(project: Project, ids: Set[str], *, at: float) -> Project:
    """Move notes so that the first begins at a time in seconds, beat for beat as copy_passage does; they stay as they
    were measured. Raises ScoreError as copy_passage, and where other notes are in the way."""
    notes = [n for n in project.notes if n.id in ids]
    if not notes:
        raise ScoreError("no note is selected to be moved")
    others = project.with_notes([n for n in project.notes if n.id not in ids])
    moved = [_moved(project, n, notes[0].onset, at) for n in notes]
    _check_room(others, moved, at)
    kept = [
        replace(n, onset=m.onset, end=m.end, bend=m.bend) for n, m in zip(notes, moved, strict=True)
    ]  # fmt: skip
    return project.with_notes([*others.notes, *kept])


def _check_room(project: Project, copies: list[Note], at: float) -> None:
    end = max(n.end for n in copies)
    if project.recording.duration and end > project.recording.duration + _SLACK_S:
        raise ScoreError(
            "the passage would end at {end:.1f} s, but the recording ends at {duration:.1f} s; choose an earlier place",
            end=end, duration=project.recording.duration,
        )  # fmt: skip
    there = project.notes_between(max(0.0, at - _SLACK_S), max(n.onset for n in copies) + _SLACK_S)
    if there:
        raise ScoreError(
            Clause(
                "a note is already written where the passage would go; delete it first, or choose another place",
                many="{n} notes are already written where the passage would go; delete them first, or choose another "
                "place",
                n=len(there),
            )
        )


def _moved(project: Project, note: Note, first: float, at: float) -> Note:
    tempo = project.tempo
    if tempo is None:
        onset, end = note.onset - first + at, note.end - first + at
    else:
        shift = tempo.beat_at(at) - tempo.beat_at(first)
        onset, end = (tempo.time_at(tempo.beat_at(t) + shift) for t in (note.onset, note.end))
    end = max(end, onset + SHORTEST_NOTE)
    share = (end - onset) / note.duration
    bend = scaled(note.bend, share)
    # What was measured was measured of the other one.
    return replace(
        note,
        onset=onset,
        end=end,
        bend=bend,
        by_hand=True,
        confirmed=False,
        confidence=1.0,
        evidence=None,
        maybe=(),
        held=True,
    )
