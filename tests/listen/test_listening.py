"""Listening, against sounds whose pitch is known by construction and against independent trackers."""

from pathlib import Path

import librosa
import numpy as np
import pytest
from benchmarks.truth import DEMO_DRY, DEMO_MIX, Truth, contour_accuracy, note_scores, technique_scores

from notcher.audio import RATE
from notcher.audio.decode import load
from notcher.audio.recording import Audio, AudioError
from notcher.listen.candidates.tuning_offset import tuning_offset
from notcher.listen.decide.transcription import Transcription
from notcher.listen.listener import listen
from notcher.score.note import BendKind
from notcher.stopping import CancelledError, stoppable
from notcher.wording.guitar import stereo_position_words
from tests.conftest import tone, write_audio
from tests.listen.tracing import traced


@pytest.fixture(scope="module")
def dry() -> Transcription:
    return listen(load(DEMO_DRY))


@pytest.fixture(scope="module")
def mix() -> Transcription:
    return listen(load(DEMO_MIX))


# -- pitch ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("hz", [110.0, 196.0, 329.63, 659.26, 987.77])
def test_a_steady_tone_is_measured_to_a_cent_or_two(hz: float) -> None:
    trace = traced(tone(hz, 1.0), lowest_hz=60.0)
    middle = trace.cents[40:160]
    middle = middle[np.isfinite(middle)]
    assert len(middle) > 100
    assert abs(np.median(middle) - float(100 * librosa.hz_to_midi(hz))) < 2


@pytest.mark.parametrize("size", [100, 200, 300])
def test_a_bend_is_measured_all_the_way(size: int) -> None:
    """A glide whose cents are known at every moment: the median error stays within 4 cents."""
    shape = np.concatenate([np.zeros(40), np.linspace(0, size, 40), np.full(80, size)])
    trace = traced(tone(440, 1.2, cents=shape, decay=0.8), lowest_hz=60.0)
    known = 6900 + np.interp(np.arange(len(trace)) * 0.005, np.linspace(0, 1.2, len(shape)), shape)
    errors = np.abs(trace.cents - known)[20:-30]
    assert np.nanmedian(errors) < 4
    assert np.nanpercentile(errors, 90) < 15


@pytest.mark.slow
def test_the_contour_agrees_with_an_independent_tracker(dry: Transcription) -> None:
    """librosa.pyin (Mauch and Dixon 2014) on the dry demo lead, where both hear something and pyin is sure."""
    audio = load(DEMO_DRY)
    mono = audio.samples.mean(axis=0)[: 14 * RATE]
    f0, voiced, sure = librosa.pyin(mono, fmin=80, fmax=1400, sr=RATE, frame_length=2048, hop_length=441)
    times = np.arange(len(f0)) * 0.01
    ours = dry.trace.cents[np.minimum(np.round(times / 0.005).astype(int), len(dry.trace) - 1)]
    both = voiced & (sure > 0.5) & np.isfinite(ours)
    assert both.sum() > 400
    difference = np.abs(ours[both] - 100 * librosa.hz_to_midi(f0[both]))
    assert np.mean(difference < 50) > 0.95
    assert np.median(difference) < 12


def test_silence_and_noise_have_no_pitch() -> None:
    noise = np.random.default_rng(3).normal(0, 0.05, RATE).astype(np.float32)
    silent = traced(np.zeros(RATE, np.float32), lowest_hz=60.0).sounding()
    assert np.isnan(silent.cents).all()
    heard = traced(noise, lowest_hz=60.0)
    assert np.mean(heard.confidence + heard.share) < 0.3


@pytest.mark.parametrize("offset", [-35, -14, 0, 22, 35])
def test_the_offset_of_a_recording(offset: float) -> None:
    rng = np.random.default_rng(int(offset) + 100)
    levels = 100.0 * rng.integers(52, 80, 60) + offset + rng.normal(0, 4, 60)
    levels[::9] += 45  # bends that rest between frets
    assert tuning_offset(levels, np.ones(60)).cents == pytest.approx(offset, abs=2.5)


# -- notes ---------------------------------------------------------------------------------------------------------


def test_a_lick_comes_out_as_it_was_made(lick: np.ndarray) -> None:
    heard = listen(Audio(lick[None, :], RATE, 1))
    assert [n.pitch for n in heard.notes] == [64, 67, 69, 69]
    assert [n.onset for n in heard.notes] == pytest.approx([0.02, 0.49, 0.96, 1.68], abs=0.03)
    bend = heard.notes[2].bend
    assert bend is not None
    assert (bend.kind, bend.target_cents) == (BendKind.BEND, 200)
    assert bend.peak_cents == pytest.approx(200, abs=8)
    assert heard.notes[3].bend is None
    assert abs(heard.offset.cents) < 3


def test_vibrato_is_measured(tmp_path: Path) -> None:
    t = np.linspace(0, 2, 400)
    shape = np.where(t > 0.4, 30 * np.sin(2 * np.pi * 5.5 * (t - 0.4)), 0)
    heard = listen(Audio(tone(440, 2.0, cents=shape, decay=0.4)[None, :], RATE, 1))
    assert len(heard.notes) == 1
    vibrato = heard.notes[0].vibrato
    assert vibrato is not None
    assert vibrato.rate_hz == pytest.approx(5.5, abs=0.3)
    assert vibrato.extent_cents == pytest.approx(30, rel=0.2)
    assert vibrato.start == pytest.approx(0.4, abs=0.2)


@pytest.mark.parametrize("rate", [8000, 48000])
def test_the_notes_do_not_depend_on_the_files_rate(tmp_path: Path, lick: np.ndarray, rate: int) -> None:
    import soxr

    path = write_audio(tmp_path / "l.wav", soxr.resample(lick, RATE, rate), rate)
    assert [n.pitch for n in listen(load(path)).notes] == [64, 67, 69, 69]


def test_only_a_stretch_is_measured_when_asked(lick: np.ndarray) -> None:
    heard = listen(Audio(lick[None, :], RATE, 1), start=0.45, end=1.6)
    assert [n.pitch for n in heard.notes] == [67, 69]
    assert all(0.45 <= n.onset < 1.6 for n in heard.notes)


def test_blocks_of_a_long_recording_join(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    """Measured in pieces of 0.7 s it gives the notes that it gives in one piece."""
    audio = Audio(lick[None, :], RATE, 1)
    whole = listen(audio)
    monkeypatch.setattr("notcher.listen.frames.measure.BLOCK_S", 0.7)
    pieces = listen(audio)
    assert [n.pitch for n in pieces.notes] == [n.pitch for n in whole.notes]
    assert [n.onset for n in pieces.notes] == pytest.approx([n.onset for n in whole.notes], abs=0.02)


def test_measuring_stops_when_asked(lick: np.ndarray) -> None:
    with pytest.raises(CancelledError, match="^$"), stoppable(lambda: True):
        listen(Audio(lick[None, :], RATE, 1))


def test_a_stretch_that_is_not_there(lick: np.ndarray) -> None:
    with pytest.raises(AudioError, match="the recording lasts 2.2 s"):
        listen(Audio(lick[None, :], RATE, 1), start=5.0)


def test_where_no_lead_is_heard_it_says_so() -> None:
    noise = np.random.default_rng(5).normal(0, 0.1, (1, 2 * RATE)).astype(np.float32)
    with pytest.raises(AudioError, match="no lead could be heard"):
        listen(Audio(noise, RATE, 1))


def test_a_short_recording_of_a_fifth_of_a_second() -> None:
    heard = listen(Audio(tone(440, 0.2)[None, :], RATE, 1))
    assert [n.pitch for n in heard.notes] == [69]


# -- the demo, whose truth is known --------------------------------------------------------------------------------


def test_the_dry_lead_reaches_its_marks(dry: Transcription) -> None:
    """The marks that the first version has to reach; docs/MEASUREMENTS.md has the figures."""
    truth = Truth.read()
    assert contour_accuracy(truth, dry.trace.cents, tolerance=50) >= 0.97
    assert note_scores(truth, dry.notes)[2] >= 0.90
    techniques = technique_scores(truth, dry.notes)
    assert techniques["bend peak error, median cents"] <= 15
    assert techniques["bends false"] <= 0.05
    assert techniques["attack right"] >= 0.9
    assert dry.offset.cents == pytest.approx(truth.offset_cents, abs=3)


@pytest.mark.slow
def test_the_mixed_demo_reaches_its_mark(mix: Transcription) -> None:
    truth = Truth.read()
    assert stereo_position_words(mix.lead) == "in the centre"
    assert note_scores(truth, mix.notes)[2] >= 0.70
    assert mix.offset.cents == pytest.approx(truth.offset_cents, abs=4)


def test_confidence_means_something(mix: Transcription) -> None:
    """Notes the program is surer of are right more often."""
    from benchmarks.truth import matched

    right = {id(h) for _, h in matched(Truth.read(), mix.notes)}
    ordered = sorted(mix.notes, key=lambda n: n.confidence)
    third = len(ordered) // 3
    unsure = np.mean([id(n) in right for n in ordered[:third]])
    sure = np.mean([id(n) in right for n in ordered[-third:]])
    # In the demo all of them may be right.
    assert sure >= unsure
    assert np.mean([n.confidence for n in mix.left]) < min(n.confidence for n in mix.notes)
