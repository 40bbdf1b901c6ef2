"""What is one note and what are two, from contours drawn for the test; and where the passages are."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.listen.candidates.segments import Segment, segment
from notcher.listen.candidates.shape import find_vibrato, read_shape
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import Ear
from notcher.listen.frames.spectrum import HOP
from notcher.score.note import BendKind
from notcher.score.passages import passages


def trace_of(cents: np.ndarray, level: float = -20.0) -> Trace:
    n = len(cents)
    return Trace(cents, np.full(n, 0.9), np.full(n, level), np.full(n, 0.9), np.full(n, 0.9), np.full(n, 0.9))


def cut(cents: np.ndarray) -> list[Segment]:
    n = len(cents)
    _, found = segment(trace_of(cents), np.zeros(n), np.full(n, -20.0), Ear.silent(n // 2), alone=True)
    return found


def smooth(size: float, seconds: float) -> np.ndarray:
    x = np.linspace(0, 1, round(seconds / HOP))
    return size * (0.5 - 0.5 * np.cos(np.pi * x))


@pytest.mark.parametrize("size", [100, 200, 300, -100, -200])
def test_a_finger_makes_two_notes(size: float) -> None:
    cents = np.concatenate([np.full(40, 6400.0), np.full(40, 6400.0 + size)])
    found = cut(cents)
    assert [s.cause for s in found] == ["rest", "jump"]
    assert found[1].jump_cents == pytest.approx(size, abs=2)


@pytest.mark.parametrize("size", [100, 200, 300, 400])
@pytest.mark.parametrize("seconds", [0.1, 0.2])
def test_a_pushed_string_makes_one(size: float, seconds: float) -> None:
    cents = 6400.0 + np.concatenate([np.zeros(30), smooth(size, seconds), np.full(60, size)])
    assert len(cut(cents)) == 1


@pytest.mark.parametrize("frets", [3, 5, -4])
def test_a_slide_halts_at_frets(frets: int) -> None:
    way = np.repeat(100.0 * np.sign(frets) * np.arange(1, abs(frets)), 5)
    cents = 6400.0 + np.concatenate([np.zeros(50), way, np.full(50, 100.0 * frets)])
    found = cut(cents)
    assert [s.cause for s in found] == ["rest", "slide"]
    assert found[1].jump_cents == pytest.approx(100 * frets, abs=5)
    assert found[1].glide > 0.02


def test_a_gap_with_no_stroke_after_it_is_one_note() -> None:
    cents = np.full(120, 6400.0)
    cents[50:58] = np.nan
    assert len(cut(cents)) == 1


def test_a_leap_to_a_partial_and_back_is_one_note() -> None:
    cents = np.full(160, 6400.0)
    cents[70:95] += 1200.0
    trace, found = segment(trace_of(cents), np.zeros(160), np.full(160, -20.0), Ear.silent(80), alone=True)
    assert len(found) == 1
    assert np.ptp(trace.cents) < 1.0


# -- what is inside a note -----------------------------------------------------------------------------------------


@pytest.mark.parametrize("rate", [4.2, 5.5, 6.8])
@pytest.mark.parametrize("extent", [14.0, 30.0, 45.0])
def test_vibrato_that_starts_late_is_found(rate: float, extent: float) -> None:
    """Rate within 0.3 Hz and extent within a fifth, 4 to 7 Hz (common practice, no source)."""
    rng = np.random.default_rng(int(rate * 10 + extent))
    t = np.arange(160) * HOP
    since = np.clip(t - 0.25, 0, None)
    wave = 2 * extent * np.clip(since / 0.15, 0, 1) * (0.5 - 0.5 * np.cos(2 * np.pi * rate * since))
    found = find_vibrato(6400 + wave + rng.normal(0, 1.0, 160))
    assert found is not None
    assert found.rate_hz == pytest.approx(rate, abs=0.3)
    assert found.extent_cents == pytest.approx(extent, rel=0.25)


@given(st.floats(60, 400), st.floats(0.08, 0.6))
def test_a_bend_alone_is_no_vibrato(size: float, seconds: float) -> None:
    cents = 6400 + np.concatenate([np.zeros(20), smooth(size, seconds), np.full(60, size)])
    assert find_vibrato(cents) is None


def test_the_bar_is_no_bend() -> None:
    dip = np.concatenate([np.zeros(60), smooth(-100, 0.07), smooth(100, 0.07) - 100, np.zeros(60)])
    assert read_shape(6400 + dip).bend is None
    assert read_shape(6400 + dip).pitch == 64
    dive = np.concatenate([np.zeros(60), np.linspace(0, -700, 100)])
    assert read_shape(6400 + dive).bend is None
    assert read_shape(6400 + dive).pitch == 64


def test_a_string_still_pushed_keeps_its_fret() -> None:
    """Picked again while up 50 cents and pushed on to 100: a staggered bend from the same fret, which the contour never
    touches."""
    cents = 6400 + np.concatenate([np.full(20, 50.0), 50 + smooth(50, 0.15), np.full(20, 100.0)])
    bend = read_shape(cents, fretted=64).bend
    assert bend is not None
    assert (bend.kind, bend.target_cents) == (BendKind.STAGGERED, 100)


def test_passages_are_what_lies_between_long_rests() -> None:
    assert passages([(1.0, 2.0), (2.5, 4.0), (9.0, 11.0), (20.0, 20.3)]) == [(1.0, 4.0), (9.0, 11.0)]
    assert passages([]) == []


def test_what_the_bar_does_is_named() -> None:
    """Shapes of the bar by definition: a dip comes back, a dive goes down to the end, a scoop comes up at the start."""
    from notcher.score.note import Mark

    t = np.arange(0, 1.0, 0.005)
    dip = 6400 - 100 * np.exp(-(((t - 0.5) / 0.03) ** 2))
    dive = 6400 - 700 * np.clip((t - 0.4) / 0.6, 0, 1)
    assert read_shape(dip).by_the_bar is Mark.BAR_DIP
    assert read_shape(dive).by_the_bar is Mark.BAR_DIVE
    assert read_shape(np.full(200, 6400.0)).by_the_bar is None
    assert read_shape(6400 + np.interp(t, [0, 0.2, 0.4, 1], [0, 0, 200, 200])).by_the_bar is None
