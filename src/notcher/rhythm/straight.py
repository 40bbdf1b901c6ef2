"""The written rhythm as it stands: notes moved from where they were played to where they are written."""

from dataclasses import replace

from notcher.rhythm.count import places_in_bar
from notcher.score.note import Note
from notcher.score.project import Project

_SHORTEST_S = 0.03
_LEGATO_S = 0.05
_GRACE_S = 0.06


def as_written(project: Project, start: float, end: float) -> Project:
    """The project with the notes of the bars around two times in seconds on their written places; the others are left
    out. Without a beat it comes back as it is.

    Lengths stay as played, but for notes that reach to the next on their string: they do so still.
    """
    tempo = project.tempo
    if tempo is None:
        return project
    first, last = tempo.bar_and_beat(max(0.0, start))[0] - 1, tempo.bar_and_beat(end)[0] + 1
    moved: list[Note] = []
    for bar in range(first, last + 1):
        for note, place in places_in_bar(project, bar):
            onset = tempo.time_at(float(place.start)) - (_GRACE_S if place.grace else 0.0)
            onset = max(0.0, onset)
            moved.append(replace(note, onset=onset, end=onset + note.duration))
    was = {n.id: n for n in project.notes_between(0.0, float("inf"))}
    following: dict[int, Note] = {}
    out: list[Note] = []
    for note in sorted(moved, key=lambda n: (n.onset, was[n.id].onset), reverse=True):
        after = following.get(note.string)
        if after is not None and was[note.id].end >= was[after.id].onset - _LEGATO_S:
            note = replace(note, end=max(note.onset + _SHORTEST_S, after.onset))
        following[note.string] = note
        out.append(note)
    return project.with_notes(out)
