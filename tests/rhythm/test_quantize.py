"""Where onsets are written: generated bars, and rhythms whose notation is beyond doubt."""

import itertools
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks import bars
from notcher.rhythm.quantize import find_swing, quantize
from notcher.score.tempo import TempoMap

F = Fraction
STEADY = TempoMap.steady(100, first_beat=0.5, count=80)


def at(beats: list[F], tempo: TempoMap = STEADY, off: float = 0.0) -> list[F]:
    """Where notes played on these beats, each `off` seconds late, are written."""
    return [p.start for p in quantize([tempo.time_at(float(b)) + off for b in beats], tempo)]


@pytest.mark.parametrize("tuplets", [False, True])
def test_generated_bars_with_a_hand_of_15_ms(tuplets: bool) -> None:
    """At least 95 of 100 note values right, 90 with tuplets among them, at every tempo from 60 to 140."""
    shares = bars.judged(bars.EVALUATION, tuplets=tuplets, repeats=1)
    assert sum(shares.values()) / len(shares) >= (0.90 if tuplets else 0.95)
    assert min(shares.values()) >= (0.86 if tuplets else 0.93)


@pytest.mark.parametrize(
    "cell",
    [
        [F(0), F(1, 4), F(1, 2), F(3, 4)],
        [F(0), F(1, 3), F(2, 3)],
        [F(k, 6) for k in range(6)],
        [F(k, 5) for k in range(5)],
        [F(k, 7) for k in range(7)],
        [F(0), F(3, 4)],
        [F(0), F(1, 4), F(3, 4)],
        [F(0), F(2, 3), F(4, 3)],
        [F(0), F(3, 2)],
    ],
)
def test_every_division_played_exactly(cell: list[F]) -> None:
    beats = sorted({*(c + k for k in (0, 2, 4) for c in cell), F(6)})
    assert at(beats) == beats


def test_five_in_the_space_of_four_at_100_bpm_is_120_ms_a_note() -> None:
    """60 / 100 / 5 seconds (arithmetic of note values)."""
    onsets = [0.5 + 0.12 * k for k in range(6)]
    found = quantize(onsets, STEADY)
    assert [p.start for p in found] == [F(k, 5) for k in range(6)]
    assert (found[1].division, found[1].span) == (5, 1)


def test_what_is_behind_the_beat_throughout_keeps_its_values_and_says_so() -> None:
    beats = [F(k, 4) for k in range(40)]
    late = quantize([STEADY.time_at(float(b)) + 0.035 for b in beats], STEADY)
    assert [p.start for p in late] == beats
    assert np.mean([p.late for p in late]) == pytest.approx(0.035, abs=0.002)


def test_a_run_that_drags_in_and_rushes_out() -> None:
    """Good players float over the beat (common practice, no source)."""
    beats = [F(k, 4) for k in range(33)]
    drift = np.linspace(0.04, -0.04, len(beats))
    onsets = [STEADY.time_at(float(b)) + d for b, d in zip(beats, drift, strict=True)]
    assert [p.start for p in quantize(onsets, STEADY)] == beats


def test_a_grace_note_takes_no_place_of_its_own() -> None:
    beats = [F(0), F(1), F(2), F(3)]
    onsets = sorted([*(STEADY.time_at(float(b)) for b in beats), STEADY.time_at(2.0) - 0.055])
    found = quantize(onsets, STEADY)
    assert [p.grace for p in found] == [False, False, True, False, False]
    assert [p.start for p in found if not p.grace] == beats
    assert found[2].start == 2


def test_notes_of_a_chord_share_a_place() -> None:
    found = quantize([0.5, 0.51, 1.1], STEADY)
    assert [p.start for p in found] == [0, 0, 1]


def test_what_the_person_decides_stays_and_the_rest_settles_around_it() -> None:
    beats = [0.0, 0.30, 0.62, 1.0]
    onsets = [STEADY.time_at(b) for b in beats]
    as_triplet = quantize(onsets, STEADY, fixed={1: F(1, 3)})
    as_sixteenths = quantize(onsets, STEADY, fixed={1: F(1, 4)})
    assert [p.start for p in as_triplet] == [0, F(1, 3), F(2, 3), 1]
    assert [p.start for p in as_sixteenths][:2] == [0, F(1, 4)]
    assert as_sixteenths[2].division in (4, 8)


def test_swung_eighths_are_written_even() -> None:
    """Two to one: the second eighth falls on the last third of the beat (common practice, no source)."""
    beats = [b + part for b in range(10) for part in (0.0, 2 / 3)]
    onsets = [STEADY.time_at(b) for b in beats]
    swing = find_swing(onsets, STEADY)
    assert swing == pytest.approx(2 / 3, abs=0.01)
    assert [p.start for p in quantize(onsets, STEADY, swing=swing)] == [F(k, 2) for k in range(20)]
    assert find_swing([STEADY.time_at(b / 2) for b in range(20)], STEADY) == 0.5
    assert find_swing(onsets[:4], STEADY) == 0.5


def test_a_bend_in_the_tempo_is_followed() -> None:
    times = np.cumsum([0.5, *np.linspace(0.6, 0.45, 20)])
    tempo = TempoMap(tuple(float(t) for t in times))
    beats = [F(k, 2) for k in range(36)]
    assert at(beats, tempo) == beats


def test_before_the_first_beat_there_are_places_too() -> None:
    assert at([F(-1, 2), F(0), F(1)]) == [F(-1, 2), 0, 1]


def test_nothing_gives_nothing() -> None:
    assert quantize([], STEADY) == []


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(0.04, 1.2), min_size=1, max_size=25), st.floats(0.3, 1.5))
def test_places_come_in_order_and_add_up(gaps: list[float], first: float) -> None:
    onsets = list(itertools.accumulate([first, *gaps]))
    found = quantize(onsets, STEADY)
    assert len(found) == len(onsets)
    for a, b in itertools.pairwise(found):
        assert a.start < b.start or a.grace
    for p, t in zip(found, onsets, strict=True):
        assert p.group <= p.start < p.group + p.span
        assert (p.start - p.group) * p.division / p.span == int((p.start - p.group) * p.division / p.span)
        assert abs(p.late) < 0.5
        assert STEADY.time_at(float(p.start)) + p.late == pytest.approx(t, abs=1e-6)
