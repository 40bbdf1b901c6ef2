"""What was said put in the place of what was there: nothing that stays is lost."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from notcher.score.errors import ScoreError
from notcher.score.note import Attack, BendKind, Mark
from notcher.score.passage_edit import PassageNote, edit_passage, passage_of
from notcher.score.project import Project


def test_saying_what_is_there_changes_nothing(project: Project) -> None:
    line = passage_of(project.notes_between(0.9, 3.5))
    assert edit_passage(project, 0.9, 3.5, line) == project


def test_a_change_keeps_times_and_what_was_measured(project: Project) -> None:
    line = passage_of(project.notes_between(0.9, 3.5))
    line[2] = replace(line[2], bend=(BendKind.BEND_RELEASE, 100))
    after = edit_passage(project, 0.9, 3.5, line)
    before, now = project.note("n3"), after.note("n3")
    assert now.bend is not None
    assert before.bend is not None
    assert (now.bend.kind, now.bend.target_cents, now.bend.points) == (
        BendKind.BEND_RELEASE, 100, before.bend.points,
    )  # fmt: skip
    assert (now.onset, now.end, now.vibrato, now.confirmed) == (before.onset, before.end, before.vibrato, True)
    assert [n for n in after.notes if n.id != "n3"] == [n for n in project.notes if n.id != "n3"]


def test_another_place_is_the_same_note_moved(project: Project) -> None:
    line = passage_of(project.notes_between(0.9, 3.5))
    line[0] = replace(line[0], string=4, fret=14)
    moved = edit_passage(project, 0.9, 3.5, line).note("n1")
    assert (moved.string, moved.fret, moved.onset, moved.held) == (4, 14, 1.0, True)


def test_a_note_said_in_between_shares_the_time(project: Project) -> None:
    line = passage_of(project.notes_between(0.9, 3.5))
    line.insert(1, PassageNote(3, 12, Attack.HAMMER, marks=frozenset({Mark.STACCATO})))
    after = edit_passage(project, 0.9, 3.5, line)
    notes = after.notes_between(0.9, 3.5)
    assert [n.fret for n in notes] == [9, 12, 11, 11, 9]
    new = notes[1]
    assert 1.0 < new.onset < 1.5
    assert (new.by_hand, new.confirmed, new.marks) == (True, True, {Mark.STACCATO})
    assert notes[0].end <= new.onset
    assert new.end <= 1.5


def test_what_is_no_longer_said_goes(project: Project) -> None:
    line = passage_of(project.notes_between(0.9, 3.5))
    del line[1:3]
    assert [n.id for n in edit_passage(project, 0.9, 3.5, line).notes_between(0.9, 3.5)] == ["n1", "n4"]
    assert edit_passage(project, 0.9, 3.5, []).notes == project.notes_between(3.5, 9.0)


def test_a_phrase_from_nothing(project: Project) -> None:
    empty = project.with_notes([])
    after = edit_passage(
        empty,
        1.0,
        3.0,
        [PassageNote(3, 9), PassageNote(2, 8, together=False), PassageNote(1, 8, together=True), PassageNote(3, 7)],
    )
    onsets = [n.onset for n in after.notes]
    assert onsets == sorted(onsets)
    assert onsets[0] == 1.0
    assert onsets[1] == onsets[2]
    assert all(1.0 <= n.onset < n.end <= 3.0 for n in after.notes)


def test_a_passage_must_have_length(project: Project) -> None:
    with pytest.raises(ScoreError, match="must end after it starts"):
        edit_passage(project, 2.0, 2.0, [])


LINES = st.lists(
    st.builds(PassageNote, st.integers(1, 6), st.integers(0, 24), st.sampled_from(list(Attack))), max_size=12
)


@settings(max_examples=80)
@given(LINES)
def test_the_notes_say_what_was_said(line: list[PassageNote]) -> None:
    from tests.conftest import small_project

    project = small_project()
    try:
        after = edit_passage(project, 0.9, 3.5, line)
    except ScoreError:
        # More than anybody could play between two notes that stay.
        assume(False)
        raise
    inside = after.notes_between(0.9, 3.5)
    assert [(s.string, s.fret, s.attack) for s in passage_of(inside)] == [(s.string, s.fret, s.attack) for s in line]
    assert [n for n in after.notes if n.onset >= 3.5] == list(project.notes_between(3.5, 9.0))
    assert len({n.id for n in after.notes}) == len(after.notes)
    for a, b in itertools.pairwise(inside):
        assert a.onset <= b.onset
