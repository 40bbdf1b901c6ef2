"""Named states, and what changed since them in words."""

from dataclasses import replace

import pytest

from notcher.score import edits
from notcher.score.compare import changes_since, forget_state, name_state, state_named
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Vibrato
from notcher.score.project import Project
from notcher.score.tuning import NAMED
from notcher.wording.notes import change_line
from tests.conftest import note, small_project


@pytest.fixture
def kept(project: Project) -> Project:
    return name_state(project, " first handout ", made="2026-11-25")


def lines(kept: Project, after: Project) -> list[str]:
    return [change_line(c) for c in changes_since(state_named(kept, "First Handout"), after)]


def test_nothing_changed(kept: Project) -> None:
    assert lines(kept, kept) == []
    assert kept.states[0].name == "first handout"


def test_every_change_is_said_at_its_note(kept: Project) -> None:
    after = kept.with_notes([
        replace(n, fret=8, finger=2) if n.id == "n1"
        else replace(n, attack=Attack.PICK, marks=frozenset({Mark.PALM_MUTE})) if n.id == "n2"
        else replace(n, bend=Bend(BendKind.BEND, 150), vibrato=None) if n.id == "n3"
        else replace(n, onset=2.54) if n.id == "n4"
        else replace(n, doubt=None, confirmed=True) if n.id == "n8"
        else n
        for n in kept.notes if n.id != "n7"
    ] + [note(20, 6.2, 2, 5, bend=Bend(BendKind.CURL, 50))])  # fmt: skip
    assert lines(kept, after) == [
        "0:01.0  fret 9, 3rd string: now fret 8, 3rd string, second finger",
        "0:01.5  fret 11, 3rd string: picked instead of hammered on, with palm mute",
        "0:02.0  fret 11, 3rd string: bent three quarters instead of a whole step, without vibrato",
        "0:02.5  fret 9, 3rd string: 40 ms later",
        "0:04.5  fret 17, 1st string is gone",
        "0:05.0  fret 12, 6th string: no longer doubtful",
        "0:06.2  fret 5, 2nd string is new: curl of a quarter step",
    ]


def test_a_slow_bend_and_a_vibrato_that_changed_are_said(kept: Project) -> None:
    bent = edits.bend_arrives(edits.set_bend(kept, {"n1"}, kind=BendKind.BEND), {"n1"}, at=1.4)
    before = name_state(bent, "slow", made="2027-02-02")
    state = state_named(before, "slow")

    def said(project: Project) -> list[str]:
        return [str(c.what) for c in changes_since(state, project)]

    usual = before.with_notes(
        [replace(n, bend=replace(n.bend, rise=None)) if n.id == "n1" and n.bend else n for n in before.notes]
    )
    assert said(usual) == ["fret 9, 3rd string: rises as usual"]
    assert said(edits.bend_arrives(before, {"n1"}, at=1.25)) == ["fret 9, 3rd string: rises slowly, over 0.25 s"]
    shaken = edits.set_vibrato(before, {"n3"}, vibrato=Vibrato(6.5, 40.0, 0.1))
    assert said(shaken) == [
        "fret 11, 3rd string: vibrato of 6.5 Hz, 40 cents, from 0.10 s on, instead of 5.4 Hz, 31 cents, from 0.25 s on"
    ]


def test_a_passage_measured_anew_is_the_same_notes(kept: Project) -> None:
    anew = kept.with_notes([replace(n, id=f"x{n.id}", onset=n.onset + 0.004) for n in kept.notes])
    assert lines(kept, anew) == []


def test_phrases_and_tuning(kept: Project) -> None:
    after = replace(edits.rename_phrase(kept, "p1", name="Call"), tuning=NAMED["half-step-down"])
    assert lines(kept, after) == [
        "0:00.0  tuned half step down instead of standard",
        "0:00.9  phrase 'First' is called 'Call'",
    ]


def test_names_are_used_once_and_can_be_let_go(kept: Project) -> None:
    with pytest.raises(ScoreError, match="already"):
        name_state(kept, "First handout", made="2026-11-26")
    with pytest.raises(ScoreError, match="called"):
        name_state(kept, "  ", made="2026-11-26")
    assert forget_state(kept, "first handout").states == ()
    with pytest.raises(ScoreError, match="no state 'x'; this project has 'first handout'"):
        state_named(kept, "x")


def test_a_learner_is_told_what_is_heard() -> None:
    """A vibrato that begins 20 ms later, or a note moved by 12 ms, is no other note; a new fret is."""
    project = small_project()
    first, second = project.notes[0], project.notes[1]
    shaken = project.with_notes([replace(first, vibrato=Vibrato(5.5, 25.0, 0.20)), *project.notes[1:]])
    kept = name_state(shaken, "before", made="2027-03-01")
    after = kept.with_notes([
        replace(first, vibrato=Vibrato(5.6, 27.0, 0.22), onset=first.onset + 0.012),
        replace(second, fret=second.fret + 1), *project.notes[2:],
    ])  # fmt: skip
    told = changes_since(kept.states[-1], after, audible=True)
    assert [c.note_id for c in told] == [second.id]
    assert len(changes_since(kept.states[-1], after)) == 2
