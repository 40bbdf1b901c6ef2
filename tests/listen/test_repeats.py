"""A delay's repeats: found by the sound, and no notes."""

from dataclasses import replace

import numpy as np
import pytest
from numpy.typing import NDArray

from notcher.listen.candidates.delay_repeats import delay_of, is_a_delay, is_repeat, silenced, without_repeats
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP, LOW_RATE
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured
from notcher.score.note import Attack

LASTS = 0.22
# Seconds at which notes begin, as unevenly as a hand plays, and their pitches.
ONSETS = (0.30, 0.81, 1.29, 1.83, 2.27, 2.81, 3.36, 3.79, 4.33, 4.81, 5.29, 5.84)
PITCHES = (57, 60, 64, 62, 67, 64, 60, 57, 62, 65, 69, 64)


def sound_of(onsets: "tuple[float, ...]", pitches: "tuple[int, ...]", loud: float = 0.3) -> NDArray[np.float64]:
    """Plucked notes: eight partials and a click each."""
    dice = np.random.default_rng(5)
    out = np.zeros(round(9.0 * LOW_RATE))
    t = np.arange(round(LASTS * LOW_RATE)) / LOW_RATE
    for onset, pitch in zip(onsets, pitches, strict=True):
        hz = 440.0 * 2 ** ((pitch - 69) / 12)
        note = sum(np.sin(2 * np.pi * hz * k * t + dice.uniform(0, 6)) / k for k in range(1, 9)) * np.exp(-t / 0.12)
        note[:200] += dice.normal(0, 0.4, 200)
        first = round(onset * LOW_RATE)
        out[first : first + len(t)] += loud * np.asarray(note)
    return out


def delayed(sound: NDArray[np.float64], seconds: float, gain: float) -> NDArray[np.int16]:
    out = sound.copy()
    late = round(seconds * LOW_RATE)
    for k in (1, 2, 3):
        out[k * late :] += gain**k * sound[: -k * late]
    return np.round(np.clip(out / 2, -1, 1) * 32767).astype(np.int16)


@pytest.mark.parametrize("seconds", [0.31, 0.49, 1.1])
def test_the_time_of_a_delay_is_found(seconds: float) -> None:
    assert delay_of(delayed(sound_of(ONSETS, PITCHES), seconds, 0.4)) == pytest.approx(seconds, abs=0.001)


def test_where_there_is_none_none_is_found() -> None:
    assert delay_of(delayed(sound_of(ONSETS, PITCHES), 0.5, 0.0)) is None


def test_silence_and_a_moment_have_none() -> None:
    assert delay_of(np.zeros(LOW_RATE * 10, np.int16)) is None
    assert delay_of(np.ones(100, np.int16)) is None


def test_a_phrase_that_is_played_again_is_no_delay() -> None:
    """The same phrase by hand 2.5 s later: every click and phase is another."""
    again = tuple(t + 2.5 for t in ONSETS[:4])
    twice = sound_of(ONSETS[:4] + again, PITCHES[:4] * 2)
    assert delay_of(delayed(twice, 0.5, 0.0)) is None


def candidate(onset: float, pitch: int) -> Candidate:
    return Candidate(
        HeardNote(onset, onset + LASTS, pitch, Attack.PICK, None, None, frozenset(), 0.9, Measured())
    )  # fmt: skip


def heard(seconds: float, gain: float) -> tuple[Frames, list[Candidate], list[Candidate]]:
    """Frames with a delay in them, the notes that were played, and the first repeats."""
    frames = Frames.empty(9.0, Isolation(StereoPosition.MIX), alone=True)
    sound = delayed(sound_of(ONSETS, PITCHES), seconds, gain)
    frames = replace(frames, sound=sound)
    played = [candidate(t, p) for t, p in zip(ONSETS, PITCHES, strict=True)]
    again = [candidate(t + seconds, p) for t, p in zip(ONSETS, PITCHES, strict=True)]
    return frames, played, again


def test_repeats_are_no_notes_and_notes_are() -> None:
    frames, played, again = heard(1.13, 0.4)
    both = sorted([*played, *again], key=lambda c: c.note.onset)
    kept, left = without_repeats(frames, both, 0.0, 1.13)
    assert kept == played
    assert left == again


def test_notes_that_come_again_softer_make_a_delay() -> None:
    frames, played, again = heard(1.13, 0.4)
    assert is_a_delay(frames, sorted([*played, *again], key=lambda c: c.note.onset), 0.0, 1.13)


def test_a_band_that_plays_the_same_each_beat_is_no_delay() -> None:
    """A bass on one pitch, a riff of four notes, each beat again, now a little louder, now a little softer."""
    dice = np.random.default_rng(8)
    onsets = tuple(0.3 + 0.5 * k for k in range(16))
    riff = (57, 60, 64, 60)
    sound = np.zeros(round(9.0 * LOW_RATE))
    candidates = []
    for k, onset in enumerate(onsets):
        sound += sound_of((onset,), (riff[k % 4],), 0.2 * float(dice.uniform(0.6, 1.6)))
        candidates.append(candidate(onset, riff[k % 4]))
    frames = replace(
        Frames.empty(9.0, Isolation(StereoPosition.MIX), alone=False),
        sound=np.round(np.clip(sound / 2, -1, 1) * 32767).astype(np.int16),
    )
    assert not is_a_delay(frames, candidates, 0.0, 2.0)
    assert not is_a_delay(frames, candidates, 0.0, 0.7)


def test_what_is_played_anew_where_a_repeat_would_be_stays() -> None:
    onsets = (0.3, 0.8, 1.3, 1.8, 2.3, 2.8)
    pitches = (57, 57, 57, 60, 60, 60)
    frames = replace(
        Frames.empty(9.0, Isolation(StereoPosition.MIX), alone=True), sound=delayed(sound_of(onsets, pitches), 0.5, 0.3)
    )
    played = [candidate(t, p) for t, p in zip(onsets, pitches, strict=True)]
    kept, left = without_repeats(frames, played, 0.0, 0.5)
    assert kept == played
    assert left == []


def test_without_a_delay_all_stays() -> None:
    frames, played, _ = heard(0.6, 0.0)
    assert without_repeats(frames, played, 0.0, None) == (played, [])


def test_a_stroke_is_a_repeat_where_one_must_come() -> None:
    onsets = np.array([1.0, 2.0])
    assert is_repeat(1.51, onsets, 0.5)
    assert is_repeat(3.0, onsets, 0.5)
    assert not is_repeat(1.2, onsets, 0.5)
    assert not is_repeat(1.5, onsets, None)


def test_the_contour_is_silent_where_only_a_repeat_sounds() -> None:
    n = round(2.0 / HOP)
    trace = Trace(np.full(n, 6000.0), np.ones(n), np.zeros(n), np.ones(n), np.ones(n), np.ones(n))
    played = candidate(0.2, 60).note
    quiet = silenced(trace, [candidate(0.3, 60), candidate(1.0, 60)], [played], 0.0).cents
    assert np.isfinite(quiet[round(0.25 / HOP) : round(0.4 / HOP)]).all()
    assert np.isnan(quiet[round(1.05 / HOP) : round(1.2 / HOP)]).all()
    assert np.isfinite(quiet[round(1.5 / HOP) :]).all()
