"""Counting aloud (the words are common practice, no source)."""

from dataclasses import replace
from fractions import Fraction

import pytest

from notcher.rhythm.count import counted, feel
from notcher.rhythm.quantize import Place, quantize
from notcher.score.note import Bend, BendKind
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from notcher.wording.rhythm import against_the_beat, arrival_words, feel_words, passage_words, spoken, spoken_line
from tests.conftest import note

F = Fraction
TEMPO = TempoMap.steady(90, first_beat=0.2, count=60)


def line(beats: list[F]) -> str:
    return spoken_line(quantize([TEMPO.time_at(float(b)) for b in beats], TEMPO), TEMPO)


@pytest.mark.parametrize(
    ("beats", "said"),
    [
        ([F(2), F(5, 2), F(3), F(7, 2)], "3 and 4 and"),
        ([F(0), F(1, 4), F(1, 2), F(3, 4)], "1 e and a"),
        ([F(0), F(3, 4), F(1)], "1 a 2"),
        ([F(1), F(4, 3), F(5, 3), F(2)], "2 trip let 3"),
        ([F(0), F(3, 2), F(2)], "1 (2) and 3"),
        ([F(3), F(7, 2), F(4), F(9, 2)], "4 and | 1 and"),
    ],
)
def test_a_line_is_counted_as_it_is_spoken(beats: list[F], said: str) -> None:
    assert line(beats) == said


def test_a_single_place() -> None:
    places = quantize([TEMPO.time_at(b) for b in (4.0, 4.5, 5.0)], TEMPO)
    assert [spoken(p, TEMPO) for p in places] == ["1", "1 and", "2"]


def test_a_note_of_a_project_with_its_lateness() -> None:
    notes = [note(i, TEMPO.time_at(b) + 0.02 * (b == 1.5), 1, 5, length=0.1) for i, b in enumerate((0, 1, 1.5, 2, 3))]
    project = Project(Recording("a.wav", "0" * 64, 60.0, 44100, 2), notes=tuple(notes), tempo=TEMPO)
    found = counted(project, project.notes[2])
    assert found is not None
    assert (found.bar, spoken(found.place, TEMPO), against_the_beat(found.late)) == (1, "2 and", "20 ms late")
    exact = counted(project, project.notes[3])
    assert exact is not None
    assert against_the_beat(exact.late) == "on the beat"
    assert counted(project.with_tempo(None), project.notes[2]) is None


@pytest.mark.parametrize("part", [F(15, 16), F(31, 32), F(63, 64), F(1, 64), F(7, 8), F(5, 6), F(13, 24)])
def test_any_part_of_a_beat_can_be_counted(part: F) -> None:
    """A place no count has a word for is counted as the nearest that has one, in its own beat."""
    notes = [replace(note(1, TEMPO.time_at(2.9), 1, 5, length=0.1), written_at=part)]
    project = Project(Recording("a.wav", "0" * 64, 60.0, 44100, 2), notes=tuple(notes), tempo=TEMPO)
    found = counted(project, project.notes[0])
    assert found is not None
    assert spoken(found.place, TEMPO)[:1] in ("3", "4")


@pytest.mark.parametrize(
    ("arrives", "said"),
    [
        (1.5, "on 2 and"),
        (1.75, "on 2 a"),
        (1.25, "on 2 e"),
        (1 + 1 / 3, "on 2 trip"),
        (1.5 + 0.04, "on 2 and, 27 ms late"),
        (1.75 - 0.03, "on 2 a, 20 ms early"),
        (2.0, "on 3"),
    ],
)
def test_when_a_bend_arrives_is_said_to_the_sixteenth(arrives: float, said: str) -> None:
    """At 90 beats a minute a beat lasts 667 ms, so that 0.04 of it are 27 ms."""
    onset = TEMPO.time_at(1.0)
    rise = TEMPO.time_at(arrives) - onset
    bent = note(1, onset, 1, 5, length=2.0, bend=Bend(BendKind.BEND, 200, rise=rise))
    project = Project(Recording("a.wav", "0" * 64, 60.0, 44100, 2), notes=(bent,), tempo=TEMPO)
    assert arrival_words(project, bent) == said


def test_a_passage_is_counted_in_one_sentence() -> None:
    late = (0.03, 0.02, 0.01, 0.0, -0.02, -0.03)
    notes = [note(i, TEMPO.time_at(i / 2) + x, 1, 5, length=0.1) for i, x in enumerate(late)]
    project = Project(Recording("a.wav", "0" * 64, 60.0, 44100, 2), notes=tuple(notes), tempo=TEMPO)
    assert passage_words(project, project.notes) == "Counted: 1 and 2 and 3 and. Drags in, rushes out. "
    assert passage_words(project, project.notes[:1]) == ""
    assert passage_words(project, project.notes[::2]) == ""
    assert passage_words(project, project.notes[1:4]) == "Counted: (1) and 2 and. "
    assert passage_words(project.with_tempo(None), project.notes) == ""


def places(late: list[float]) -> list[Place]:
    return [Place(F(k), 1, k, 1, x) for k, x in enumerate(late)]


@pytest.mark.parametrize(
    ("late", "said"),
    [
        ([0.03, 0.02, 0.01, 0.0, -0.02, -0.03], "drags in, rushes out"),
        ([-0.03, -0.02, 0.0, 0.0, 0.0, 0.0], "rushes in, steady out"),
        ([0.02] * 6, "behind the beat throughout"),
        ([-0.02] * 6, "ahead of the beat throughout"),
        ([0.002] * 6, "on the beat throughout"),
        ([0.03] * 5, ""),
    ],
)
def test_how_a_phrase_lies_against_the_beat(late: list[float], said: str) -> None:
    assert feel_words(feel(places(late))) == said
