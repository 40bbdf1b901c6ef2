"""Keeping a rhythm that somebody wrote: what the search would write otherwise is held."""

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction

from notcher.rhythm.values import TICKS, places_of, written
from notcher.score.project import Project

_PASSES = 4


def hold_written(project: Project, starts: Mapping[str, Fraction], lengths: Mapping[str, Fraction]) -> Project:
    """The project written with these starts (beats from the map's first) and lengths (beats), by note id.

    Only what the search would write otherwise is decided; the rest stays as found. Without a beat nothing changes.
    """
    tempo = project.tempo
    if tempo is None:
        return project
    for _ in range(_PASSES):
        places = places_of(project.notes, tempo)
        wrong = {
            n.id for n, p in zip(project.notes, places, strict=True)
            if n.id in starts and n.written_at is None and p.start != starts[n.id]
        }  # fmt: skip
        if not wrong:
            break
        project = project.with_notes(
            [replace(n, written_at=starts[n.id] % 1) if n.id in wrong else n for n in project.notes]
        )
    other: dict[str, Fraction] = {}
    for event in written(project.notes, tempo).events:
        for n in event.notes:
            wanted = lengths.get(n.id)
            if wanted is not None and round(wanted * TICKS) != event.ticks:
                other[n.id] = wanted
    if not other:
        return project
    return project.with_notes(
        [replace(n, written_length=other[n.id]) if n.id in other else n for n in project.notes]
    )  # fmt: skip
