"""What a person says of beats and bars: the map stays a map, and does what was said."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.score import beats
from notcher.score.errors import ScoreError
from notcher.score.tempo import TempoMap

STEADY = TempoMap.steady(120, first_beat=1.0, count=33)


@st.composite
def maps(draw: st.DrawFn) -> TempoMap:
    """Maps with uneven beats, a pick-up and changes of metre."""
    gaps = draw(st.lists(st.floats(0.25, 1.2), min_size=16, max_size=40))
    times = tuple(itertools.accumulate(gaps, initial=draw(st.floats(0.0, 3.0))))
    bars = sorted(draw(st.sets(st.integers(2, 8), max_size=3)))
    changes = tuple((bar, draw(st.integers(1, 7))) for bar in bars)
    return TempoMap(times, draw(st.integers(2, 6)), draw(st.integers(0, 4)), changes)


@given(maps(), st.integers(-3, 40))
def test_a_beat_lies_in_the_bar_that_says_so(tempo: TempoMap, beat: int) -> None:
    bar = tempo.bar_of(beat)
    assert tempo.first_beat_of(bar) <= beat < tempo.first_beat_of(bar + 1)
    assert tempo.first_beat_of(bar + 1) - tempo.first_beat_of(bar) == tempo.beats_in(bar)


@given(maps(), st.floats(0.0, 1.0), st.floats(-0.3, 0.3))
def test_moving_a_bar_line_keeps_the_beats_in_order(tempo: TempoMap, where: float, by: float) -> None:
    bar = max(2, round(where * tempo.last_bar()))
    if not 0 < tempo.first_beat_of(bar) < len(tempo.beats) - 1:
        return
    goal = tempo.beats[tempo.first_beat_of(bar)] + by
    try:
        moved = beats.move_bar_line(tempo, bar, goal)
    except ScoreError:
        return
    assert moved.beats[moved.first_beat_of(bar)] == pytest.approx(goal)
    before, after = tempo.first_beat_of(bar - 1), tempo.first_beat_of(bar + 1)
    assert moved.beats[: max(0, before) + 1] == tempo.beats[: max(0, before) + 1]
    assert moved.beats[after:] == tempo.beats[after:]


def test_nothing_is_counted_faster_than_it_can_be() -> None:
    tempo = TempoMap.steady(92.0, first_beat=0.0, count=90)
    with pytest.raises(ScoreError, match="736 beats a minute"):
        beats.twice_as_fast(beats.twice_as_fast(beats.twice_as_fast(tempo)))


@given(maps())
def test_twice_as_fast_and_half_again_is_the_same(tempo: TempoMap) -> None:
    plain = TempoMap(tempo.beats, tempo.beats_per_bar, tempo.pickup)
    assert beats.half_as_fast(beats.twice_as_fast(plain)) == plain


def test_bar_one_is_where_it_is_said() -> None:
    said = beats.say_bar_one(STEADY, 2.55)
    assert said.bar_and_beat(2.5) == (1, 1.0)
    assert said.bar_and_beat(2.0) == (0, 4.0)


def test_a_change_of_metre_stays_at_its_time_when_bar_one_moves() -> None:
    """A stray 2/4 bar among 4/4 (common practice, no source)."""
    stray = beats.say_bar_length(STEADY, 3, 2)
    assert [stray.beats_in(b) for b in (1, 2, 3, 4)] == [4, 4, 2, 4]
    at = stray.time_at(stray.first_beat_of(3))
    moved = beats.say_bar_one(stray, stray.beats[4])
    assert moved.time_at(moved.first_beat_of(2)) == pytest.approx(at)
    assert [moved.beats_in(b) for b in (1, 2, 3)] == [4, 2, 4]


def test_one_long_bar_or_all_that_follow() -> None:
    assert [beats.say_bar_length(STEADY, 2, 6).beats_in(b) for b in (1, 2, 3, 4)] == [4, 6, 4, 4]
    assert [beats.say_bar_length(STEADY, 2, 3, onwards=True).beats_in(b) for b in (1, 2, 3, 4)] == [4, 3, 3, 3]
    whole = beats.say_bar_length(STEADY, 1, 3, onwards=True)
    assert (whole.beats_per_bar, whole.changes) == (3, ())
    back = beats.say_bar_length(beats.say_bar_length(STEADY, 2, 6), 2, 4)
    assert back.changes == ()


def test_a_bar_before_the_first_has_no_length_of_its_own() -> None:
    with pytest.raises(ScoreError, match="bar 1 on"):
        beats.say_bar_length(STEADY, 0, 3)


def test_a_beat_stays_between_its_neighbours() -> None:
    moved = beats.move_beat(STEADY, 4, 99.0)
    assert STEADY.beats[4] < moved.beats[4] < STEADY.beats[5]
    with pytest.raises(ScoreError, match="none numbered"):
        beats.move_beat(STEADY, 99, 1.0)


def test_taps_make_a_map_that_fills_the_recording() -> None:
    tempo = beats.tapped(None, [10.0, 10.6, 11.2, 11.8], duration=20.0)
    assert tempo.beats[0] < 0.6
    assert tempo.beats[-1] > 19.4
    assert all(b - a == pytest.approx(0.6) for a, b in itertools.pairwise(tempo.beats))


def test_taps_replace_the_beats_they_were_tapped_over() -> None:
    """Tapped slower than the map: fewer beats there, the rest as it was."""
    taps = [5.0, 5.62, 6.24, 6.86, 7.48]
    tempo = beats.tapped(STEADY, taps, duration=20.0)
    assert all(t in tempo.beats for t in taps)
    assert tempo.beats[:8] == STEADY.beats[:8]
    assert tempo.beats[-5:] == STEADY.beats[-5:]


def test_a_double_stroke_is_one_tap_and_three_are_too_few() -> None:
    with pytest.raises(ScoreError, match="at least four"):
        beats.tapped(STEADY, [5.0, 5.05, 5.6, 6.2], duration=20.0)


def test_half_of_three_beats_is_no_tempo() -> None:
    with pytest.raises(ScoreError, match="too few"):
        beats.half_as_fast(TempoMap((0.0, 1.0, 2.0)))


def test_tempo_at_a_place_follows_the_rubato() -> None:
    slowing = TempoMap(tuple(itertools.accumulate([0.5] * 8 + [1.0] * 8, initial=0.0)))
    assert slowing.bpm_at(1.6) == pytest.approx(120)
    assert slowing.bpm_at(9.0) == pytest.approx(60)


@pytest.mark.parametrize("changes", [((0, 3),), ((3, 3), (2, 4)), ((2, 3), (2, 4)), ((2, 17),)])
def test_changes_that_cannot_be(changes: tuple[tuple[int, int], ...]) -> None:
    with pytest.raises(ScoreError, match="changes of metre|1 to 16"):
        TempoMap(STEADY.beats, 4, 0, changes)
