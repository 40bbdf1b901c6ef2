"""The first guess of beats, against rhythms whose beats are known by construction."""

import mir_eval
import numpy as np
import pytest
from benchmarks.truth import DEMO_MIX
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.decode import load
from notcher.audio.recording import Audio
from notcher.beat import hear_beats as beats
from notcher.beat.hear_beats import HeardBeats, hear_beats
from notcher.beat.rises import STEP_S, rises
from notcher.score.unit import DOTTED_QUARTER, QUARTER
from notcher.stopping import CancelledError, stoppable

KICK, SNARE, HAT = 0, 1, 2
# (part of the bar in beats, drum) of a bar; beats in it.
PATTERNS = {
    "four": ([(0, KICK), (1, SNARE), (2, KICK), (3, SNARE), *((k / 2, HAT) for k in range(8))], 4),
    "three": ([(0, KICK), (1, SNARE), (2, SNARE), *((k / 2, HAT) for k in range(6))], 3),
    "six": ([(0, KICK), (1, SNARE), *((k / 3, HAT) for k in range(6))], 2),
    "twelve": ([(0, KICK), (1, SNARE), (2, KICK), (3, SNARE), *((k / 3, HAT) for k in range(12))], 4),
}


def drummed(name: str, times: NDArray[np.float64], *, seed: int = 4) -> Audio:
    """A pattern on some beats (seconds), chords that change with each bar, and a lead that is late by up to 30 ms."""
    hits, size = PATTERNS[name]
    rng = np.random.default_rng(seed)
    out = np.zeros(round((times[-1] + 1.5) * RATE))
    t = np.arange(round(0.15 * RATE)) / RATE
    drums = (
        0.9 * np.sin(2 * np.pi * 58 * t) * np.exp(-t * 24),
        (0.3 * rng.normal(0, 1, len(t)) + 0.4 * np.sin(2 * np.pi * 190 * t)) * np.exp(-t * 30),
        0.12 * rng.normal(0, 1, len(t)) * np.exp(-t * 90),
    )

    def at(beat: float) -> float:
        k = min(int(beat), len(times) - 2)
        return float(times[k] + (beat - k) * (times[k + 1] - times[k]))

    def put(sound: NDArray[np.float64], time: float) -> None:
        first = round(time * RATE)
        out[first : first + len(sound)] += sound[: max(0, len(out) - first)]

    for bar in range(len(times) // size):
        for beat, drum in hits:
            put(drums[drum], at(bar * size + beat))
        long = np.arange(round(1.6 * RATE)) / RATE
        root = 110.0 * 2 ** ((0, 5, 7, 3)[bar % 4] / 12)
        tone = sum(np.sin(2 * np.pi * root * r * long) for r in (1.0, 1.25, 1.5))
        put(0.1 * tone * np.exp(-long * 1.2) * np.minimum(1, long / 0.004), at(bar * size))
    parts = (0, 1 / 3, 2 / 3) if name in ("six", "twelve") else (0, 0.5)
    for beat in range(len(times) - 2):
        hertz = 440.0 * 2 ** (rng.integers(0, 12) / 12)
        long = np.arange(round(0.4 * RATE)) / RATE
        late = rng.uniform(0, 0.03)
        put(0.08 * np.sin(2 * np.pi * hertz * long) * np.exp(-long * 5), at(beat + rng.choice(parts)) + late)
    out += rng.normal(0, 1e-3, len(out))
    return Audio((0.5 * out / np.abs(out).max()).astype(np.float32)[None, :], RATE, 1)


def steady(bpm: float, count: int, first: float = 0.4) -> NDArray[np.float64]:
    return first + np.arange(count) * 60 / bpm


def errors_ms(found: HeardBeats, truth: NDArray[np.float64]) -> NDArray[np.float64]:
    """Of the found beats inside, each against the nearest true one."""
    inside = np.array([t for t in found.tempo.beats if truth[0] - 0.1 < t < truth[-1] + 0.1])
    assert mir_eval.beat.f_measure(truth, inside) > 0.95, "Dixon 2007: within 70 ms"
    return 1000 * np.array([t - truth[np.argmin(np.abs(truth - t))] for t in inside])


@pytest.mark.parametrize(
    ("name", "bpm", "size", "unit"),
    [
        ("four", 84.3, 4, QUARTER), ("four", 117.0, 4, QUARTER), ("three", 126.0, 3, QUARTER),
        ("six", 62.0, 2, DOTTED_QUARTER),
    ],
)  # fmt: skip
def test_a_steady_band(name: str, bpm: float, size: int, unit: object) -> None:
    """Where the drums are, as steady as they are, counted as they are; what else it may be is said with its chance."""
    truth = steady(bpm, 12 * size)
    found = hear_beats(drummed(name, truth))
    assert found is not None
    off = errors_ms(found, truth)
    assert abs(np.median(off)) < 5
    assert np.ptp(off) < 5, "it does not wander"
    named = {(found.metre.beats, found.metre.unit)}
    if found.other is not None:
        named.add((found.other.beats, found.other.unit))
        assert found.doubt() is not None
    assert (size, unit) in named
    if (found.metre.beats, found.metre.unit) == (size, unit):
        bar = found.tempo.time_at(found.tempo.first_beat_of(3))
        assert np.min(np.abs(truth[::size] - bar)) < 0.02


def test_what_may_be_twelve_eighths_is_said_so() -> None:
    """All eighths alike: what is struck together every three of them may be missed, and then it is the doubt."""
    found = hear_beats(drummed("twelve", steady(66.0, 48)))
    assert found is not None
    named = [m for m in (found.metre, found.other) if m is not None]
    assert any(m.unit is DOTTED_QUARTER and m.bpm == pytest.approx(66, rel=0.02) for m in named)
    if found.metre.unit is not DOTTED_QUARTER:
        assert "12/8" in str(found.doubt())
        assert found.other_tempo is not None
        assert found.other_tempo.bpm() == pytest.approx(66, rel=0.02)


def test_a_tempo_that_drifts_is_followed() -> None:
    rates = 96 * (1 + 0.04 * np.sin(np.arange(64) / 9))
    truth = np.array([0.5, *(0.5 + np.cumsum(60 / rates))])
    found = hear_beats(drummed("four", truth))
    assert found is not None
    assert np.median(np.abs(errors_ms(found, truth))) < 5


def test_the_demo_has_ninety_two_beats_a_minute() -> None:
    """Its beats lie at 0.35 + 60 k / 92 s (demo/render.py): bar 1 begins with the count-in."""
    found = hear_beats(load(DEMO_MIX))
    assert found is not None
    truth = steady(92, 88, first=0.35)
    assert np.max(np.abs(errors_ms(found, truth))) < 5
    assert (found.metre.beats, found.metre.unit) == (4, QUARTER)
    assert found.tempo.time_at(found.tempo.first_beat_of(1)) == pytest.approx(0.35, abs=0.005)


def test_with_no_beat_it_says_none() -> None:
    t = np.arange(12 * RATE) / RATE
    drone = (0.1 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)
    assert hear_beats(Audio(drone[None, :], RATE, 1)) is None
    assert hear_beats(Audio(drone[None, : 2 * RATE], RATE, 1)) is None
    assert hear_beats(Audio(np.zeros((1, 9 * RATE), np.float32), RATE, 1)) is None
    hiss = np.random.default_rng(2).normal(0, 0.1, (1, 12 * RATE)).astype(np.float32)
    assert hear_beats(Audio(hiss, RATE, 1)) is None


def test_it_stops_when_asked() -> None:
    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: True):
        beats.hear_beats(drummed("four", steady(100, 16)))


@pytest.mark.parametrize("hertz", [62.0, 220.0, 2000.0])
def test_a_rise_is_dated_where_it_begins(hertz: float) -> None:
    """Within 5 ms, for low and high sounds."""
    t = np.arange(3 * RATE) / RATE
    since = np.clip(t - 1.5, 0, None)
    sound = np.where(t >= 1.5, 0.5 * np.sin(2 * np.pi * hertz * since) * np.exp(-since * 6), 0.0)
    sound = sound + np.random.default_rng(1).normal(0, 1e-4, len(t))
    heard = rises(Audio(sound.astype(np.float32)[None, :], RATE, 1))
    found = (int(np.argmax(heard.bands.sum(axis=0))) + 0.5) * STEP_S
    assert found == pytest.approx(1.5, abs=0.005)
