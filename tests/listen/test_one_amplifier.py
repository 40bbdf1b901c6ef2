"""Several strings through one amplifier: difference tones far below what is played are not taken for notes."""

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.listen.candidates.gather import _sure
from notcher.listen.candidates.shape import _without_next_attack
from notcher.listen.frames.contour import LOWEST_HZ
from tests.conftest import tone
from tests.listen.tracing import traced


def through_one_amplifier(*hz: float) -> np.ndarray:
    """Strings summed and clipped together, with a cabinet's roll-off."""
    from scipy import signal

    clean = np.sum([tone(f, 1.5, decay=1.0) for f in hz], axis=0)
    up = signal.resample_poly(clean, 4, 1)
    driven = signal.resample_poly(np.tanh(14 * up + 0.2) - np.tanh(0.2), 1, 4)
    b, a = signal.butter(2, [95, 5000], "bandpass", fs=RATE)
    return np.asarray(0.3 * signal.lfilter(b, a, driven), np.float32)


@pytest.mark.parametrize(("pitch", "up"), [(64, 3), (66, 3), (66, 4), (69, 3)])
def test_a_third_sounds_where_it_is_played(pitch: int, up: int) -> None:
    """Thirds: their difference tone lies two octaves or more under the lower (5/4 - 1 = 1/4 of it, 6/5 - 1 = 1/5; equal
    temperament puts it some cents off). The contour is one of the two strings, or over them, in nearly all frames."""
    low, high = (440 * 2 ** ((p - 69) / 12) for p in (pitch, pitch + up))
    trace = traced(through_one_amplifier(low, high), lowest_hz=LOWEST_HZ)
    cents = trace.cents[20:260]
    hz = 440 * 2 ** ((cents[np.isfinite(cents)] - 6900) / 1200)
    assert np.mean(hz > 0.9 * low) > 0.9


def test_a_low_note_alone_stays_low() -> None:
    """The low E, driven as hard: it has the body of a string, and stays where it is."""
    trace = traced(through_one_amplifier(82.41), lowest_hz=LOWEST_HZ)
    cents = trace.cents[20:260]
    hz = 440 * 2 ** ((cents[np.isfinite(cents)] - 6900) / 1200)
    assert np.median(hz) == pytest.approx(82.41, rel=0.01)


def test_a_note_that_rings_on_is_as_sure_as_it_began() -> None:
    fading = np.concatenate([np.full(40, 0.95), np.linspace(0.9, 0.0, 260)])
    assert _sure(fading, alone=True) == pytest.approx(0.95)
    assert _sure(fading, alone=False) == pytest.approx(float(np.mean(fading)))
    assert _sure(np.full(50, 0.3), alone=True) == pytest.approx(0.3)
    rising = np.linspace(0.0, 1.0, 100)
    assert _sure(rising, alone=True) == pytest.approx(0.5)


def test_a_bend_that_rests_ends_where_it_rests() -> None:
    """A bend that stops 40 cents short, and the next note's attack in its last 30 ms."""
    bend = np.concatenate([np.linspace(0, 160, 30), np.full(60, 160.0)])
    heard = bend.copy()
    heard[-4:] += [5.0, 12.0, 25.0, 38.0]
    out = _without_next_attack(heard)
    assert np.max(out) <= 168
    assert np.array_equal(out[:-6], heard[:-6])
    # What is still on its way at the end is left alone: a curl, a release.
    curl = np.concatenate([np.zeros(60), np.linspace(0, 52, 20)])
    assert np.array_equal(_without_next_attack(curl), curl)
    assert len(_without_next_attack(np.zeros(5))) == 5
