"""The variable-Q transform against librosa's, and what it promises besides."""

import librosa
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from notcher.harmony.variable_q import Bins, variable_q

OURS = Bins(27.5, 234, 36, 12.0)
RATE, HOP = 22050, 1024


def sound(seconds: float, seed: int) -> np.ndarray:
    """Three tones that glide, over noise."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    out = rng.normal(0, 0.02, len(t))
    for hz in rng.uniform(40, 2000, 3):
        out += 0.2 * np.sin(2 * np.pi * hz * (t + 0.01 * t**2))
    return out.astype(np.float32)


# It says so where a sound is shorter than its longest window.
@pytest.mark.filterwarnings("ignore:n_fft=:UserWarning")
@settings(max_examples=15, deadline=None)
@given(
    st.floats(0.1, 4.0), st.floats(-50, 50), st.sampled_from([(234, 36, 12.0), (60, 12, 0.0), (84, 12, 20.0)]),
    st.integers(0, 99),
)  # fmt: skip
def test_it_is_what_the_reference_library_gives(
    seconds: float, cents: float, shape: tuple[int, int, float], seed: int
) -> None:
    """librosa.vqt 0.11, whatever the length, the offset and the bins: to a thousandth of the loudest."""
    count, per_octave, wider = shape
    heard = sound(seconds, seed)
    ours = variable_q(heard, RATE, HOP, Bins(27.5 * 2 ** (cents / 1200), count, per_octave, wider))
    theirs = np.abs(
        librosa.vqt(heard, sr=RATE, hop_length=HOP, fmin=27.5, n_bins=count, bins_per_octave=per_octave, gamma=wider,
                    tuning=cents / 100 * per_octave / 12)
    ).T  # fmt: skip
    assert ours.shape == theirs.shape
    assert np.abs(ours - theirs).max() <= 1e-3 * theirs.max()


@pytest.mark.parametrize("midi", [33, 45, 57, 69, 81])
def test_a_tone_is_loudest_in_its_own_bin(midi: int) -> None:
    t = np.arange(2 * RATE) / RATE
    tone = np.sin(2 * np.pi * 440 * 2 ** ((midi - 69) / 12) * t).astype(np.float32)
    frame = variable_q(tone, RATE, HOP, OURS)[20]
    assert int(np.argmax(frame)) == (midi - 21) * 3


def test_long_sounds_are_taken_piece_by_piece_and_come_out_the_same() -> None:
    long = np.tile(sound(4.0, 1), 60)
    whole = variable_q(long, RATE, HOP, OURS)
    assert len(whole) > 4096
    piece = variable_q(long[: 100 * HOP * 8], RATE, HOP, OURS)
    assert np.allclose(whole[200:600], piece[200:600], atol=1e-5)


def test_bins_above_half_the_rate_and_hops_that_cannot_be_halved_are_refused() -> None:
    with pytest.raises(ValueError, match="take fewer bins"):
        variable_q(sound(1.0, 0), RATE, HOP, Bins(27.5, 320, 36))
    with pytest.raises(ValueError, match="take a power of two"):
        variable_q(sound(1.0, 0), RATE, 1000, OURS)
