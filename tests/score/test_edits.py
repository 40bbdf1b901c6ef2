"""Edits: each does what it says, refuses what does not apply, and leaves the project before it as it was."""

from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.find import Description, change_all
from notcher.score.note import Attack, Bend, BendKind, Mark, Maybe, Note, Vibrato
from notcher.score.passage_edit import edit_passage, passage_of
from notcher.score.project import Phrase, Project
from notcher.score.repeat import copy_passage, move_passage
from tests.conftest import note, small_project


def test_moving_to_another_string_keeps_the_pitch_and_holds_the_place(project: Project) -> None:
    moved = edits.move_to_string(project, {"n1"}, steps=1).note("n1")
    assert (moved.string, moved.fret, moved.held) == (4, 14, True)
    assert moved.pitch(project.tuning) == project.note("n1").pitch(project.tuning)


def test_moving_off_the_neck_is_refused(project: Project) -> None:
    with pytest.raises(ScoreError, match="no neighbour"):
        edits.move_to_string(project, {"n7"}, steps=-1)
    low = edits.change_fret(project, {"n8"}, to=2)
    with pytest.raises(ScoreError, match="not on string 5"):
        edits.move_to_string(low, {"n8"}, steps=-1)


@pytest.mark.parametrize(("by", "to", "fret"), [(1, None, 10), (-9, None, 0), (0, 24, 24)])
def test_changing_the_fret(project: Project, by: int, to: int | None, fret: int) -> None:
    assert edits.change_fret(project, {"n1"}, by=by, to=to).note("n1").fret == fret


@pytest.mark.parametrize("by", [-10, 16])
def test_frets_end_at_nut_and_24(project: Project, by: int) -> None:
    with pytest.raises(ScoreError, match="0 .open. to 24"):
        edits.change_fret(project, {"n1"}, by=by)


def test_nudging_the_onset_leaves_the_bend_where_it_was_played(project: Project) -> None:
    before = project.note("n3")
    after = edits.nudge(project, {"n3"}, onset=-0.005).note("n3")
    assert after.onset == pytest.approx(1.995)
    top = {round(before.onset + t, 6): c for t, c in before.bend.points}  # type: ignore[union-attr]
    assert {round(after.onset + t, 6): c for t, c in after.bend.points} == top  # type: ignore[union-attr]


def slow(project: Project, rise: float) -> Project:
    """The first note as a slow bend, written by hand."""
    bent = edits.set_bend(project, {"n1"}, kind=BendKind.BEND, target_cents=200)
    return edits.bend_arrives(bent, {"n1"}, at=project.note("n1").onset + rise)


def rise_of(project: Project, note_id: str = "n1") -> float | None:
    bend = project.note(note_id).bend
    assert bend is not None
    return bend.rise


def test_a_slow_bend_arrives_where_it_did_when_its_onset_is_nudged(project: Project) -> None:
    assert rise_of(edits.nudge(slow(project, 0.4), {"n1"}, onset=0.1)) == pytest.approx(0.3)
    assert rise_of(edits.nudge(slow(project, 0.4), {"n1"}, onset=-0.1)) == pytest.approx(0.5)
    assert rise_of(edits.nudge(slow(project, 0.4), {"n1"}, onset=0.4)) is None, "it has arrived before it begins"


def test_a_slow_bend_is_kept_by_whatever_else_is_said_of_the_note(project: Project) -> None:
    bent = slow(project, 0.4)
    assert rise_of(edits.raise_bend(bent, {"n1"}, by=50)) == pytest.approx(0.4)
    assert rise_of(edits.set_bend(bent, {"n1"}, kind=BendKind.BEND_RELEASE, target_cents=300)) == pytest.approx(0.4)
    assert rise_of(change_all(bent, {"n1"}, Description(cents=100))) == pytest.approx(0.4)
    copied = copy_passage(bent, {"n1"}, at=6.5)
    assert [n.bend.rise for n in copied.notes if n.bend and n.bend.rise] == pytest.approx([0.4, 0.4])
    free = replace(bent, tempo=None)
    assert rise_of(move_passage(free, {"n1"}, at=6.5)) == pytest.approx(0.4)
    line = passage_of(bent.notes_between(0.9, 3.5))
    said_again = edit_passage(bent, 0.9, 3.5, line)
    assert said_again.notes == bent.notes
    wider = edit_passage(bent, 0.9, 3.5, [replace(line[0], bend=(BendKind.BEND, 300)), *line[1:]])
    assert rise_of(wider) == pytest.approx(0.4)


@pytest.mark.parametrize(
    ("at", "first", "second"),
    [
        # Before its top: bent so far, and picked again as it rises on.
        (0.2, (BendKind.BEND, 100, 0.2), (BendKind.STAGGERED, 200, 0.2)),
        # After it: there it arrived, and here it is held.
        (0.45, (BendKind.BEND, 200, 0.4), (BendKind.HOLD, 200, None)),
    ],
)
def test_a_slow_bend_is_not_doubled_by_a_cut(
    project: Project, at: float, first: tuple[object, ...], second: tuple[object, ...]
) -> None:
    cut = edits.split_note(slow(project, 0.4), "n1", at=1.0 + at)
    a, b = (n.bend for n in cut.notes[:2])
    assert a is not None
    assert b is not None
    assert (a.kind, a.target_cents, a.rise) == (*first[:2], pytest.approx(first[2]))
    assert (b.kind, b.target_cents) == second[:2]
    assert b.rise == (pytest.approx(second[2]) if second[2] else None)


def test_a_bend_written_by_hand_is_not_bent_twice_by_a_cut(project: Project) -> None:
    bent = edits.set_bend(project, {"n1"}, kind=BendKind.BEND, target_cents=200)
    a, b = (n.bend for n in edits.split_note(bent, "n1", at=1.3).notes[:2])
    assert a is not None
    assert b is not None
    assert (a.kind, b.kind, a.points, b.points) == (BendKind.BEND, BendKind.HOLD, (), ())


def test_frets_end_sooner_with_a_capo(project: Project) -> None:
    """24 frets, a capo at the 5th: the 19th counted from it is the last."""
    capo = replace(project, tuning=replace(project.tuning, capo=5))
    assert edits.change_fret(capo, {"n1"}, to=19).note("n1").fret == 19
    for change in (
        lambda: edits.change_fret(capo, {"n1"}, to=20), lambda: edits.change_fret(capo, {"n1"}, by=11),
        lambda: edits.set_place(capo, "n1", string=3, fret=24),
        lambda: edits.add_note(capo, onset=0.1, end=0.3, string=1, fret=20),
    ):  # fmt: skip
        with pytest.raises(ScoreError, match="frets go from 0 .open. to 19, counted from the capo at fret 5"):
            change()


def test_nudging_keeps_a_note(project: Project) -> None:
    with pytest.raises(ScoreError, match="at least 20 ms"):
        edits.nudge(project, {"n1"}, end=-0.49)


def test_splitting_and_joining_again(project: Project) -> None:
    cut = edits.split_note(project, "n1", at=1.2)
    first, second = [n for n in cut.notes if n.onset < 1.5]
    assert (first.end, second.onset, second.end) == (1.2, 1.2, 1.5)
    assert second.attack is Attack.PICK
    joined = edits.join_notes(cut, {first.id, second.id})
    assert [(n.onset, n.end, n.fret) for n in joined.notes] == [(n.onset, n.end, n.fret) for n in project.notes]


def test_a_split_bend_is_read_anew_on_both_sides(project: Project) -> None:
    """Cut at the top of its rise, the first part is a bend and the second is held up."""
    cut = edits.split_note(project, "n3", at=2.25)
    first, second = [n for n in cut.notes if 2.0 <= n.onset < 2.5]
    assert first.bend is not None
    assert first.bend.kind is BendKind.BEND
    assert second.bend is not None
    assert second.bend.starts_raised


def test_splitting_needs_room(project: Project) -> None:
    with pytest.raises(ScoreError, match="playhead inside the note"):
        edits.split_note(project, "n1", at=1.01)


def test_joining_a_note_a_whole_step_higher_makes_a_bend(project: Project) -> None:
    two = project.with_notes([note(1, 0.0, 2, 10), note(2, 0.3, 2, 12)])
    joined = edits.join_notes(two, {"n1", "n2"}).notes[0]
    assert (joined.onset, joined.end, joined.fret) == (0.0, 0.6, 10)
    assert joined.bend is not None
    assert joined.bend.target_cents == 200


def test_a_trill_joined_is_one_note_with_its_sign(project: Project) -> None:
    turns = [replace(note(k, 0.1 * k, 2, 12 - 2 * (k % 2)), end=0.1 * k + 0.1) for k in range(1, 7)]
    turns[0] = replace(turns[0], marks=frozenset({Mark.TRILL}))
    joined = edits.join_notes(project.with_notes(turns), {n.id for n in turns}).notes
    assert [(n.fret, n.bend, n.marks) for n in joined] == [(10, None, frozenset({Mark.TRILL}))]
    assert joined[0].duration == pytest.approx(0.6)


def test_a_note_becomes_a_harmonic_at_a_node_and_a_fretted_one_again(project: Project) -> None:
    touched = edits.touch_node(project, "n1", string=3, fret=3, partial=6)
    found = touched.note("n1")
    assert (found.string, found.fret, found.partial, found.held) == (3, 3, 6, True)
    assert Mark.NATURAL_HARMONIC in found.marks
    fretted = edits.set_place(touched, "n1", string=2, fret=5).note("n1")
    assert (fretted.string, fretted.fret, fretted.partial, fretted.marks) == (2, 5, None, frozenset())


def test_the_written_interval_and_the_measured_shape_live_side_by_side(project: Project) -> None:
    wider = edits.raise_bend(project, {"n3"}, by=100).note("n3").bend
    assert wider is not None
    assert wider.target_cents == 300
    assert wider.peak_cents == 203
    other = edits.set_bend(project, {"n3"}, kind=BendKind.BEND_RELEASE, target_cents=150).note("n3").bend
    assert other is not None
    assert (other.kind, other.target_cents, len(other.points)) == (BendKind.BEND_RELEASE, 150, 3)
    assert edits.set_bend(project, {"n3"}, kind=None).note("n3").bend is None


def test_a_bend_narrowed_below_a_quarter_goes(project: Project) -> None:
    narrowed = project
    for _ in range(4):
        narrowed = edits.raise_bend(narrowed, {"n3"}, by=-50)
    assert narrowed.note("n3").bend is None


def test_vibrato_on_and_off(project: Project) -> None:
    assert edits.toggle_vibrato(project, {"n3"}).note("n3").vibrato is None
    made = edits.toggle_vibrato(project, {"n1"}).note("n1").vibrato
    assert made is not None
    assert 4 <= made.rate_hz <= 7  # the usual range (common practice, no source)


def test_confirming_takes_the_doubt_away(project: Project) -> None:
    sure = edits.confirm(project, {"n8"}).note("n8")
    assert sure.confirmed
    assert sure.doubt is None
    unsure = edits.set_doubt(edits.confirm(project, {"n1"}), {"n1"}, reason=" which string? ").note("n1")
    assert (unsure.doubt, unsure.confirmed) == ("which string?", False)
    with pytest.raises(ScoreError, match="few words"):
        edits.set_doubt(project, {"n1"}, reason="  ")


def test_nothing_selected_is_said(project: Project) -> None:
    with pytest.raises(ScoreError, match="no note is selected"):
        edits.delete_notes(project, set())


def test_phrases_split_join_rename(project: Project) -> None:
    cut = edits.split_phrase(project, at=2.0)
    assert [(p.start, p.end) for p in cut.phrases] == [(0.9, 2.0), (2.0, 3.5), (3.5, 7.0)]
    assert len({p.name for p in cut.phrases}) == 3
    whole = edits.join_phrase_with_next(cut, "p1")
    assert [(p.name, p.start, p.end) for p in whole.phrases] == [("First", 0.9, 3.5), ("Second", 3.5, 7.0)]
    assert edits.rename_phrase(project, "p1", name=" Tide ").phrases[0].name == "Tide"
    with pytest.raises(ScoreError, match="called 'second' already"):
        edits.rename_phrase(project, "p1", name="second")
    with pytest.raises(ScoreError, match="needs a name"):
        edits.rename_phrase(project, "p1", name=" ")
    with pytest.raises(ScoreError, match="no phrase after"):
        edits.join_phrase_with_next(project, "p2")


def test_a_loop_becomes_a_phrase_and_others_make_room(project: Project) -> None:
    added = edits.add_phrase(project, start=3.0, end=4.0)
    assert [(p.start, p.end) for p in added.phrases] == [(0.9, 3.0), (3.0, 4.0), (4.0, 7.0)]


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: note(1, 0, 0, 3), "1 .* to 8"),
        (lambda: note(1, 0, 1, 25), "25"),
        (lambda: note(1, 0, 1, 3, length=-0.1), "end after it starts"),
        (lambda: Bend(BendKind.BEND, 125), "quarter steps of 50, got 125"),
        (lambda: Bend(BendKind.BEND, 200, ((0.2, 0.0), (0.1, 200.0))), "time order"),
        (lambda: Vibrato(0, 20), "rate up to 15 Hz"),
        (lambda: Phrase("p", "x", 2.0, 1.0), "end after it starts"),
    ],
)
def test_values_that_cannot_be_are_refused(make: Callable[[], object], message: str) -> None:
    with pytest.raises(ScoreError, match=message):
        make()


Edit = Callable[[Project], Project]
_ids = st.sets(st.sampled_from([f"n{k}" for k in range(1, 9)]), min_size=1, max_size=3)
_edit: st.SearchStrategy[Edit] = st.one_of(
    st.builds(lambda i, s: lambda p: edits.move_to_string(p, i, steps=s), _ids, st.sampled_from([-1, 1])),
    st.builds(lambda i, f: lambda p: edits.change_fret(p, i, to=f), _ids, st.integers(-2, 26)),
    st.builds(lambda i, a, b: lambda p: edits.nudge(p, i, onset=a, end=b), _ids, st.floats(-1, 1), st.floats(-1, 1)),
    st.builds(lambda i, t: lambda p: edits.split_note(p, sorted(i)[0], at=t), _ids, st.floats(0, 7)),
    st.builds(lambda i: lambda p: edits.join_notes(p, i), _ids),
    st.builds(lambda i: lambda p: edits.delete_notes(p, i), _ids),
    st.builds(lambda i, b: lambda p: edits.raise_bend(p, i, by=b), _ids, st.sampled_from([-50, 50, 400])),
    st.builds(lambda i, k: lambda p: edits.set_bend(p, i, kind=k), _ids, st.sampled_from([*BendKind, None])),
    st.builds(lambda i: lambda p: edits.toggle_vibrato(p, i), _ids),
    st.builds(lambda i, m: lambda p: edits.toggle_mark(p, i, mark=m), _ids, st.sampled_from(list(Mark))),
    st.builds(lambda i, a: lambda p: edits.set_attack(p, i, attack=a), _ids, st.sampled_from(list(Attack))),
    st.builds(lambda i: lambda p: edits.confirm(p, i), _ids),
    st.builds(lambda t: lambda p: edits.split_phrase(p, at=t), st.floats(0, 8)),
    st.builds(lambda a, n: lambda p: edits.add_note(p, onset=a, end=a + 0.2, string=2, fret=n), st.floats(0, 8),
              st.integers(0, 24)),
    st.builds(lambda a: lambda p: edits.add_phrase(p, start=a, end=a + 1.0), st.floats(0, 7)),
)  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(st.lists(_edit, max_size=8))
def test_any_edits_in_a_row_keep_the_document_whole(changes: list[Edit]) -> None:
    project = small_project()
    frozen = small_project()
    seen = [project]
    for change in changes:
        try:
            seen.append(change(seen[-1]))
        except ScoreError:
            continue
    assert project == frozen, "an edit changed the project before it"
    last = seen[-1]
    assert list(last.notes) == sorted(last.notes, key=lambda n: (n.onset, n.string, n.id))
    assert len({n.id for n in last.notes}) == len(last.notes)
    assert len({p.id for p in last.phrases}) == len(last.phrases)
    assert all(a.end <= b.start + 1e-9 for a, b in zip(last.phrases, last.phrases[1:], strict=False))


def test_notes_are_values() -> None:
    a = note(1, 0, 1, 1)
    assert replace(a, fret=2) != a
    assert isinstance(hash(a), int)
    assert isinstance(a, Note)


PRE_BENT = Bend(BendKind.PRE_BEND, 200, ((0.0, 200.0), (0.4, 200.0)))


def asked(project: Project, *maybe: Maybe) -> Project:
    return project.with_notes([replace(n, maybe=maybe) if n.id == "n1" else n for n in project.notes])


@pytest.mark.parametrize(
    ("maybe", "becomes"),
    [
        (Maybe(0.5, attack=Attack.HAMMER), {"attack": Attack.HAMMER}),
        (Maybe(0.5, mark=Mark.PALM_MUTE), {"marks": frozenset({Mark.PALM_MUTE})}),
        (Maybe(0.5, bend=Bend(BendKind.BEND, 200)), {"bend": Bend(BendKind.BEND, 200)}),
        # What was written is what sounds at once; the string was pushed two frets below it.
        (Maybe(0.5, bend=PRE_BENT), {"bend": PRE_BENT, "fret": 7}),
    ],
)
def test_what_may_be_so_is_written_when_the_person_says_so(
    project: Project, maybe: Maybe, becomes: dict[str, object]
) -> None:
    start = asked(project, Maybe(0.1, mark=Mark.SWELL), maybe)
    found = edits.as_it_may_be(start, {"n1", "n2"}).note("n1")
    assert found == replace(start.note("n1"), maybe=(Maybe(0.1, mark=Mark.SWELL),), **becomes)  # type: ignore[arg-type]


def test_nothing_is_suggested_for_most_notes(project: Project) -> None:
    with pytest.raises(ScoreError, match="nothing is suggested here"):
        edits.as_it_may_be(project, {"n1"})
    low = edits.change_fret(asked(project, Maybe(0.5, bend=PRE_BENT)), {"n1"}, to=1)
    with pytest.raises(ScoreError, match="below fret 0; move the note to a thicker string"):
        edits.as_it_may_be(low, {"n1"})


@pytest.mark.parametrize(
    ("decide", "left"),
    [
        (lambda p: edits.set_attack(p, {"n1"}, attack=Attack.PULL), ("bend", "mark")),
        (lambda p: edits.set_bend(p, {"n1"}, kind=None), ("attack", "mark")),
        (lambda p: edits.toggle_mark(p, {"n1"}, mark=Mark.SWELL), ("attack", "bend")),
        (lambda p: edits.toggle_mark(p, {"n1"}, mark=Mark.DEAD), ("attack", "bend", "mark")),
        (lambda p: edits.confirm(p, {"n1"}), ()),
        (lambda p: edits.raise_bend(p, {"n1"}, by=50), ("attack", "mark")),
        (lambda p: edits.join_notes(p, {"n1", "n2"}), ("attack", "mark")),
        (lambda p: change_all(p, {"n1"}, Description(attack=Attack.TAP)), ("bend", "mark")),
    ],
)
def test_what_is_decided_is_asked_no_more(
    project: Project, decide: Callable[[Project], Project], left: tuple[str, ...]
) -> None:
    start = asked(project, Maybe(0.3, attack=Attack.TAP), Maybe(0.2, bend=PRE_BENT), Maybe(0.4, mark=Mark.SWELL))
    found = decide(start).note("n1").suggested
    assert {k for m in found for k in ("attack", "bend", "mark") if getattr(m, k) is not None} == set(left)


def test_a_suggested_bend_keeps_its_place_and_ends_with_the_note(project: Project) -> None:
    pushed = Bend(BendKind.BEND, 200, ((0.1, 0.0), (0.2, 200.0), (0.45, 200.0)))
    start = asked(project, Maybe(0.5, bend=pushed))
    moved = edits.nudge(start, {"n1"}, onset=0.05, end=-0.1)
    bend = edits.as_it_may_be(moved, {"n1"}).note("n1").bend
    assert bend is not None
    assert [(round(t, 3), c) for t, c in bend.points] == [(0.05, 0.0), (0.15, 200.0)]
    first, second = edits.split_note(start, "n1", at=1.3).notes[:2]
    assert edits.as_it_may_be(replace(project, notes=(first,)), {"n1"}).notes[0].bend == replace(
        pushed, points=pushed.points[:2]
    )
    assert second.suggested == (), "it is picked, as the person says by cutting there"


@pytest.mark.parametrize(
    "wrong",
    [{"chance": 0.3}, {"chance": 0.3, "attack": Attack.TAP, "mark": Mark.DEAD}, {"chance": 1.2, "mark": Mark.DEAD}],
)
def test_what_may_be_so_is_one_thing_with_a_chance(wrong: dict[str, object]) -> None:
    with pytest.raises(ScoreError, match="one of them|between 0 and 1"):
        Maybe(**wrong)  # type: ignore[arg-type]
