"""Where a pinch harmonic is found: nodes divide the string that sounds into equal parts."""

import pytest

from notcher.listen.candidates.heard_note import HeardNote
from notcher.pipeline.place_heard import placed_notes
from notcher.place.harmonics import Node, likeliest_node, natural_places, pinch_nodes
from notcher.score.measured import Measured
from notcher.score.note import Attack, Mark
from notcher.score.tuning import STANDARD, Tuning


def test_nodes_of_the_open_string() -> None:
    """Partial 4 of 648 mm has nodes at quarters; the one at 162 mm lies where a 24th fret's wire is (648 / 4)."""
    assert pinch_nodes(0, 4, STANDARD, scale_mm=648) == pytest.approx([162.0])
    assert pinch_nodes(0, 5, STANDARD, scale_mm=648) == pytest.approx([129.6])


def test_a_stopped_string_is_shorter() -> None:
    """At the 12th fret half of it sounds: partial 3 of 324 mm at 108 mm, partial 4 at 81 and 162."""
    assert pinch_nodes(12, 3, STANDARD, scale_mm=648) == pytest.approx([108.0])
    assert pinch_nodes(12, 4, STANDARD, scale_mm=648) == pytest.approx([81.0, 162.0])


def test_the_capo_shortens_it_too() -> None:
    capo = Tuning(STANDARD.pitches, capo=7)
    assert pinch_nodes(5, 4, capo, scale_mm=648) == pytest.approx(pinch_nodes(12, 4, STANDARD, scale_mm=648))


def test_only_where_the_picking_hand_can_be() -> None:
    for partial in range(2, 9):
        nodes = pinch_nodes(3, partial, STANDARD, scale_mm=648)
        assert all(35 <= node <= 162.01 for node in nodes)


def test_natural_harmonics_lie_where_the_string_divides() -> None:
    """Nodes of the open strings (N. H. Fletcher and T. D. Rossing, The Physics of Musical Instruments, chapter 2): half
    the string at the 12th fret, a third at the 7th, a quarter at the 5th, a fifth near the 4th."""
    assert {(n.string, n.fret, n.sounds) for n in natural_places(64, STANDARD)} == {(5, 7, 3), (6, 5, 4)}
    assert (1, 12, 2) in {(n.string, n.fret, n.sounds) for n in natural_places(76, STANDARD)}
    assert (3, 4, 5) in {(n.string, n.fret, n.sounds) for n in natural_places(83, STANDARD)}


def test_a_pitch_that_no_open_string_has_among_its_partials_has_no_node() -> None:
    assert natural_places(61, STANDARD) == []
    assert likeliest_node(61, STANDARD, None, 0.0) is None


def test_the_finger_stays_at_a_fret_from_harmonic_to_harmonic() -> None:
    first = likeliest_node(64, STANDARD, None, 0.0)
    assert first == Node(5, 7, None)
    at_five = Node(4, 5, None)
    assert likeliest_node(64, STANDARD, at_five, 0.5) == Node(6, 5, None)
    assert likeliest_node(64, STANDARD, at_five, 60.0) == first


def heard(pitch: int, mark: Mark, partial: int | None = None) -> HeardNote:
    return HeardNote(1.0, 2.0, pitch, Attack.PICK, None, None, frozenset({mark}), 0.9, Measured(), partial=partial)


def test_a_heard_harmonic_is_written_where_it_is_touched() -> None:
    (note,) = placed_notes([heard(64, Mark.NATURAL_HARMONIC)], STANDARD)
    assert (note.string, note.fret, note.partial) == (5, 7, None)
    assert round(note.sounding_pitch(STANDARD)) == 64


def test_a_harmonic_that_no_node_of_the_tuning_sounds_is_a_fretted_note() -> None:
    (note,) = placed_notes([heard(61, Mark.NATURAL_HARMONIC)], STANDARD)
    assert Mark.NATURAL_HARMONIC not in note.marks
    assert note.pitch(STANDARD) == 61


def test_under_a_squeal_its_fretted_note_is_written() -> None:
    """The fourth partial sounds two octaves above its string."""
    (note,) = placed_notes([heard(81, Mark.PINCH_HARMONIC, 4)], STANDARD)
    assert note.pitch(STANDARD) == 57
    assert note.sounding_pitch(STANDARD) == 81


def test_a_squeal_whose_string_the_neck_has_not_stays_where_it_sounds() -> None:
    (note,) = placed_notes([heard(60, Mark.PINCH_HARMONIC, 6)], STANDARD)
    assert note.partial is None
    assert note.pitch(STANDARD) == 60
