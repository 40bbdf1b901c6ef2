"""Recordings too long for memory: kept on disk and read piece by piece, the same sound all the same."""

from pathlib import Path

import numpy as np
import pytest

from notcher.audio import RATE, decode
from notcher.audio.decode import load
from notcher.audio.lead import isolate_between
from notcher.audio.peaks import Peaks
from notcher.audio.recording import Audio, OnDisk
from notcher.audio.survey import survey
from notcher.score.isolation import Isolation, StereoPosition
from tests.conftest import tone, write_audio

SOUND = np.stack([tone(440, 3.0), 0.4 * tone(330, 3.0, decay=0.4)])


@pytest.fixture
def long_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Three seconds, which count as long here."""
    monkeypatch.setattr(decode, "LONGEST_IN_MEMORY", 1.0)
    return write_audio(tmp_path / "long.wav", SOUND, 48000)


def test_on_disk_it_is_the_same_sound(long_file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    disk = load(long_file)
    assert isinstance(disk.kept, OnDisk)
    monkeypatch.undo()
    memory = load(long_file)
    assert isinstance(memory.kept, np.ndarray)
    assert np.array_equal(disk.samples, memory.samples)
    assert (disk.duration, disk.channels, disk.warnings) == (memory.duration, memory.channels, memory.warnings)
    assert np.array_equal(disk.between(0.7, 1.9), memory.between(0.7, 1.9))
    assert disk.between(2.9, 9.0).shape == memory.between(2.9, 9.0).shape
    assert disk.between(9.0, 10.0).shape == (2, 0)
    assert survey(disk) == survey(memory)
    for a, b in zip(Peaks(disk).between(0, 3, 50), Peaks(memory).between(0, 3, 50), strict=True):
        assert np.array_equal(a, b)
    centre = Isolation(StereoPosition.PAN)
    assert np.array_equal(isolate_between(disk, 1.0, 1.5, centre), isolate_between(memory, 1.0, 1.5, centre))


def test_the_pieces_are_the_whole(long_file: Path) -> None:
    audio = load(long_file)
    assert np.array_equal(np.concatenate(list(audio.pieces(seconds=0.37)), axis=1), audio.samples)
    part = np.concatenate(list(audio.pieces(0.5, 2.0, seconds=0.4)), axis=1)
    assert np.array_equal(part, audio.between(0.5, 2.0))


def test_with_the_disk_full_memory_has_to_do(long_file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    append = OnDisk.append
    blocks: list[np.ndarray] = []

    def full(self: OnDisk, block: np.ndarray) -> None:
        if len(blocks) == 1:
            raise OSError(28, "No space left on device")
        blocks.append(block)
        append(self, block)

    expected = load(long_file).samples
    monkeypatch.setattr(OnDisk, "append", full)
    audio = load(long_file)
    assert isinstance(audio.kept, np.ndarray)
    assert np.array_equal(audio.samples, expected)


def test_with_no_place_for_temporary_files_memory_has_to_do(long_file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    expected = load(long_file).samples

    def none(self: OnDisk, channels: int) -> None:
        raise OSError(30, "Read-only file system")

    monkeypatch.setattr(OnDisk, "__init__", none)
    assert np.array_equal(load(long_file).samples, expected)


def test_a_survey_says_what_there_is() -> None:
    """Levels: a sine of amplitude a has power a squared over two."""
    t = np.arange(25 * RATE) / RATE
    quiet, loud = 0.1 * np.sin(2 * np.pi * 440 * t), 0.5 * np.sin(2 * np.pi * 440 * t)
    mono = np.where((t >= 12) & (t < 18), loud, quiet).astype(np.float32)
    found = survey(Audio(np.stack([mono, mono]), RATE, 2))
    assert found.flat
    assert not found.inverted
    assert not found.bass
    assert found.loudest(6.0) == pytest.approx((12.0, 18.0), abs=0.11)
    assert found.levels[5] == pytest.approx(0.005, rel=0.02)
    assert found.levels[150] == pytest.approx(0.125, rel=0.02)
    assert survey(Audio(np.stack([mono, -mono]), RATE, 2)).inverted
    apart = survey(Audio(np.stack([mono, 0.5 * mono]), RATE, 2), 10.0, 20.0)
    assert not apart.flat
    assert apart.loudest(6.0) == pytest.approx((12.0, 18.0), abs=0.11)
    assert apart.loudest(60.0) == pytest.approx((10.0, 20.0), abs=0.11)
