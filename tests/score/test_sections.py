"""Sections: named places, each until the next, some repeating another."""

from dataclasses import replace

import pytest

from notcher.score import sections as s
from notcher.score.errors import ScoreError
from notcher.score.project import Project, Recording, Request, Section
from notcher.wording.notes import section_reference

EMPTY = Project(Recording("x.wav", "0" * 64, 60.0, 44100, 2))


def with_three() -> Project:
    project = EMPTY
    for start in (31.0, 12.0, 44.5):
        project = s.add_section(project, start=start)
    return project


def test_they_are_named_by_letters_and_stand_in_time_order() -> None:
    project = with_three()
    assert [(x.name, x.start) for x in project.sections] == [("B", 12.0), ("A", 31.0), ("C", 44.5)]
    assert s.section_end(project, project.sections[0]) == 31.0
    assert s.section_end(project, project.sections[2]) == 60.0


def test_two_cannot_begin_at_one_place_or_share_a_name() -> None:
    project = with_three()
    with pytest.raises(ScoreError, match="begins at 12.1 s already"):
        s.add_section(project, start=12.1)
    with pytest.raises(ScoreError, match="'A' already"):
        s.add_section(project, start=50.0, name="A")
    with pytest.raises(ScoreError, match="'C' already"):
        s.rename_section(project, "A", to="C")


def test_a_moved_one_stays_between_its_neighbours() -> None:
    project = with_three()
    assert s.move_section(project, "A", start=90.0).sections[1].start < 44.5
    assert s.move_section(project, "B", start=-5.0).sections[0].start == 0.0


def test_same_as_a_without_its_last_bar() -> None:
    project = s.refer_section(with_three(), "C", like="A", less_bars=1)
    assert section_reference(project.sections[2]) == "as A, without its last bar"
    assert section_reference(replace(project.sections[2], less_bars=2)) == "as A, without its last 2 bars"
    renamed = s.rename_section(project, "A", to="Solo")
    assert renamed.sections[2].like == "Solo"
    alone = s.delete_section(renamed, "Solo")
    assert (alone.sections[-1].like, alone.sections[-1].less_bars) == ("", 0)


def test_none_repeats_itself_round_about() -> None:
    project = s.refer_section(with_three(), "C", like="A")
    with pytest.raises(ScoreError, match="repeat itself"):
        s.refer_section(project, "A", like="C")
    with pytest.raises(ScoreError, match="no section 'Z'"):
        s.refer_section(project, "A", like="Z")


def test_letters_go_on_after_z() -> None:
    project = replace(EMPTY, sections=tuple(Section(chr(65 + k), float(k)) for k in range(26)))
    assert s.free_name(project) == "AA"


@pytest.mark.parametrize(("due", "good"), [("2027-03-14", True), ("", True), ("14.3.", False), ("2027-02-30", False)])
def test_a_due_date_is_a_date(due: str, good: bool) -> None:
    if good:
        assert Request(due=due).due == due
    else:
        with pytest.raises(ScoreError, match="year-month-day"):
            Request(due=due)
