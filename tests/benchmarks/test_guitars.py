"""The bench's own guitars: a stiff string's partials, and what an amplifier does to two strings at once."""

import numpy as np
import pytest
from benchmarks.guitars import _STIFFNESS, StringModel, through
from demo.render import RATE, Take
from demo.solo import Played


def partials(sound: np.ndarray, count: int, f0: float) -> list[float]:
    """The loudest frequency around each multiple of f0."""
    size = 1 << 19
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), size))
    hz = np.fft.rfftfreq(size, 1 / RATE)
    found = []
    for k in range(1, count + 1):
        near = (hz > k * f0 * 0.97) & (hz < k * f0 * 1.03)
        found.append(float(hz[near][np.argmax(spectrum[near])]))
    return found


def test_partials_of_a_stiff_string() -> None:
    """f_k = k f0 sqrt(1 + B k^2) (Fletcher and Rossing, The Physics of Musical Instruments, chapter 2)."""
    take = Take(bpm=60.0, first_beat=0.0, offset_cents=0.0)
    notes = [(0.2, 3.2, Played(0.2, 3.0, 3, 0))]
    sound = StringModel(sharp_cents=0.0).render(notes, take, 4 * RATE, 1)
    f0 = 440 * 2 ** ((take.strings[2] - 69) / 12)
    stiff = _STIFFNESS[2]
    wanted = [k * f0 * np.sqrt(1 + stiff * k * k) for k in range(1, 9)]
    assert partials(sound[int(0.3 * RATE) : int(3 * RATE)], 8, f0) == pytest.approx(wanted, rel=6e-4)


def test_a_string_is_silent_before_it_is_struck_and_after_it_is_stopped() -> None:
    take = Take(bpm=60.0, first_beat=0.0, offset_cents=0.0)
    sound = StringModel().render([(1.0, 1.5, Played(1.0, 0.5, 2, 5))], take, 3 * RATE, 1)
    assert np.max(np.abs(sound[: int(0.99 * RATE)])) == 0
    assert np.max(np.abs(sound[int(1.6 * RATE) :])) == 0
    assert np.max(np.abs(sound)) > 0.1


def test_one_amplifier_makes_difference_tones_and_a_clean_one_none() -> None:
    t = np.arange(2 * RATE) / RATE
    two = (0.2 * np.sin(2 * np.pi * 330 * t) + 0.2 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)

    def at(sound: np.ndarray, hz: float) -> float:
        return float(np.abs(np.mean(sound * np.exp(-2j * np.pi * hz * t))))

    clean, driven = through("clean", two), through("crunch", two)
    assert at(clean, 110) < 0.002 * at(clean, 330)
    assert at(driven, 110) > 0.02 * at(driven, 330)
    assert len(driven) == len(two)
