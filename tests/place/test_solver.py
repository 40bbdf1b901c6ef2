"""Placing on the neck: always a place that sounds right, and the places a hand would take."""

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.fit_places import Example
from benchmarks.old_search import old_search
from benchmarks.passages import passages
from benchmarks.places import agreement, ours
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.place.columns import column
from notcher.place.fingers import finger
from notcher.place.offers import offers
from notcher.place.solver import around, fingering, in_full, place, settle
from notcher.place.wanted import Wanted
from notcher.place.weights import SIZE, fitted, start
from notcher.score import edits
from notcher.score.note import Attack, Bend, BendKind, Mark, Note
from notcher.score.playing import Hand
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


@pytest.mark.parametrize("attack", [Attack.HAMMER, Attack.SLIDE])
@pytest.mark.parametrize(
    ("held", "from_", "to"), [(67, 62, 64), (72, 64, 66), (69, 60, 62), (59, 67, 69), (62, 67, 69)]
)
def test_what_is_hammered_out_of_a_double_stop_leaves_the_note_on_its_string(
    attack: Attack, held: int, from_: int, to: int
) -> None:
    """One string is held and rings while the finger goes from one fret to another beside it."""
    wanted = [
        Wanted(0.0, 1.0, held, Attack.PICK, 0, False), Wanted(0.0, 0.5, from_, Attack.PICK, 0, False),
        Wanted(0.5, 1.0, to, attack, 0, False),
    ]  # fmt: skip
    still, moved, reached = spots(wanted)
    assert reached[0] == moved[0] != still[0]


def test_what_still_rings_is_not_what_was_hammered_from() -> None:
    """A low string that rings on under a hammer of another string: the hammer leaves the note before that one."""
    wanted = [
        Wanted(0.0, 0.5, 64, Attack.PICK, 0, False), Wanted(0.25, 1.5, 45, Attack.PICK, 0, False),
        Wanted(0.5, 1.0, 66, Attack.HAMMER, 0, False),
    ]  # fmt: skip
    first, low, hammered = spots(wanted)
    assert hammered[0] == first[0] != low[0]


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
        assert abs(found[0].fret - found[1].fret) <= 5 or 0 in {f.fret for f in found}


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
    before = note(98, -0.0, 1, 3, length=0.2)
    later = [replace(n, onset=n.onset + 5, end=n.end + 5, id=f"l{n.id}") for n in notes]
    shifted = [replace(n, onset=n.onset + 2, end=n.end + 2) for n in notes]
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes([before, *shifted, *later])
    solved = settle(edits.set_place(project, "n2", string=4, fret=17), frozenset({"n2"}))
    assert (solved.note("n2").string, solved.note("n2").fret) == (4, 17)
    assert all(abs(solved.note(f"n{i}").fret - 17) <= 7 for i in range(5))
    assert solved.note("n98") == before, "what comes before must not move"
    assert (solved.note("ln2").string, solved.note("ln2").fret) == (4, 17), "the solo remembers"
    assert [n.pitch(STANDARD) for n in solved.notes] == [n.pitch(STANDARD) for n in project.notes]


def test_confirmed_notes_are_not_moved() -> None:
    a, b = note(1, 0.0, 3, 9, confirmed=True), note(2, 0.3, 3, 11)
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes([a, b])
    solved = settle(edits.set_place(project, "n2", string=1, fret=2), frozenset({"n2"}))
    assert (solved.note("n1").string, solved.note("n1").fret) == (3, 9)


def test_positions_and_fingers_are_derived_from_where_notes_lie() -> None:
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(1, 0.0, 2, 8), note(2, 0.3, 2, 10, bend=Bend(BendKind.BEND, 200)), note(3, 0.6, 1, 8)]
    )
    found = fingering(project)
    assert found["n2"].finger == 3
    assert {p.position for p in found.values()} == {8}
    said = edits.set_finger(project, {"n2"}, finger=4)
    assert fingering(said)["n2"].finger == 4


def test_the_reach_of_a_hand_grows_up_the_neck() -> None:
    """Four frets and a stretch low on the neck, one more high up (common practice, no source)."""
    for fret, least in ((8, 4), (16, 11)):
        found = column([Wanted(0, 1, 64 + fret, place=(1, fret))], STANDARD)
        assert sorted(found.position.tolist())[0] == least


def test_an_open_string_beside_a_high_fret_is_taken_only_where_nothing_else_is_possible() -> None:
    """The third B4 and G4 over one another: on frets 8 and 7 or 12 and 12, not with an open string."""
    pair = [Wanted(0, 1, 71), Wanted(0, 1, 67)]
    assert 0 not in {p.fret for p in place(pair, STANDARD)}
    only = [Wanted(0, 1, 88), Wanted(0, 1, 40)]
    assert [p.fret for p in place(only, STANDARD)] == [24, 0]


def test_strings_struck_together_are_under_one_hand() -> None:
    chord = [Wanted(0, 1, p) for p in (64, 60, 55, 52)]
    found = place(chord, STANDARD)
    assert len({p.string for p in found}) == 4
    assert len({p.position for p in found}) == 1


def test_what_no_hand_can_hold_lies_somewhere_all_the_same() -> None:
    pitches = (88, 87, 86, 41, 40)
    found = place([Wanted(0, 1, p) for p in pitches], STANDARD)
    assert [STANDARD.pitch(p.string, p.fret) for p in found] == list(pitches)
    same = place([Wanted(0, 1, 40), Wanted(0, 1, 41)], STANDARD)
    assert {p.string for p in same} == {6}


def test_the_pull_off_after_a_tap_stays_on_its_string() -> None:
    wanted = line(81, 74, 77)
    wanted = [replace(w, attack=a) for w, a in zip(wanted, (Attack.TAP, Attack.PULL, Attack.HAMMER), strict=True)]
    assert len({p.string for p in place(wanted, STANDARD)}) == 1


def test_three_thousand_notes_are_placed() -> None:
    wanted = [Wanted(0.2 * k, 0.2 * k + 0.18, 60 + (k * 7) % 19, phrase=k // 12) for k in range(3000)]
    found = place(wanted, STANDARD)
    assert all(STANDARD.pitch(p.string, p.fret) == w.pitch for p, w in zip(found, wanted, strict=True))


def test_three_places_of_a_phrase_are_clearly_others() -> None:
    wanted = line(69, 72, 74, 76, 74, 72, 69)
    found = offers(wanted, STANDARD, range(len(wanted)), most=3)
    assert len(found) == 3
    assert [o.score for o in found] == sorted((o.score for o in found), reverse=True)
    for i, a in enumerate(found):
        assert [STANDARD.pitch(*p) for p in a.places] == [w.pitch for w in wanted]
        assert max(a.positions) - min(a.positions) <= 7, "the hand stays within the phrase's reach"
        for b in found[:i]:
            assert sum(p != q for p, q in zip(a.places, b.places, strict=True)) >= len(wanted) / 2


def test_the_first_note_settles_the_region() -> None:
    free = place(line(69, 72, 74, 76, 79, 76), STANDARD)
    for first in ((3, 14), (4, 19), (2, 10)):
        wanted = line(69, 72, 74, 76, 79, 76)
        wanted[0] = replace(wanted[0], place=first, confirmed=True)
        found = place(wanted, STANDARD)
        assert (found[0].string, found[0].fret) == first
        assert abs(found[1].position - found[0].position) <= 3
    assert len(free) == 6


def test_fitting_moves_weights_only_a_little_and_the_gradient_is_right() -> None:
    """Against central differences."""
    example = Example(passages()[5])
    rng = np.random.default_rng(1)
    w = start() + rng.normal(size=SIZE) * 0.1
    _, slope = example.likelihood(w)
    for i in rng.integers(1, SIZE, 8):
        step = np.zeros(SIZE)
        step[i] = 1e-5
        numeric = (example.likelihood(w + step)[0] - example.likelihood(w - step)[0]) / 2e-5
        assert slope[i] == pytest.approx(numeric, abs=1e-4)
    assert float(np.max(np.abs(fitted() - start()))) < 0.5


def test_the_passages_are_what_they_are_said_to_be() -> None:
    every = passages()
    assert len(every) >= 25
    assert not {p.name for p in passages(fitted=True)} & {p.name for p in passages(fitted=False)}
    for passage in every:
        assert Example(passage).usable, passage.name
        for (string, fret), finger_ in zip(passage.places(), passage.fingers(), strict=True):
            assert 1 <= string <= 6, passage.name
            assert (finger_ == 0) == (fret == 0) or passage.kind == "tap", passage.name


@pytest.mark.parametrize("hand", list(Hand))
def test_fingers_agree_with_those_set_by_hand(hand: Hand) -> None:
    right = count = 0
    for passage in passages(fitted=False):
        found = finger(passage.wanted(), passage.places(), hand)
        right += sum((f.finger or 0) == t for f, t in zip(found, passage.fingers(), strict=True))
        count += len(found)
    assert right / count > 0.7


def test_agreement_is_better_than_that_of_the_search_before() -> None:
    judged = passages(fitted=False)
    ours_, before = agreement(judged, ours()), agreement(judged, old_search)
    assert ours_.untouched > before.untouched + 0.04
    assert ours_.corrections < before.corrections


def test_a_finger_that_is_said_settles_its_neighbours() -> None:
    """Frets 7, 9, 11, 9 of one string; with the first finger said at 9, the hand is there and the third takes 11."""
    notes = tuple(note(k + 1, 1.0 + 0.5 * k, 3, fret, length=0.5) for k, fret in enumerate((7, 9, 11, 9)))
    project = Project(Recording("", "0" * 64, 8.0, 44100, 1), notes=notes)
    before = fingering(project)
    after = fingering(project.with_notes([replace(n, finger=1) if n.id == "n2" else n for n in notes]))
    other = fingering(project.with_notes([replace(n, finger=4) if n.id == "n2" else n for n in notes]))
    assert (after["n2"].finger, after["n2"].position) == (1, 9)
    assert after["n3"].finger in (3, 4)
    assert (other["n2"].finger, other["n2"].position) == (4, 6)
    assert len({tuple(f[k] for k in ("n1", "n3", "n4")) for f in (before, after, other)}) > 1


# -- the hand ----------------------------------------------------------------------------------------------------------


def test_a_person_says_the_thumb() -> None:
    """Any string; the fingers around settle. Nobody is told to use it for single notes."""
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(1, 0.0, 6, 3), note(2, 0.3, 4, 5), note(3, 0.6, 3, 4)]
    )
    assert 0 not in {f.finger for f in fingering(project).values()}
    said = edits.set_finger(project, {"n1"}, finger=0)
    assert fingering(said)["n1"].finger == 0


def test_an_open_string_and_a_tap_have_no_finger() -> None:
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(1, 0.0, 3, 5), note(2, 0.3, 3, 17, attack=Attack.TAP), note(3, 0.6, 3, 0)]
    )
    found = fingering(project)
    assert [found[f"n{k}"].finger for k in (2, 3)] == [None, None]
    assert found["n1"].finger is not None


def test_the_hand_stays_while_a_finger_hammers() -> None:
    """A finger is put down or lifted without a shift between (common practice, no source)."""
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(k, 0.2 * k, 3, fret, length=0.2, attack=Attack.HAMMER if k % 2 else Attack.PICK)
         for k, fret in enumerate((5, 7, 5, 8, 9, 11))]
    )  # fmt: skip
    found = [f for _, f in sorted(fingering(project).items())]
    assert all(a.position == b.position for a, b in zip(found[::2], found[1::2], strict=True))


def test_a_shape_is_held_while_it_is_picked() -> None:
    """A broken chord that rings on: every fret has a finger of its own, and the hand does not move."""
    shape = [(5, 7), (4, 9), (3, 9), (2, 8), (3, 9), (4, 9)]
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [note(k, 0.25 * k, s, f, length=1.4) for k, (s, f) in enumerate(shape)]
    )
    found = fingering(project)
    assert len({f.position for f in found.values()}) == 1
    by_finger: dict[int | None, set[int]] = {}
    for k, (_, fret) in enumerate(shape):
        by_finger.setdefault(found[f"n{k}"].finger, set()).add(fret)
    assert all(len(frets) == 1 for frets in by_finger.values())


def test_in_full_writes_what_is_proposed_and_keeps_what_is_said() -> None:
    project = Project(Recording("x.wav", "0" * 64, 12.0, 44100, 1)).with_notes(
        [
            note(1, 0.0, 3, 5), note(2, 0.3, 3, 7, attack=Attack.HAMMER), note(3, 0.6, 2, 0),
            note(4, 0.9, 2, 5, marks=frozenset({Mark.UP_STROKE})),
        ]
    )  # fmt: skip
    project = edits.set_finger(project, {"n1"}, finger=2)
    full = in_full(project)
    assert full.note("n1").finger == 2
    assert full.note("n2").finger is not None
    assert full.note("n3").finger is None
    strokes = frozenset({Mark.UP_STROKE, Mark.DOWN_STROKE})
    assert [bool(n.marks & strokes) for n in full.notes] == [True, False, True, True]
    assert full.note("n4").marks == {Mark.UP_STROKE}
    assert in_full(full) == full


def test_what_lies_around_a_phrase_is_enough_for_its_hands() -> None:
    passage = next(p for p in passages() if len(p.places()) > 12)
    notes = [
        Note(f"n{k}", w.onset, w.end, s, f, w.attack)
        for k, (w, (s, f)) in enumerate(zip(passage.wanted(), passage.places(), strict=True))
    ]
    project = Project(Recording("x.wav", "0" * 64, 60.0, 44100, 1)).with_notes(notes)
    part = notes[4:9]
    whole, near = fingering(project), fingering(around(project, part))
    assert [whole[n.id] for n in part] == [near[n.id] for n in part]
    assert around(project, []).notes == ()
