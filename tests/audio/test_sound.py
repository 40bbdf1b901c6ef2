"""Isolation, stretching, the written tab's tone and the outline, judged by independent measures of the sound."""

import librosa
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.audio import RATE
from notcher.audio.lead import is_fake_stereo, isolate, isolate_between, rest
from notcher.audio.peaks import BLOCK, Peaks
from notcher.audio.recording import Audio
from notcher.audio.stretch import stretch
from notcher.audio.tone import cents_of, render
from notcher.score.errors import ScoreError
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.note import Attack, Bend, BendKind, Mark, Vibrato
from notcher.score.project import Project, Recording
from tests.conftest import note, tone

CENTRE = Isolation(StereoPosition.PAN)


def level(samples: np.ndarray, hz: float) -> float:
    """Strength of a frequency in dB."""
    t = np.arange(len(samples)) / RATE
    return float(20 * np.log10(np.abs(np.sum(samples * np.exp(-2j * np.pi * hz * t))) / len(samples) + 1e-9))


def panned() -> np.ndarray:
    """440 Hz in the centre, 620 Hz left, 930 Hz right, shape (2, n)."""
    t = np.arange(2 * RATE) / RATE
    centre, left, right = (0.2 * np.sin(2 * np.pi * f * t) for f in (440, 620, 930))
    return np.stack([centre + left, centre + right]).astype(np.float32)


@pytest.mark.parametrize(("choice", "kept"), [("centre", 440), ("left", 620), ("right", 930)])
def test_the_lead_is_taken_by_its_place(choice: str, kept: int) -> None:
    got = isolate(panned(), Isolation.named(choice))
    levels = {hz: level(got, hz) for hz in (440, 620, 930)}
    assert all(levels[kept] - v > 20 for hz, v in levels.items() if hz != kept)
    assert level(panned().mean(axis=0), 440) - level(isolate(panned(), CENTRE), 440) < 1.0


def test_lead_and_rest_make_the_whole() -> None:
    both = rest(panned(), CENTRE) + isolate(panned(), CENTRE)[None, :]
    assert np.allclose(both, panned(), atol=1e-5)


def test_mono_and_fake_stereo_tell_nothing_by_place() -> None:
    mono = tone(440, 1.0)
    assert is_fake_stereo(np.stack([mono, mono]))
    assert not is_fake_stereo(panned())
    assert level(isolate(np.stack([mono, mono]), Isolation.named("left")), 440) > level(mono, 440) - 0.5


def test_a_place_that_is_not_found_out_yet_is_refused() -> None:
    with pytest.raises(ScoreError, match="not found out yet"):
        isolate(panned(), Isolation())


def test_isolated_pieces_join() -> None:
    whole = isolate(panned(), CENTRE)
    pieces = np.concatenate([isolate_between(Audio(panned(), RATE, 2), a, a + 0.4, CENTRE)[0] for a in (0.4, 0.8, 1.2)])
    assert np.max(np.abs(pieces - whole[round(0.4 * RATE) : round(0.4 * RATE) + len(pieces)])) < 0.02


@pytest.mark.parametrize("speed", [0.25, 0.5, 0.77, 1.1])
def test_slowed_sound_keeps_its_pitch(speed: float) -> None:
    """Measured by the reference library's autocorrelation tracker (librosa.yin)."""
    sound = tone(440, 2.0, decay=0.2)[None, :]
    slowed = stretch(sound, speed=speed)
    assert slowed.shape == (1, round(2 * RATE / speed))
    f0 = librosa.yin(slowed[0, RATE // 4 : -RATE // 4], fmin=200, fmax=900, sr=RATE)
    assert abs(1200 * np.log2(np.median(f0) / 440)) < 5


@pytest.mark.parametrize("speed", [0.0, 0.05, 2.5])
def test_speeds_have_bounds(speed: float) -> None:
    with pytest.raises(ScoreError, match="from 10 % to 200 %"):
        stretch(tone(440, 0.2)[None, :], speed=speed)


def written(*notes: object) -> Project:
    return Project(Recording("x.wav", "0" * 64, 4.0, RATE, 1)).with_notes(list(notes))  # type: ignore[arg-type]


def heard(project: Project, at: float) -> float:
    """Pitch of the written tab around a time, as MIDI, by librosa.yin."""
    sound = render(project, at - 0.06, at + 0.06)
    f0 = librosa.yin(sound, fmin=70, fmax=1500, sr=RATE, frame_length=4096)
    return float(librosa.hz_to_midi(np.median(f0)))


def test_the_written_tab_sounds_as_written() -> None:
    """A bend of a whole step, a pre-bend released, a slide: each starts and ends at its own pitch."""
    shape = ((0.0, 0.0), (0.3, 0.0), (0.5, 200.0), (0.9, 200.0))
    p = written(
        note(1, 0.1, 3, 9, length=0.9, bend=Bend(BendKind.BEND, 200, shape)),
        note(2, 1.2, 2, 10, length=0.9, bend=Bend(BendKind.PRE_BEND_RELEASE, 150)),
        note(3, 2.3, 1, 5, length=0.4),
        note(4, 2.7, 1, 12, length=0.6, attack=Attack.SLIDE),
    )
    assert heard(p, 0.25) == pytest.approx(64, abs=0.08)
    assert heard(p, 0.85) == pytest.approx(66, abs=0.08)
    assert heard(p, 1.3) == pytest.approx(70.5, abs=0.08)
    assert heard(p, 2.05) == pytest.approx(69, abs=0.1)
    assert heard(p, 2.5) == pytest.approx(69, abs=0.08)
    assert heard(p, 3.0) == pytest.approx(76, abs=0.08)


def test_written_vibrato_has_its_rate_and_extent() -> None:
    shaken = note(1, 0.0, 2, 10, length=2.0, vibrato=Vibrato(5.0, 30.0, 0.5))
    t = np.arange(0, 2, 0.001)
    cents = cents_of(shaken, t)
    assert np.allclose(cents[t < 0.5], 0)
    steady = cents[t > 0.8]
    assert np.ptp(steady) / 2 == pytest.approx(30, abs=1)
    peaks = np.sum((steady[1:-1] > steady[:-2]) & (steady[1:-1] >= steady[2:]))
    assert peaks == pytest.approx(5.0 * 1.2, abs=1)


def test_a_piece_of_the_written_tab_is_the_piece_of_the_whole() -> None:
    p = written(note(1, 0.1, 3, 9, length=0.9), note(2, 0.9, 2, 10, length=0.9))
    whole, piece = render(p, 0.0, 2.0), render(p, 0.5, 1.0)
    assert np.allclose(piece, whole[round(0.5 * RATE) : RATE], atol=1e-6)


@settings(max_examples=30, deadline=None)
@given(st.floats(-1, 9), st.floats(0.01, 9), st.integers(1, 500), st.integers(0, 2**32 - 1))
def test_the_outline_is_that_of_the_samples(start: float, span: float, count: int, seed: int) -> None:
    samples = np.random.default_rng(seed).uniform(-1, 1, (2, 8 * RATE // 8)).astype(np.float32)
    low, high = Peaks(Audio(samples, RATE, len(samples))).between(start, start + span, count)
    assert low.shape == high.shape == (count,)
    assert np.all(low <= high)
    assert low.min() >= samples.min()
    assert high.max() <= samples.max()


def test_a_click_shows_in_the_outline_at_its_place() -> None:
    samples = np.zeros((1, 10 * RATE), np.float32)
    samples[0, 3 * RATE : 3 * RATE + 5] = 0.9
    _, high = Peaks(Audio(samples, RATE, len(samples))).between(0.0, 10.0, 1000)
    assert abs(int(np.argmax(high)) - 300) <= 1 + BLOCK * 100 // RATE
    assert np.sum(high > 0.5) <= 3


def bar_moved(mark: Mark, seconds: float) -> float:
    """Cents that a written note of one second has moved by at a time, by the written tab's own shape."""
    return float(cents_of(note(1, 0.0, 3, 9, length=1.0, marks=frozenset({mark})), np.array([seconds]))[0])


def test_what_the_bar_does() -> None:
    """Down and back, down and away, up from below (common practice, no source)."""
    assert [round(bar_moved(Mark.BAR_DIP, t)) for t in (0.2, 0.5, 0.9)] == [0, -100, 0]
    assert [round(bar_moved(Mark.BAR_DIVE, t)) for t in (0.3, 0.7, 1.0)] == [0, -350, -700]
    assert [round(bar_moved(Mark.BAR_SCOOP, t)) for t in (0.0, 0.045, 0.2)] == [-150, -75, 0]


def test_a_swell_comes_in_and_tremolo_goes_on() -> None:
    def loud(marks: frozenset[Mark], start: float, end: float) -> float:
        p = written(note(1, 0.0, 3, 9, length=1.5, marks=marks))
        return float(np.sqrt(np.mean(render(p, start, end) ** 2)))

    assert loud(frozenset({Mark.SWELL}), 0.0, 0.05) < 0.2 * loud(frozenset(), 0.0, 0.05)
    assert loud(frozenset({Mark.SWELL}), 0.5, 0.8) == pytest.approx(loud(frozenset(), 0.5, 0.8), rel=0.05)
    assert loud(frozenset({Mark.TREMOLO}), 1.2, 1.45) > 1.5 * loud(frozenset(), 1.2, 1.45)
