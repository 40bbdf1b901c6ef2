"""Strokes of the pick. What each school does is common practice of the trade; there is no source to name."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.place.strokes import MARK_OF, Stroke, Stroked, strokes
from notcher.score.note import Attack, Mark, Note
from notcher.score.playing import Picking
from notcher.score.tempo import TempoMap


def run(*strings: int, step: float = 0.12, start: float = 0.0) -> list[Note]:
    return [Note(f"n{k}", start + step * k, start + step * (k + 0.9), s, 5 + k % 3) for k, s in enumerate(strings)]


def ways(found: dict[str, Stroked]) -> str:
    return "".join("d" if s.stroke is Stroke.DOWN else "u" for s in found.values())


def test_alternate_goes_down_and_up_in_turn_over_strings_too() -> None:
    assert ways(strokes(run(3, 3, 3, 2, 2, 2, 1, 1))) == "dudududu"


def test_down_alone() -> None:
    assert ways(strokes(run(6, 6, 6, 5), Picking.DOWN)) == "dddd"


def test_economy_goes_on_where_the_next_string_lies_that_way() -> None:
    """Three notes a string, upwards: down up down, down up down."""
    found = strokes(run(3, 3, 3, 2, 2, 2), Picking.ECONOMY)
    assert ways(found) == "duddud"
    assert [k for k, s in found.items() if s.swept] == ["n3"]
    # Back over two strings with three notes each: up down up, up down up is one way; what never happens is a
    # turn against the string that follows.
    back = strokes([*run(2, 2, 2, 3, 3, 3)], Picking.ECONOMY)
    assert back["n2"].stroke is back["n3"].stroke is Stroke.UP


def test_a_fast_arpeggio_is_swept_by_every_school() -> None:
    for school in (Picking.ALTERNATE, Picking.ECONOMY):
        found = strokes(run(5, 4, 3, 2, 1, step=0.09), school)
        assert ways(found) == "ddddd"
        assert [s.swept for s in found.values()] == [False, True, True, True, True]
    slow = strokes(run(5, 4, 3, 2, 1, step=0.4), Picking.ALTERNATE)
    assert ways(slow) == "dudud"


def test_a_sweep_back_goes_up() -> None:
    assert ways(strokes(run(1, 2, 3, 4, step=0.09), Picking.ALTERNATE)) == "uuuu"


def test_what_is_not_picked_has_no_stroke() -> None:
    from dataclasses import replace

    notes = run(3, 3, 3, 3)
    notes[1] = replace(notes[1], attack=Attack.HAMMER)
    notes[2] = replace(notes[2], attack=Attack.SLIDE, marks=frozenset({Mark.REPICKED}))
    notes[3] = replace(notes[3], marks=frozenset({Mark.LEFT_HAND}))
    assert set(strokes(notes)) == {"n0", "n2"}


def test_strings_struck_together_take_one_stroke_and_a_rake_goes_its_way() -> None:
    together = [Note("a", 0.0, 0.5, 2, 5), Note("b", 0.005, 0.5, 3, 5)]
    assert ways(strokes(together)) == "dd"
    up = Note("r", 0.0, 0.5, 3, 7, attack=Attack.RAKE, raked_from=1)
    assert strokes([up])["r"].stroke is Stroke.UP
    assert strokes([Note("r", 0.0, 0.5, 3, 7, attack=Attack.RAKE, raked_from=6)])["r"].stroke is Stroke.DOWN


def test_after_a_breath_it_begins_downwards() -> None:
    notes = run(3, 3, 3) + [Note("m", 2.0, 2.3, 3, 5)]
    assert ways(strokes(notes)) == "dudd"


def test_the_hand_goes_with_the_beat() -> None:
    """A run that begins on the second sixteenth begins upwards."""
    tempo = TempoMap.steady(120, first_beat=0.0, count=8)
    assert ways(strokes(run(3, 3, 3, 3, 3, step=0.125, start=0.125), tempo=tempo)) == "ududu"
    assert ways(strokes(run(3, 3, 3, 3, 3, step=0.125), tempo=tempo)) == "dudud"


def test_what_the_person_says_stands_and_its_neighbours_settle() -> None:
    from dataclasses import replace

    notes = run(3, 3, 3, 3)
    notes[2] = replace(notes[2], marks=frozenset({Mark.UP_STROKE}))
    found = strokes(notes)
    assert ways(found) == "udud"
    assert [s.said for s in found.values()] == [False, False, True, False]


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(st.integers(1, 6), st.floats(0.05, 0.9), st.sampled_from([None, *Stroke])), max_size=24),
    st.sampled_from(Picking),
)
def test_every_picked_note_gets_one_and_what_is_said_is_kept(
    rows: list[tuple[int, float, Stroke | None]], school: Picking
) -> None:
    notes, at = [], 0.0
    for k, (string, gap, said) in enumerate(rows):
        marks = frozenset({MARK_OF[said]}) if said else frozenset()
        notes.append(Note(f"n{k}", at, at + gap, string, 5, marks=marks))
        at += gap
    found = strokes(notes, school)
    assert set(found) == {n.id for n in notes}
    assert all(found[f"n{k}"].stroke is said for k, (_, _, said) in enumerate(rows) if said)


@pytest.mark.parametrize("school", list(Picking))
def test_nothing_to_pick(school: Picking) -> None:
    assert strokes([], school) == {}
