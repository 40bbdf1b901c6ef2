"""The first guess of beats, against a pulse whose beats are known by construction."""

import mir_eval
import numpy as np
import pytest
from benchmarks.truth import DEMO_MIX

from notcher.audio import RATE
from notcher.audio.decode import load
from notcher.audio.recording import Audio
from notcher.listen import beats
from notcher.listen.beats import guess_beats
from notcher.stopping import CancelledError, stoppable


def pulse(bpm: float, beats: int, *, size: int = 4, first: float = 0.4) -> tuple[np.ndarray, np.ndarray]:
    """A low thump at each bar and a click on every beat, shape (1, n); and the beats' times."""
    rng = np.random.default_rng(4)
    times = first + np.arange(beats) * 60 / bpm
    out = np.zeros(round((times[-1] + 1.0) * RATE), np.float32)
    t = np.arange(round(0.12 * RATE)) / RATE
    for k, time in enumerate(times):
        sound = 0.25 * rng.normal(0, 1, len(t)) * np.exp(-t * 90)
        if k % size == 0:
            sound = sound + 0.8 * np.sin(2 * np.pi * 62 * t) * np.exp(-t * 22)
        at = round(time * RATE)
        out[at : at + len(t)] += sound.astype(np.float32)
    return out[None, :], times


@pytest.mark.parametrize(("bpm", "size"), [(84, 4), (112, 4), (126, 3)])
def test_a_steady_pulse(bpm: float, size: int) -> None:
    """mir_eval's beat F-measure (Dixon 2007): within 70 ms; the bars begin at the thumps."""
    sound, times = pulse(bpm, 40, size=size)
    tempo = guess_beats(Audio(sound, RATE, 1))
    assert tempo is not None
    found = np.array([t for t in tempo.beats if times[0] - 0.1 < t < times[-1] + 0.1])
    assert mir_eval.beat.f_measure(times, found) > 0.95
    assert tempo.bpm() == pytest.approx(bpm, rel=0.02)
    assert tempo.beats_per_bar == size
    bar = tempo.time_at(tempo.first_beat_of(3))
    assert min(abs(bar - times[::size])) < 0.06


def test_the_demo_has_ninety_two_beats_a_minute() -> None:
    tempo = guess_beats(load(DEMO_MIX))
    assert tempo is not None
    assert tempo.bpm() == pytest.approx(92, rel=0.02)
    # Its first bar begins with the count-in, at 0.35 s (demo/render.py).
    assert tempo.time_at(tempo.first_beat_of(1)) == pytest.approx(0.35, abs=0.06)


def test_with_no_beat_it_says_none() -> None:
    t = np.arange(12 * RATE) / RATE
    drone = (0.1 * np.sin(2 * np.pi * 220 * t)).astype(np.float32)
    assert guess_beats(Audio(drone[None, :], RATE, 1)) is None
    assert guess_beats(Audio(drone[None, : 2 * RATE], RATE, 1)) is None


def test_it_stops_when_asked() -> None:
    sound, _ = pulse(100, 16)
    with pytest.raises(CancelledError), stoppable(lambda: True):
        guess_beats(Audio(sound, RATE, 1))


def test_the_strength_found_in_pieces_is_the_librarys(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(beats, "_PIECE", 300)
    sound, _ = pulse(100, 16)
    import soxr
    from librosa.onset import onset_strength

    mono = soxr.resample(sound[0], RATE, beats._LOW_RATE)
    whole = onset_strength(y=mono, sr=beats._LOW_RATE, hop_length=beats._HOP)
    assert np.allclose(beats._strength(mono), whole, atol=1e-3)
