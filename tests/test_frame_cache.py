"""Measured frames kept between runs: found again for the same sound and settings, and never a reason to fail."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from notcher import frame_cache
from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.formats.errors import FileFormatError
from notcher.listen.frames.measure import Frames, measure_frames
from notcher.listen.listener import read_frames
from notcher.pipeline.transcribe import listen_kept
from notcher.score.isolation import Isolation, StereoPosition

EVERYWHERE = Isolation(StereoPosition.MIX, low_hz=60.0)
SHA = "5e" * 32


@pytest.fixture(scope="module")
def frames(lick: np.ndarray) -> Frames:
    audio = Audio(lick[None, :], RATE, 1)
    *_, (measured, share) = measure_frames(audio, EVERYWHERE, alone=True, start=0.0, end=audio.duration)
    assert share == 1.0
    return measured


def test_what_is_kept_reads_as_the_same_notes(frames: Frames) -> None:
    assert frame_cache.find(SHA, EVERYWHERE, 0.0, 2.2) is None
    assert frame_cache.keep(frames, SHA, 0.0, 2.2) is None
    found = frame_cache.find(SHA, EVERYWHERE, 0.0, 2.2)
    assert found is not None
    assert [n.pitch for n in read_frames(found).notes] == [n.pitch for n in read_frames(frames).notes]
    assert np.array_equal(found.sound, frames.sound)


@pytest.mark.parametrize(
    ("sha", "lead", "end"),
    [("00" * 32, EVERYWHERE, 2.2), (SHA, replace(EVERYWHERE, low_hz=100.0), 2.2), (SHA, EVERYWHERE, 2.0)],
)
def test_another_sound_or_setting_is_another(frames: Frames, sha: str, lead: Isolation, end: float) -> None:
    frame_cache.keep(frames, SHA, 0.0, 2.2)
    assert frame_cache.find(sha, lead, 0.0, end) is None


def test_a_second_hearing_does_not_measure_again(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    audio = Audio(lick[None, :], RATE, 1)
    first, trouble = listen_kept(audio, SHA, lead=EVERYWHERE)
    assert trouble is None

    def not_again(*_: object, **__: object) -> None:
        raise AssertionError("it was measured again")

    monkeypatch.setattr("notcher.listen.listener.measure_frames", not_again)
    second, _ = listen_kept(audio, SHA, lead=EVERYWHERE)
    assert repr(second.notes) == repr(first.notes), "to the last bit"
    assert second.offset == first.offset
    assert [n.onset for n in second.notes] == pytest.approx([n.onset for n in first.notes], abs=0.002)


def test_a_damaged_file_is_as_if_there_were_none(frames: Frames) -> None:
    frame_cache.keep(frames, SHA, 0.0, 2.2)
    (path,) = frame_cache.folder().glob("*.npz")
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    assert frame_cache.find(SHA, EVERYWHERE, 0.0, 2.2) is None
    path.write_bytes(b"")
    assert frame_cache.find(SHA, EVERYWHERE, 0.0, 2.2) is None


def test_a_full_disk_costs_the_keeping_and_nothing_else(lick: np.ndarray, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(path: Path, data: bytes) -> None:
        raise FileFormatError(f"'{path}' could not be written (No space left on device); choose another folder")

    monkeypatch.setattr(frame_cache, "write_bytes", full)
    heard, trouble = listen_kept(Audio(lick[None, :], RATE, 1), SHA, lead=EVERYWHERE)
    assert [n.pitch for n in heard.notes] == [64, 67, 69, 69]
    assert trouble is not None
    assert "disk full" in trouble


def test_the_oldest_go_when_there_are_too_many(frames: Frames, monkeypatch: pytest.MonkeyPatch) -> None:
    frame_cache.keep(frames, "01" * 32, 0.0, 2.2)
    size = next(frame_cache.folder().glob("*.npz")).stat().st_size
    monkeypatch.setattr(frame_cache, "MOST_BYTES", int(2.5 * size))
    for k in (2, 3, 4):
        frame_cache.keep(frames, f"0{k}" * 32, 0.0, 2.2)
    assert len(list(frame_cache.folder().glob("*.npz"))) <= 2
    assert frame_cache.find("04" * 32, EVERYWHERE, 0.0, 2.2) is not None
    assert frame_cache.find("01" * 32, EVERYWHERE, 0.0, 2.2) is None
