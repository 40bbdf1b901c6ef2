"""Written places and values that the person decided, and what settles around them."""

import math
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.rhythm.count import counted, place_of, places_in_bar
from notcher.rhythm.straight import as_written
from notcher.rhythm.values import TICKS, written
from notcher.score import edits
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from notcher.wording.rhythm import spoken
from tests.conftest import note

BEAT = TempoMap.steady(120, first_beat=0.0, count=40)


def played(beats: list[float], *, length: float = 0.05) -> Project:
    notes = tuple(note(i + 1, t / 2, 1, 5, length=length) for i, t in enumerate(beats))
    return Project(Recording("x.wav", "ab" * 32, 20.0, 44100, 2), notes=notes, tempo=BEAT)


def starts(project: Project) -> list[float]:
    return [e.tick / TICKS for e in written(project.notes, BEAT).events if e.notes]


def test_a_place_that_was_decided_stays_and_the_rest_settles_around_it() -> None:
    """Four even-ish notes read as sixteenths; with the second said to be a triplet's second, the beat is a triplet."""
    project = played([0, 0.31, 0.64, 1])
    assert starts(project)[1] == pytest.approx(0.25) or starts(project)[1] == pytest.approx(1 / 3)
    held = edits.write_at(project, {"n2"}, part=Fraction(1, 4))
    assert starts(held)[1] == pytest.approx(0.25)
    assert starts(held)[2] in (pytest.approx(0.5), pytest.approx(0.75))
    triplet = edits.write_at(project, {"n2"}, part=Fraction(1, 3))
    assert starts(triplet) == pytest.approx([0, 1 / 3, 2 / 3, 1])
    assert starts(edits.write_at(triplet, {"n2"}, part=None)) == starts(project)


def test_all_views_of_a_decided_place_agree() -> None:
    project = edits.write_at(played([0, 1.2, 2, 3]), {"n2"}, part=Fraction(1, 2))
    second = project.note("n2")
    assert place_of(project, second).start == Fraction(3, 2)
    how = counted(project, second)
    assert how is not None
    assert project.tempo is not None
    assert spoken(how.place, project.tempo) == "2 and"
    assert how.late == pytest.approx(-0.15)
    assert [p.start for _, p in places_in_bar(project, 1)] == [0, Fraction(3, 2), 2, 3]


def test_a_value_that_was_decided_is_written_and_cut_by_the_next_onset() -> None:
    project = played([0, 1, 2])
    lengths = {e.tick // TICKS: e.ticks / TICKS for e in written(project.notes, BEAT).events if e.notes}
    assert lengths[0] <= 1
    longer = edits.write_length(project, {"n3"}, beats=Fraction(3, 2))
    lengths = {e.tick // TICKS: e.ticks / TICKS for e in written(longer.notes, BEAT).events if e.notes}
    assert lengths[2] == 1.5
    cut = edits.write_length(project, {"n1"}, beats=Fraction(4))
    lengths = {e.tick // TICKS: e.ticks / TICKS for e in written(cut.notes, BEAT).events if e.notes}
    assert lengths[0] == 1


@pytest.mark.parametrize("part", [Fraction(1), Fraction(-1, 4), Fraction(5, 4)])
def test_a_place_outside_the_beat_is_refused(part: Fraction) -> None:
    from notcher.score.errors import ScoreError

    with pytest.raises(ScoreError, match="beat"):
        edits.write_at(played([0, 1]), {"n1"}, part=part)


@given(
    st.lists(st.floats(0, 7.9), min_size=2, max_size=12, unique=True),
    st.integers(0, 11),
    st.sampled_from([Fraction(0), Fraction(1, 4), Fraction(1, 3), Fraction(1, 2), Fraction(3, 4), Fraction(2, 5)]),
)
def test_whatever_is_decided_is_what_is_written(beats: list[float], which: int, part: Fraction) -> None:
    """Every note stays in the order it was played, and the one decided stands on its part of a beat."""
    beats = sorted(beats)
    project = played(beats)
    chosen = f"n{which % len(beats) + 1}"
    project = edits.write_at(project, {chosen}, part=part)
    kept = [n for e in written(project.notes, BEAT).events for n in (*e.graces, *e.notes)]
    assert sorted(n.id for n in kept) == sorted(n.id for n in project.notes)
    # Twelve ticks or fewer is what a place is rounded to; 2/5 of a beat is a whole number of them.
    at = next(e.tick for e in written(project.notes, BEAT).events if chosen in {n.id for n in (*e.notes, *e.graces)})
    assert at % TICKS == part * TICKS


def test_played_as_written_the_notes_lie_on_their_places() -> None:
    """Late by 20, 35 and early by 30 ms at 120 bpm; as written they are not."""
    project = played([0.04, 0.57, 0.94, 2.0])
    straight = as_written(project, 0.0, 2.0)
    assert [n.onset for n in straight.notes] == pytest.approx([0.0, 0.25, 0.5, 1.0])
    assert [n.duration for n in straight.notes] == pytest.approx([n.duration for n in project.notes])
    assert as_written(replace(project, tempo=None), 0.0, 2.0) == replace(project, tempo=None)


def test_legato_stays_legato_as_written() -> None:
    project = played([0.04, 0.57, 0.94])
    joined = replace(project, notes=tuple(
        replace(n, end=after.onset) for n, after in zip(project.notes, project.notes[1:], strict=False)
    ) + project.notes[-1:])  # fmt: skip
    straight = as_written(joined, 0.0, 2.0).notes
    assert [n.end for n in straight[:2]] == pytest.approx([0.25, 0.5])


def test_a_run_is_moved_as_its_places_say() -> None:
    """Lateness taken from 15 ms of human timing: as written every onset is where the tempo map has the sixteenth."""
    rng = np.random.default_rng(40)
    beats = [k / 4 + float(rng.normal(0, 0.03)) + 0.1 * (k == 0) for k in range(16)]
    straight = as_written(played(sorted(beats)), 0.0, 3.0)
    assert all(abs(n.onset * 8 - round(n.onset * 8)) < 1e-6 for n in straight.notes)


@pytest.mark.parametrize("bpm", [66, 92, 97.3, 120, 152])
def test_every_note_on_a_bar_line_has_its_place(bpm: float) -> None:
    """An onset a hair before a bar line is on it: floating point leaves as much."""
    tempo = TempoMap(TempoMap.steady(bpm, first_beat=1.0, count=420).beats, 4, 0, ((5, 3), (9, 4)))
    onsets = [math.nextafter(tempo.time_at(beat), 0.0) for beat in range(400)]
    notes = tuple(note(i + 1, onset, 1, 5, length=0.05) for i, onset in enumerate(onsets))
    project = Project(Recording("x.wav", "ab" * 32, 420.0, 44100, 2), notes=notes, tempo=tempo)
    assert [place_of(project, n).start for n in project.notes] == list(range(400))
