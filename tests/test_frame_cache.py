"""Measured frames kept between runs: found again for the same sound and settings, and never a reason to fail."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from notcher import frame_cache
from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.formats.errors import FileFormatError
from notcher.frame_cache import FrameCache
from notcher.listen.frames import measure
from notcher.listen.frames.measure import BLOCK_S, Frames, Setup, blocks, measure_frames
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import read_frames
from notcher.pipeline.transcribe import listen_kept
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.plays import Plays

EVERYWHERE = Isolation(StereoPosition.MIX, low_hz=60.0)
SETUP = Setup(EVERYWHERE, alone=True)
SHA = "5e" * 32


@pytest.fixture(scope="module")
def frames(lick: np.ndarray) -> Frames:
    audio = Audio(lick[None, :], RATE, 1)
    *_, (measured, share) = measure_frames(audio, SETUP, start=0.0, end=audio.duration)
    assert share == 1.0
    return measured


def test_what_is_kept_reads_as_the_same_notes(frames: Frames) -> None:
    cache = FrameCache(SHA)
    assert cache.find(SETUP, 0.0, 2.2) is None
    cache.keep(SETUP, 0.0, 2.2, frames)
    assert cache.trouble is None
    found = cache.find(SETUP, 0.0, 2.2)
    assert found is not None
    assert [n.pitch for n in read_frames(found).notes] == [n.pitch for n in read_frames(frames).notes]
    assert np.array_equal(found.sound, frames.sound)


@pytest.mark.parametrize(
    ("cache", "setup", "end"),
    [
        (FrameCache("00" * 32), SETUP, 2.2),
        (FrameCache(SHA, raised=5), SETUP, 2.2),
        (FrameCache(SHA), replace(SETUP, lead=replace(EVERYWHERE, low_hz=100.0)), 2.2),
        (FrameCache(SHA), replace(SETUP, alone=False), 2.2),
        (FrameCache(SHA), replace(SETUP, plays=Plays.RIFF), 2.2),
        (FrameCache(SHA), SETUP, 2.0),
    ],
)
def test_another_sound_or_setting_is_another(frames: Frames, cache: FrameCache, setup: Setup, end: float) -> None:
    FrameCache(SHA).keep(SETUP, 0.0, 2.2, frames)
    assert cache.find(setup, 0.0, end) is None


def test_a_second_hearing_does_not_measure_again(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    audio = Audio(lick[None, :], RATE, 1)
    first, trouble = listen_kept(audio, SHA, lead=EVERYWHERE)
    assert trouble is None

    def not_again(*_: object, **__: object) -> None:
        raise AssertionError("it was measured again")

    monkeypatch.setattr("notcher.listen.frames.measure._measured_block", not_again)
    second, _ = listen_kept(audio, SHA, lead=EVERYWHERE)
    assert repr(second.notes) == repr(first.notes), "to the last bit"
    assert second.offset == first.offset
    assert [n.onset for n in second.notes] == pytest.approx([n.onset for n in first.notes], abs=0.002)


def test_a_damaged_file_is_as_if_there_were_none(frames: Frames) -> None:
    cache = FrameCache(SHA)
    cache.keep(SETUP, 0.0, 2.2, frames)
    (path,) = frame_cache.folder().glob("*.npz")
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    assert cache.find(SETUP, 0.0, 2.2) is None
    path.write_bytes(b"")
    assert cache.find(SETUP, 0.0, 2.2) is None


def test_a_full_disk_costs_the_keeping_and_nothing_else(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(path: Path, data: bytes) -> None:
        raise FileFormatError(f"'{path}' could not be written (No space left on device); choose another folder")

    monkeypatch.setattr(frame_cache, "write_bytes", full)
    heard, trouble = listen_kept(Audio(lick[None, :], RATE, 1), SHA, lead=EVERYWHERE)
    assert [n.pitch for n in heard.notes] == [64, 67, 69, 69]
    assert trouble is not None
    assert "disk full" in trouble


def test_the_oldest_go_when_there_are_too_many(frames: Frames, monkeypatch: pytest.MonkeyPatch) -> None:
    FrameCache("01" * 32).keep(SETUP, 0.0, 2.2, frames)
    size = next(frame_cache.folder().glob("*.npz")).stat().st_size
    monkeypatch.setattr(frame_cache, "MOST_BYTES", int(2.5 * size))
    for k in (2, 3, 4):
        FrameCache(f"0{k}" * 32).keep(SETUP, 0.0, 2.2, frames)
    assert len(list(frame_cache.folder().glob("*.npz"))) <= 2
    assert FrameCache("04" * 32).find(SETUP, 0.0, 2.2) is not None
    assert FrameCache("01" * 32).find(SETUP, 0.0, 2.2) is None


def test_a_measuring_that_was_stopped_goes_on_where_it_was(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    audio = Audio(np.tile(lick, 12)[None, :], RATE, 1)
    cache, measured = FrameCache(SHA), []
    own = measure._measured_block

    def counted(of: Audio, setup: Setup, a: float, b: float) -> Frames:
        measured.append(a)
        return own(of, setup, a, b)

    monkeypatch.setattr(measure, "_measured_block", counted)
    stopped = measure_frames(audio, SETUP, start=0.0, end=audio.duration, kept=cache)
    next(stopped)
    *_, (whole, share) = measure_frames(audio, SETUP, start=0.0, end=audio.duration, kept=cache)
    assert share == 1.0
    assert measured == [a for a, _ in blocks(0.0, audio.duration)], "each block once"
    *_, (part, _) = measure_frames(audio, SETUP, start=3.0, end=audio.duration, kept=cache)
    assert measured[-1] == 3.0
    assert measured.count(BLOCK_S) == 1, "another stretch is cut at the same places"
    rows = slice(round(BLOCK_S / HOP), None)
    assert np.array_equal(part.trace.cents[rows], whole.trace.cents[rows], equal_nan=True)
    assert np.array_equal(part.ear.struck[-50:], whole.ear.struck[-50:])
