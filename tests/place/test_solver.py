"""Placing on the neck: always a place that sounds right, and the places a hand would take."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.place.hand import Wanted, reach
from notcher.place.solver import place, positions, replace_around
from notcher.score import edits
from notcher.score.note import Attack, Bend, BendKind
from notcher.score.project import Project, Recording
from notcher.score.tuning import NAMED, STANDARD
from tests.conftest import note


def line(*pitches: int, attack: Attack = Attack.PICK, gap: float = 0.25) -> list[Wanted]:
    return [Wanted(i * gap, (i + 1) * gap, p, attack if i else Attack.PICK, 0, False) for i, p in enumerate(pitches)]


def spots(wanted: list[Wanted]) -> list[tuple[int, int]]:
    return [(p.string, p.fret) for p in place(wanted, STANDARD)]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(40, 84), min_size=1, max_size=14), st.sampled_from(sorted(NAMED)))
def test_every_note_sounds_its_pitch(pitches: list[int], tuning: str) -> None:
    neck = NAMED[tuning]
    low, high = min(neck.pitches), max(neck.pitches) + 24
    inside = [p for p in pitches if low <= p <= high]
    found = place(line(*inside), neck)
    assert [neck.pitch(f.string, f.fret) for f in found] == inside


def test_nothing_in_nothing_out() -> None:
    assert place([], STANDARD) == []


def test_a_box_stays_under_one_hand() -> None:
    """F♯ minor pentatonic, first box at fret 2 (common practice, no source): two notes a string, no shift."""
    box = [42, 45, 47, 49, 52, 54, 57, 59, 61, 64, 66, 69]
    found = place(line(*box), STANDARD)
    assert max(p.fret for p in found) - min(p.fret for p in found) <= 4
    assert len({p.position for p in found}) == 1


@pytest.mark.parametrize("attack", [Attack.HAMMER, Attack.PULL, Attack.SLIDE])
def test_legato_and_slides_stay_on_one_string(attack: Attack) -> None:
    found = place(line(64, 66, 67, attack=attack), STANDARD)
    assert len({p.string for p in found}) == 1


def test_no_bend_on_an_open_string_and_room_for_the_third_finger() -> None:
    """A whole step is pushed by the third finger with two behind it, so the hand sits two frets lower."""
    for pitch in (64, 59, 66, 69, 71):
        bent = [Wanted(0, 1, pitch, Attack.PICK, 200, False)]
        found = place(bent, STANDARD)[0]
        assert found.fret > 0
        assert found.fret - found.position >= 1


def test_notes_struck_together_lie_on_different_strings() -> None:
    for pair in ((64, 72), (55, 64), (59, 62)):
        wanted = [Wanted(0, 1, p, Attack.PICK, 0, False) for p in pair]
        found = place(wanted, STANDARD)
        assert found[0].string != found[1].string
        assert abs(found[0].fret - found[1].fret) <= reach(min(f.fret for f in found)) or 0 in {f.fret for f in found}


def test_a_fixed_place_is_kept_and_pulls_its_neighbours() -> None:
    free = spots(line(64, 66, 67, 69))
    wanted = line(64, 66, 67, 69)
    wanted[1] = Wanted(0.25, 0.5, 66, Attack.PICK, 0, False, place=(4, 16))
    held = spots(wanted)
    assert held[1] == (4, 16)
    assert held != free
    assert all(abs(f - 16) <= 4 for _, f in held)


def test_a_place_chosen_by_hand_holds_and_its_neighbours_are_solved_again() -> None:
    pitches = [64, 66, 67, 69, 71]
    wanted = line(*pitches)
    placed = zip(wanted, place(wanted, STANDARD), strict=True)
    notes = [note(i, w.onset, p.string, p.fret, length=0.25) for i, (w, p) in enumerate(placed)]
    far = note(99, 9.0, 1, 3)
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes([*notes, far])
    chosen = edits.set_place(project, "n2", string=4, fret=17)
    solved = replace_around(chosen, {"n2"})
    assert (solved.note("n2").string, solved.note("n2").fret) == (4, 17)
    assert all(abs(solved.note(f"n{i}").fret - 17) <= 7 for i in range(5))
    assert solved.note("n99") == far, "another passage must not move"
    assert [n.pitch(STANDARD) for n in solved.notes] == [n.pitch(STANDARD) for n in project.notes]


def test_confirmed_notes_are_not_moved() -> None:
    a, b = note(1, 0.0, 3, 9, confirmed=True), note(2, 0.3, 3, 11)
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes([a, b])
    solved = replace_around(edits.set_place(project, "n2", string=1, fret=2), {"n2"})
    assert (solved.note("n1").string, solved.note("n1").fret) == (3, 9)


def test_positions_and_fingers_are_derived_from_where_notes_lie() -> None:
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(1, 0.0, 2, 8), note(2, 0.3, 2, 10, bend=Bend(BendKind.BEND, 200)), note(3, 0.6, 1, 8)]
    )
    found = positions(project)
    assert (found["n2"].string, found["n2"].fret) == (2, 10)
    assert found["n2"].finger == 3
    assert {p.position for p in found.values()} == {8}


def test_the_reach_of_a_hand_grows_up_the_neck() -> None:
    """Four frets low on the neck, five or six high up (common practice, no source)."""
    assert [reach(p) for p in (1, 7, 12)] == [4, 5, 6]
