"""The way of a sound out and in again, against delays that are known."""

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.score.errors import NotcherError
from notcher.teach.latency import LASTS_S, clicks_to_play, latency_of


@pytest.mark.parametrize("delay", [0.0, 0.012, 0.085, 0.31])
def test_a_known_delay_is_found_in_noise_and_a_room(delay: float) -> None:
    sound = clicks_to_play()
    late = np.zeros_like(sound)
    by = round(delay * RATE)
    late[by:] = 0.2 * sound[: len(sound) - by]
    room = np.convolve(late, np.r_[1.0, np.zeros(400), 0.4, np.zeros(900), 0.25])[: len(sound)]
    noise = np.random.default_rng(3).normal(0, 0.004, len(sound))
    assert latency_of((room + noise).astype(np.float32)) == pytest.approx(delay, abs=0.002)


def test_silence_and_noise_are_no_answer() -> None:
    n = round(LASTS_S * RATE)
    with pytest.raises(NotcherError, match="clicks were not heard"):
        latency_of(np.zeros(n, np.float32))
    with pytest.raises(NotcherError, match="clicks were not heard"):
        latency_of(np.random.default_rng(3).normal(0, 0.05, n).astype(np.float32))
    with pytest.raises(NotcherError, match="nothing was recorded"):
        latency_of(np.zeros(10, np.float32))
