"""The pitch of the moment, against tones whose pitch is known, and against librosa's YIN."""

import librosa
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.audio import RATE
from notcher.listen.frames.pitch_now import needed, pitch_now
from tests.conftest import tone

NEEDED = needed()


@pytest.mark.parametrize("midi", [40.0, 45.3, 52.07, 57.5, 64.0, 69.2, 76.11, 88.0])
def test_a_steady_tone_is_told_within_three_cents(midi: float) -> None:
    """The aim is 3 cents on a steady tone; equal temperament from A = 440 (ISO 16)."""
    hz = 440.0 * 2 ** ((midi - 69) / 12)
    sound = tone(hz, 0.4)
    found = [pitch_now(sound[: NEEDED + k]) for k in (2000, 5000, 9000)]
    assert found == pytest.approx([100 * midi] * 3, abs=3.0)


def test_it_is_as_near_as_a_general_library() -> None:
    rng = np.random.default_rng(4)
    ours, theirs = [], []
    for midi in rng.uniform(42, 84, 25):
        hz = 440.0 * 2 ** ((midi - 69) / 12)
        sound = tone(hz, 0.3) + rng.normal(0, 0.002, round(0.3 * RATE)).astype(np.float32)
        found = pitch_now(sound)
        assert found is not None
        ours.append(abs(found - 100 * midi))
        reference = librosa.yin(sound[-4096:], fmin=70, fmax=1500, sr=RATE, frame_length=4096, center=False)[0]
        theirs.append(abs(1200 * np.log2(reference / hz)))
    assert np.median(ours) <= max(np.median(theirs), 1.0)
    assert max(ours) < 3.0


def test_nothing_is_no_pitch() -> None:
    assert pitch_now(np.zeros(NEEDED, np.float32)) is None
    assert pitch_now(np.zeros(100, np.float32)) is None
    hiss = np.random.default_rng(1).normal(0, 0.1, NEEDED).astype(np.float32)
    assert pitch_now(hiss) is None


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10**6), st.floats(1e-4, 2.0), st.floats(20, 6000))
def test_whatever_comes_in_is_a_pitch_or_none(seed: int, loud: float, hz: float) -> None:
    rng = np.random.default_rng(seed)
    t = np.arange(NEEDED) / RATE
    sound = loud * np.sin(2 * np.pi * hz * t + rng.uniform(0, 6)) * rng.choice([0.0, 1.0]) + rng.normal(0, 0.01, NEEDED)
    found = pitch_now(sound.astype(np.float32))
    assert found is None or 0 < found < 13000
