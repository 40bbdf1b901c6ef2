"""What strains a hand is said with its reason, and a rest after minutes of sound; never a diagnosis."""

from dataclasses import replace

from notcher.score.note import Bend, BendKind
from notcher.score.project import Project
from notcher.score.tuning import parse_tuning
from notcher.teach.care import Rest, raised, strains
from tests.conftest import note, small_project


def of(*notes: object) -> list[str]:
    project: Project = small_project().with_notes(list(notes))  # type: ignore[arg-type]
    return [str(c) for c in strains(project, project.notes)]


def test_wide_bends_are_named_from_one_and_a_half_steps_on() -> None:
    assert of(note(1, 0.0, 2, 12, bend=Bend(BendKind.BEND, 300))) == ["bends of 1.5 steps"]
    assert of(note(1, 0.0, 2, 12, bend=Bend(BendKind.BEND, 200))) == []


def test_wide_stretches_by_frets_and_by_millimetres() -> None:
    # Frets 1 to 5 of a 648 mm string: 648 (2^(-1/12) - 2^(-5/12)) = 126 mm (equal temperament).
    assert of(note(1, 0.0, 2, 1), note(2, 0.2, 2, 5), note(3, 0.4, 2, 1)) == ["a stretch of 4 frets, 126 mm"]
    assert of(note(1, 0.0, 2, 12), note(2, 0.2, 2, 15), note(3, 0.4, 2, 12)) == []


def test_long_fast_passages() -> None:
    fast = [note(k, 0.11 * k, 2, 5 + k % 3, length=0.1) for k in range(100)]
    assert of(*fast) == ["8 notes a second for 11 s"]
    assert of(*fast[:60]) == []
    assert strains(small_project(), ()) == ()


def test_a_rest_is_said_after_minutes_that_sounded_and_not_before_as_many_again() -> None:
    rest = Rest()
    said = [rest.sounded(30.0, minutes=20) for _ in range(100)]
    assert [k + 1 for k, due in enumerate(said) if due] == [40, 80]
    assert not any(rest.sounded(600.0, minutes=0) for _ in range(10))


def test_strings_above_standard() -> None:
    assert raised(parse_tuning("E4,B3,G3,D3,A2,E2")) == ()
    assert raised(parse_tuning("half-step-down")) == ()
    assert raised(parse_tuning("F4,B3,G3,D3,A2,F2")) == (1, 6)
    assert raised(replace(parse_tuning("standard"), capo=3)) == ()
