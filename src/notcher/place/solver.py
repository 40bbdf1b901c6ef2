"""The cheapest way of one hand through a whole passage: a shortest path over every note's possible places."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from notcher.place.hand import States, Wanted, states_for, transition_costs
from notcher.score.errors import ScoreError
from notcher.score.note import struck_together
from notcher.score.project import Project
from notcher.score.tuning import Tuning

_PASSAGE_REST = 1.2


@dataclass(frozen=True, slots=True)
class Placed:
    """A place: string, fret, and the hand's position (fret of the first finger)."""

    string: int
    fret: int
    position: int

    @property
    def finger(self) -> int:
        """1 to 4, or 0 for an open string or a tap far from the hand."""
        offset = self.fret - self.position + 1
        return min(4, offset) if self.fret and 1 <= offset <= 6 else 0


def place(wanted: Sequence[Wanted], tuning: Tuning) -> list[Placed]:
    """Find a place for every note, in time order, by dynamic programming (Viterbi 1967) over the hand's states.

    Pitches outside the neck are put an octave or more into it. Raises nothing for a legato that no string can hold; it
    is only very dear.
    """
    if not wanted:
        return []
    columns = [states_for(w, _places(w, tuning)) for w in wanted]
    best = columns[0].cost
    back: list[np.ndarray] = []
    for i in range(1, len(columns)):
        total = best[:, None] + transition_costs(columns[i - 1], columns[i], wanted[i - 1], wanted[i])
        if i >= 2 and all(struck_together(wanted[i - k].onset, wanted[i].onset) for k in (1, 2)):
            total = total + _third_voice(columns, back, i)
        back.append(np.argmin(total, axis=0))
        best = np.min(total, axis=0) + columns[i].cost
    k = int(np.argmin(best))
    path = [k]
    for pointers in reversed(back):
        k = int(pointers[k])
        path.append(k)
    path.reverse()
    return [Placed(int(c.string[k]), int(c.fret[k]), int(c.position[k])) for c, k in zip(columns, path, strict=True)]


def _third_voice(columns: list[States], back: list[np.ndarray], i: int) -> np.ndarray:
    """Keeps the third of three notes struck together off the first one's string."""
    first = columns[i - 2].string[back[-1]]
    return np.where(first[:, None] == columns[i].string[None, :], 1e5, 0.0)


def _places(wanted: Wanted, tuning: Tuning) -> list[tuple[int, int]]:
    if wanted.place is not None:
        return [wanted.place]
    pitch = wanted.pitch
    while pitch < min(tuning.open_pitches):
        pitch += 12
    while pitch > max(tuning.open_pitches) + tuning.highest_fret:
        pitch -= 12
    places = tuning.places(pitch)
    return [p for p in places if p != wanted.not_there] or places


def replace_around(project: Project, fixed_ids: set[str]) -> Project:
    """Solve anew the passages around some notes whose places were just chosen by hand.

    Notes that are held or confirmed stay; a passage ends at a rest of more than a second or so.
    """
    notes = list(project.notes)
    touched = {i for i, n in enumerate(notes) if n.id in fixed_ids}
    done: set[int] = set()
    for i in sorted(touched):
        if i in done:
            continue
        low, high = i, i
        while low > 0 and notes[low].onset - notes[low - 1].end < _PASSAGE_REST:
            low -= 1
        while high + 1 < len(notes) and notes[high + 1].onset - notes[high].end < _PASSAGE_REST:
            high += 1
        low, high = max(low, i - 40), min(high, i + 40)
        passage = notes[low : high + 1]
        wanted = [
            Wanted.of(n, n.pitch(project.tuning), fixed=n.held or n.confirmed or n.id in fixed_ids) for n in passage
        ]
        for k, (n, p) in enumerate(zip(passage, place(wanted, project.tuning), strict=True), low):
            notes[k] = replace(n, string=p.string, fret=p.fret)
            done.add(k)
    return project.with_notes(notes)


def positions(project: Project) -> dict[str, Placed]:
    """Hand position and finger of every note where it lies now, by note id. Derived, never stored."""
    wanted = [Wanted.of(n, n.pitch(project.tuning), fixed=True) for n in project.notes]
    try:
        found = place(wanted, project.tuning)
    except ValueError as error:
        raise ScoreError("the notes could not be fingered") from error
    return {n.id: p for n, p in zip(project.notes, found, strict=True)}
