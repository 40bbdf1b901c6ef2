"""Tempo maps: seconds to beats and back, over a beat that is not steady."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score.errors import ScoreError
from notcher.score.tempo import TempoMap


@given(st.lists(st.floats(0.2, 2.0), min_size=2, max_size=30), st.floats(-5, 60))
def test_there_and_back(gaps: list[float], time: float) -> None:
    beats = [0.5]
    for g in gaps:
        beats.append(beats[-1] + g)
    tempo = TempoMap(tuple(beats))
    assert tempo.time_at(tempo.beat_at(time)) == pytest.approx(time, abs=1e-6)


def test_five_in_the_space_of_four_sixteenths() -> None:
    """At 100 bpm each lasts 120 ms (60 / 100 / 5; arithmetic of note values)."""
    tempo = TempoMap.steady(100, first_beat=0.0, count=8)
    times = [tempo.time_at(k / 5) for k in range(6)]
    assert [b - a for a, b in itertools.pairwise(times)] == pytest.approx([0.12] * 5)


def test_bars_and_beats_with_a_pickup() -> None:
    tempo = TempoMap(tuple(0.5 * k for k in range(12)), beats_per_bar=4, pickup=1)
    assert tempo.bar_and_beat(0.0) == (0, 4.0)
    assert tempo.bar_and_beat(0.5) == (1, 1.0)
    assert tempo.bar_and_beat(3.0) == (2, 2.0)
    assert tempo.bpm() == pytest.approx(120)


@pytest.mark.parametrize(
    ("beats", "per_bar", "message"),
    [((1.0,), 4, "two beats"), ((1.0, 1.0), 4, "follow one another"), ((0.0, 1.0), 0, "1 to 16 beats")],
)
def test_maps_that_cannot_be(beats: tuple[float, ...], per_bar: int, message: str) -> None:
    with pytest.raises(ScoreError, match=message):
        TempoMap(beats, per_bar)
