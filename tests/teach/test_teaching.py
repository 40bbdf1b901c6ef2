"""Phrases, the ladder of paces, the large rows, and the check of a take."""

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.score.errors import ScoreError
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.teach.lesson import FASTEST_PACE, SLOWEST_PACE, clamp_pace, neighbour, so_far
from notcher.teach.phrasing import propose_phrases
from notcher.teach.spread import spread
from tests.conftest import note

_line = st.lists(st.tuples(st.floats(0.05, 3.0), st.floats(0.05, 2.0), st.integers(0, 22)), min_size=1, max_size=60)


def in_time(steps: list[tuple[float, float, int]]) -> list[Note]:
    out, at = [], 0.2
    for i, (gap, length, fret) in enumerate(steps):
        out.append(note(i, round(at, 3), 1 + i % 3, fret, length=length))
        at += gap
    return out


@settings(max_examples=80, deadline=None)
@given(_line)
def test_every_note_is_in_one_phrase(steps: list[tuple[float, float, int]]) -> None:
    notes = in_time(steps)
    phrases = propose_phrases(notes, duration=400.0)
    assert all(sum(p.start <= n.onset < p.end for p in phrases) == 1 for n in notes)
    assert all(a.end <= b.start + 1e-9 for a, b in itertools.pairwise(phrases))
    assert [p.name for p in phrases] == [str(k) for k in range(1, len(phrases) + 1)]


def test_phrases_are_cut_at_breaths() -> None:
    """Two licks with a rest of a second between them (cut at breaths and long notes; common practice, no source)."""
    first = [note(i, 0.5 + 0.3 * i, 2, 5 + i % 3) for i in range(12)]
    second = [note(20 + i, 5.4 + 0.3 * i, 2, 5 + i % 3) for i in range(12)]
    phrases = propose_phrases(first + second, duration=10.0)
    assert len(phrases) == 2
    assert 4.1 < phrases[0].end <= phrases[1].start <= 5.4


def test_no_notes_no_phrases() -> None:
    assert propose_phrases([], duration=5.0) == ()


def test_a_pace_stays_within_its_bounds() -> None:
    assert [clamp_pace(p) for p in (1, SLOWEST_PACE, 62.5, FASTEST_PACE, 400)] == [
        SLOWEST_PACE, SLOWEST_PACE, 62.5, FASTEST_PACE, FASTEST_PACE,
    ]  # fmt: skip


def test_so_far_joins_everything_up_to_here(project: Project) -> None:
    stretch = so_far(project, project.phrases[1])
    assert (stretch.start, stretch.end, str(stretch.label)) == (0.9, 7.0, "First to Second")
    assert so_far(project, project.phrases[0]).label.values["name"] == "First"
    assert neighbour(project, "p1", steps=1).id == "p2"
    assert neighbour(project, "p2", steps=1).id == "p2"
    with pytest.raises(ScoreError, match="no phrases yet"):
        neighbour(Project(project.recording), "", steps=1)


@settings(max_examples=80, deadline=None)
@given(_line, st.floats(6, 60))
def test_rows_hold_every_note_once_and_time_runs_on(steps: list[tuple[float, float, int]], width: float) -> None:
    notes = tuple(in_time(steps))
    rows = spread(notes, 0.0, notes[-1].end, width=width)
    assert [n.id for r in rows for n in r.notes] == [n.id for n in notes]
    for row in rows:
        xs = [row.x_of(row.start + k / 50 * (row.end - row.start)) for k in range(51)]
        assert xs == sorted(xs)
        assert xs[-1] <= width + 6.0
        places = sorted({row.x_of(n.onset) for n in row.notes})
        assert all(b - a > 1.2 for a, b in itertools.pairwise(places)), "tags would cover each other"
