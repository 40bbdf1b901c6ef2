"""What an easier version leaves out, thins and moves. What is colour is common practice, no source."""

from dataclasses import replace

import pytest

from notcher.place.elsewhere import elsewhere
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Project
from notcher.score.tuning import STANDARD
from notcher.teach.simplify import easier
from tests.conftest import note


def test_colour_is_left_out() -> None:
    notes = [
        note(1, 0.0, 2, 10, length=0.5, vibrato=Vibrato(5.5, 30)),
        note(2, 0.5, 2, 12, length=0.5, bend=Bend(BendKind.CURL, 50),
             marks=frozenset({Mark.PALM_MUTE, Mark.SLIDE_OFF})),
        note(3, 1.0, 2, 10, length=0.5, attack=Attack.RAKE, marks=frozenset({Mark.PINCH_HARMONIC})),
    ]  # fmt: skip
    found = easier(notes, STANDARD)
    assert all(n.vibrato is None and n.bend is None and n.attack is Attack.PICK for n in found.notes)
    assert found.notes[1].marks == {Mark.PALM_MUTE}
    assert [str(s) for s in found.said] == ["colour left out at 3 notes"]


def test_quick_ornaments_are_thinned() -> None:
    """Sixteenth triplets at 140 bpm are 71 ms apart: hammered and pulled ones between picked ones go."""
    run = [
        note(k, 0.071 * k, 2, 10 + k % 3, length=0.071, attack=Attack.PICK if k % 3 == 0 else Attack.HAMMER)
        for k in range(9)
    ]
    found = easier(run, STANDARD)
    assert 4 <= len(found.notes) <= 6
    assert found.notes[0].id == "n0"
    assert found.notes[-1].id == "n8"
    gaps = [b.onset - a.onset for a, b in zip(found.notes, found.notes[1:], strict=False)]
    assert max(gaps) > 0.13
    assert all(a.end >= b.onset - 0.01 for a, b in zip(found.notes, found.notes[1:], strict=False))


def test_slow_legato_stays() -> None:
    notes = [note(1, 0, 2, 10, length=0.3), note(2, 0.3, 2, 12, attack=Attack.HAMMER), note(3, 0.6, 2, 10)]
    assert easier(notes, STANDARD).said == ()
    assert easier(notes, STANDARD).notes == tuple(notes)


def test_a_wide_bend_is_the_note_it_reaches() -> None:
    found = easier([note(1, 0, 1, 17, bend=Bend(BendKind.BEND, 300)), note(2, 1, 1, 17)], STANDARD)
    assert (found.notes[0].fret, found.notes[0].bend) == (20, None)
    assert [str(s) for s in found.said] == ["1 wide bend played as the note reached"]


def test_a_lone_change_of_string_goes() -> None:
    notes = [note(1, 0, 2, 12), note(2, 0.5, 1, 8), note(3, 1.0, 2, 10)]
    found = easier(notes, STANDARD)
    assert [(n.string, n.fret) for n in found.notes] == [(2, 12), (2, 13), (2, 10)]
    # Out of reach it stays.
    far = easier([replace(notes[0], fret=3), notes[1], replace(notes[2], fret=3)], STANDARD)
    assert far.notes[1].string == 1


def test_graces_and_raked_strings_go_first() -> None:
    notes = [
        note(1, 0.0, 4, 5, length=0.03, marks=frozenset({Mark.DEAD})), note(2, 0.04, 3, 7, attack=Attack.RAKE),
        note(3, 0.45, 3, 5, length=0.05, marks=frozenset({Mark.GRACE})), note(4, 0.5, 3, 7, attack=Attack.HAMMER),
    ]  # fmt: skip
    found = easier(notes, STANDARD)
    assert [n.id for n in found.notes] == ["n2", "n4"]
    assert all(n.attack is Attack.PICK for n in found.notes)


def test_the_demo_can_be_made_easier(demo: Project) -> None:
    """Nothing of it breaks a rule of the document, and easier is what it says."""
    for phrase in demo.phrases:
        notes = demo.notes_between(phrase.start, phrase.end)
        found = easier(notes, demo.tuning)
        assert 0 < len(found.notes) <= len(notes)
        assert all(n.bend is None or n.bend.target_cents <= 200 for n in found.notes) or not found.said
        assert all(phrase.start <= n.onset < phrase.end for n in found.notes)


# -- another place -------------------------------------------------------------------------------------------------


def lick() -> list[Note]:
    return [note(k + 1, 0.4 * k, s, f) for k, (s, f) in enumerate([(3, 7), (3, 9), (2, 7), (2, 10), (1, 7), (2, 10)])]


def test_another_place_sounds_the_same_and_lies_elsewhere() -> None:
    there = elsewhere(lick(), STANDARD)
    assert [n.pitch(STANDARD) for n in there] == [n.pitch(STANDARD) for n in lick()]
    other = [(a.string, a.fret) != (b.string, b.fret) for a, b in zip(there, lick(), strict=True)]
    assert sum(other) >= 3
    frets = [n.fret for n in there if n.fret]
    assert max(frets) - min(frets) <= 6


def test_what_lies_in_one_place_only_is_said() -> None:
    """Fret 24 of the first string and the open sixth are nowhere else."""
    with pytest.raises(ScoreError, match="no other place"):
        elsewhere([note(1, 0, 1, 24), note(2, 1, 6, 0)], STANDARD)


def test_a_natural_harmonic_stays_where_it_sounds() -> None:
    ring = note(7, 2.4, 4, 12, marks=frozenset({Mark.NATURAL_HARMONIC}))
    assert (elsewhere([*lick(), ring], STANDARD)[-1].string, elsewhere([*lick(), ring], STANDARD)[-1].fret) == (4, 12)
