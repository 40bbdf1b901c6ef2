"""What an edit changed goes backwards and forwards, alone and joined with the next."""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from notcher.score import edits
from notcher.score.delta import Delta
from notcher.score.note import Note
from notcher.score.project import Project
from tests.conftest import note, small_project

IDS = [f"n{k}" for k in range(1, 9)]


@st.composite
def edited(draw: st.DrawFn, project: Project) -> Project:
    """A project after any one edit."""
    there = [n.id for n in project.notes]
    match draw(st.sampled_from(["vibrato", "delete", "add", "move", "rest"])):
        case "vibrato" if there:
            return edits.toggle_vibrato(project, {draw(st.sampled_from(there))})
        case "delete" if there:
            return edits.delete_notes(project, {draw(st.sampled_from(there))})
        case "move" if there:
            chosen: Note = project.note(draw(st.sampled_from(there)))
            by = draw(st.floats(0.0, 2.0))
            return project.with_notes(
                [replace(n, onset=n.onset + by, end=n.end + by) if n.id == chosen.id else n for n in project.notes]
            )
        case "rest":
            return replace(project, offset_cents=draw(st.floats(-50, 50)))
        case _:
            added = note(draw(st.integers(20, 40)), draw(st.floats(0, 6)), 2, 5)
            return project.with_notes([*(n for n in project.notes if n.id != added.id), added])


@given(st.data())
def test_undo_and_redo_are_each_others_opposite(data: st.DataObject) -> None:
    before = small_project()
    middle = data.draw(edited(before))
    after = data.draw(edited(middle))
    first, second = Delta.between(before, middle), Delta.between(middle, after)
    assert first.redone(before) == middle
    assert first.undone(middle) == before
    both = first.then(second)
    assert both.redone(before) == after
    assert both.undone(after) == before


def test_only_what_changed_is_kept() -> None:
    before = small_project()
    after = edits.toggle_vibrato(before, {"n1"})
    delta = Delta.between(before, after)
    assert set(delta.notes) == {"n1"}
    assert not delta.before.notes
