"""Where a pinch harmonic is found: nodes divide the string that sounds into equal parts."""

import pytest

from notcher.place.harmonics import pinch_nodes
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
