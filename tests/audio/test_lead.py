"""Where sound sits and what is taken out, for sources whose place is known by construction."""

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.lead import (
    banded,
    is_phase_inverted,
    isolate,
    isolate_between,
    mixed_down,
    pan_profile,
    rest,
    views,
)
from notcher.audio.recording import Audio
from notcher.audio.survey import survey
from notcher.score.isolation import Isolation, StereoPosition
from tests.conftest import tone


def at(pan: float, sound: np.ndarray) -> np.ndarray:
    """Equal-power panning: left and right are (cos a, sin a) times the sound."""
    a = (pan + 1) * np.pi / 4
    return np.stack([np.cos(a) * sound, np.sin(a) * sound]).astype(np.float32)


def level(samples: np.ndarray, hz: float) -> float:
    t = np.arange(samples.shape[-1]) / RATE
    return float(20 * np.log10(np.abs(np.sum(samples * np.exp(-2j * np.pi * hz * t))) / samples.shape[-1] + 1e-9))


def sine(hz: float, seconds: float = 2.0) -> np.ndarray:
    return (0.2 * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)).astype(np.float32)


@pytest.mark.parametrize("pan", [-0.8, -0.47, 0.0, 0.3, 0.9])
def test_the_place_of_one_source_is_found(pan: float) -> None:
    places, share, unclear = pan_profile(at(pan, tone(440, 2.0, decay=0.2)))
    assert places[np.argmax(share)] == pytest.approx(pan, abs=0.06)
    assert unclear < 0.1


def test_two_sources_show_as_two_places() -> None:
    both = at(-0.6, tone(330, 2.0, decay=0.2)) + at(0.6, tone(495, 2.0, decay=0.2))
    places, share, _ = pan_profile(both)
    near = {round(float(p), 1) for p, s in zip(places, share, strict=True) if s > 0.5 * share.max()}
    assert near & {-0.6, -0.5, -0.7}
    assert near & {0.6, 0.5, 0.7}


@pytest.mark.parametrize("pan", [-0.5, 0.0, 0.5])
def test_what_sits_elsewhere_is_taken_away(pan: float) -> None:
    sound = at(pan, sine(440)) + at(-0.9 if pan >= 0 else 0.9, sine(700))
    kept = isolate(sound, Isolation(StereoPosition.PAN, pan=pan))
    assert level(kept, 440) - level(kept, 700) > 20
    gone = rest(sound, Isolation(StereoPosition.PAN, pan=pan)).sum(axis=0)
    assert level(gone, 700) - level(gone, 440) > 15


def test_half_as_hard_takes_half_away() -> None:
    sound = at(0.0, sine(440)) + at(0.9, sine(700))
    hard, soft, none = (level(isolate(sound, Isolation(StereoPosition.PAN, strength=s)), 700) for s in (1.0, 0.5, 0.0))
    assert none - soft == pytest.approx(6.0, abs=1.0)
    assert soft - hard > 10


def test_a_wider_place_keeps_more() -> None:
    sound = at(0.0, sine(440)) + at(0.4, sine(700))
    narrow, wide = (level(isolate(sound, Isolation(StereoPosition.PAN, width=w)), 700) for w in (0.2, 0.9))
    assert wide - narrow > 15


def test_the_band_is_a_fourth_order_butterworth() -> None:
    """3 dB down at its ends, 24 dB an octave beyond them (Butterworth's response, any filter handbook)."""
    sound = np.sum([sine(hz) for hz in (75.0, 150.0, 1000.0)], axis=0, keepdims=True)
    kept = isolate(sound, Isolation(StereoPosition.MIX, low_hz=150.0))
    loss = {hz: level(sound[0], hz) - level(kept, hz) for hz in (75.0, 150.0, 1000.0)}
    assert loss[1000.0] == pytest.approx(0.0, abs=0.2)
    assert loss[150.0] == pytest.approx(3.0, abs=0.5)
    assert loss[75.0] == pytest.approx(24.1, abs=2.0)
    assert np.allclose(banded(sound, Isolation(StereoPosition.MIX, low_hz=150.0)), kept, atol=1e-5)


def test_a_lead_played_twice_is_kept_and_the_middle_is_not() -> None:
    rng = np.random.default_rng(1)
    left, right = (tone(440 * (1 + d), 2.0, decay=0.2) * (1 + 0.05 * rng.normal()) for d in (-0.002, 0.002))
    sound = at(-0.6, left) + at(0.6, np.roll(right, 200)) + at(0.0, sine(700)) + at(1.0, sine(1150))
    kept = isolate(sound, Isolation(StereoPosition.SIDES))
    mixed = sound.mean(axis=0)
    assert level(mixed, 440) - level(kept, 440) < level(mixed, 700) - level(kept, 700) - 8
    assert level(mixed, 1150) - level(kept, 1150) > 10
    assert len(views(sound, Isolation(StereoPosition.SIDES))) == 2


def test_opposite_channels_are_one() -> None:
    sound = np.stack([sine(440), -sine(440)])
    assert is_phase_inverted(sound)
    assert not is_phase_inverted(at(0.3, sine(440)))
    assert np.array_equal(mixed_down(sound), sound[0])
    assert level(isolate(sound, Isolation(StereoPosition.MIX)), 440) == pytest.approx(level(sine(440), 440), abs=0.5)


def test_a_bass_is_noticed() -> None:
    lead = tone(440, 2.0)
    assert not survey(Audio(lead[None, :], RATE, 1)).bass
    assert survey(Audio((lead + 2 * sine(60))[None, :], RATE, 1)).bass


def test_pieces_are_as_long_as_asked_for_even_beyond_the_end() -> None:
    audio = Audio(at(0.0, sine(440, 1.0)), RATE, 2)
    for remove, channels in ((False, 1), (True, 2)):
        piece = isolate_between(audio, 0.8, 1.4, Isolation(StereoPosition.PAN), remove=remove)
        assert piece.shape == (channels, round(0.6 * RATE))
    assert isolate_between(audio, 5.0, 5.5, Isolation(StereoPosition.PAN)).shape == (1, round(0.5 * RATE))
