"""What is left to look at, and in which order."""

from dataclasses import replace

import pytest

from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.gap import Gap
from notcher.score.gaps import expected_mistakes, looks, open_gaps, without_gap
from notcher.score.project import Project

HERE = Gap(9.0, 9.4, 64, 0.6)


def with_chances(project: Project, **chances: float) -> Project:
    """Those notes proposed with a chance each, all others confirmed, nothing in doubt."""
    return project.with_notes([
        replace(n, confirmed=n.id not in chances, by_hand=False, doubt=None, confidence=chances.get(n.id, 0.2))
        for n in project.notes
    ])  # fmt: skip


def test_the_likeliest_mistake_comes_first_and_confirmed_notes_not_at_all(project: Project) -> None:
    found = looks(with_chances(project, n1=0.9, n2=0.3, n3=0.7))
    assert [k.note.id for k in found if k.note] == ["n2", "n3", "n1"]


def test_what_the_person_doubts_comes_before_all(project: Project) -> None:
    said = edits.set_doubt(with_chances(project, n1=0.9, n2=0.3), {"n4"}, reason="which string?")
    assert next(k.note.id for k in looks(said) if k.note) == "n4"


def test_of_two_equally_unsure_notes_the_one_that_matters_more(project: Project) -> None:
    made = with_chances(project, n1=0.6, n2=0.6)
    longer = made.with_notes([replace(n, end=n.onset + 0.05) if n.id == "n1" else n for n in made.notes])
    assert [k.note.id for k in looks(longer) if k.note] == ["n2", "n1"]


def test_a_gap_is_looked_at_like_a_note_until_something_is_written_there(project: Project) -> None:
    made = replace(with_chances(project, n1=0.95), gaps=(HERE,))
    assert looks(made)[0].gap == HERE
    filled = edits.add_note(made, onset=9.02, end=9.4, string=1, fret=0)
    assert open_gaps(filled) == ()
    elsewhere = edits.add_note(made, onset=9.02, end=9.4, string=6, fret=0)
    assert open_gaps(elsewhere) == (HERE,), "another string two octaves below is no answer"
    assert without_gap(made, HERE).gaps == ()


def test_mistakes_to_be_expected_are_what_the_chances_leave(project: Project) -> None:
    made = replace(with_chances(project, n1=0.9, n2=0.5), gaps=(HERE,))
    assert expected_mistakes(made) == pytest.approx((0.1 + 0.5 + 0.6, 2))


@pytest.mark.parametrize("wrong", [(2.0, 2.0, 60, 0.5), (2.0, 1.0, 60, 0.5), (1.0, 2.0, 60, 1.5), (-1.0, 2.0, 60, 0.5)])
def test_a_gap_that_cannot_be_is_refused(wrong: tuple[float, float, int, float]) -> None:
    with pytest.raises(ScoreError, match=", got "):
        Gap(*wrong)
