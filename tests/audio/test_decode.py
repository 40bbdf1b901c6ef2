"""Recordings in: what is taken, and what is refused with which words."""

import contextlib
import hashlib
import os
from pathlib import Path

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.decode import file_hash, load
from notcher.audio.recording import AudioError
from tests.conftest import tone, write_audio


@pytest.mark.parametrize("ending", ["wav", "flac", "ogg", "mp3"])
@pytest.mark.parametrize("channels", [1, 2])
def test_the_usual_formats(tmp_path: Path, ending: str, channels: int) -> None:
    sound = np.tile(tone(440, 1.0), (channels, 1))
    audio = load(write_audio(tmp_path / f"a.{ending}", sound))
    assert audio.file_channels == channels
    assert audio.samples.dtype == np.float32
    # MP3 coders put silence before and after.
    assert audio.duration == pytest.approx(1.0, abs=0.06)
    spectrum = np.abs(np.fft.rfft(audio.samples[0] * np.hanning(audio.samples.shape[1])))
    assert np.argmax(spectrum) / audio.duration == pytest.approx(440, abs=1.5)


@pytest.mark.parametrize("rate", [8000, 22050, 44100, 48000, 96000, 192000])
def test_rates_from_8_to_192_khz(tmp_path: Path, rate: int) -> None:
    t = np.arange(rate) / rate
    audio = load(write_audio(tmp_path / "a.wav", 0.3 * np.sin(2 * np.pi * 440 * t), rate))
    assert audio.file_rate == rate
    assert audio.samples.shape[1] == pytest.approx(RATE, abs=4)
    spectrum = np.abs(np.fft.rfft(audio.samples[0]))
    assert np.argmax(spectrum) == pytest.approx(440, abs=1)
    assert any("attacks are less certain" in str(w) for w in audio.warnings) == (rate < 16000)


def test_the_samples_are_those_of_a_general_purpose_reader(tmp_path: Path) -> None:
    import soundfile

    path = write_audio(tmp_path / "a.flac", np.stack([tone(330, 0.5), tone(440, 0.5)]))
    theirs, _ = soundfile.read(str(path), dtype="float32")
    assert np.allclose(load(path).samples, theirs.T, atol=1e-6)


def test_the_hash_is_sha_256_of_the_file(tmp_path: Path) -> None:
    path = tmp_path / "x"
    path.write_bytes(b"abc")
    # FIPS 180-2, appendix B.1.
    assert file_hash(path) == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"
    assert file_hash(path) == hashlib.sha256(b"abc").hexdigest()


def _empty(folder: Path) -> Path:
    (folder / "empty.wav").write_bytes(b"")
    return folder / "empty.wav"


def _text(folder: Path) -> Path:
    (folder / "text.mp3").write_text("no sound here, only words " * 50)
    return folder / "text.mp3"


def _silent(folder: Path) -> Path:
    return write_audio(folder / "silent.wav", np.zeros(RATE, np.float32))


def _blink(folder: Path) -> Path:
    return write_audio(folder / "blink.wav", tone(440, 0.05))


def _not_numbers(folder: Path) -> Path:
    import soundfile

    path = folder / "nan.wav"
    soundfile.write(str(path), np.full(RATE, np.nan, np.float32), RATE, subtype="FLOAT")
    return path


def _missing(folder: Path) -> Path:
    return folder / "nowhere.wav"


def _folder(folder: Path) -> Path:
    return folder


def _header_only(folder: Path) -> Path:
    whole = write_audio(folder / "whole.wav", tone(440, 1.0)).read_bytes()
    (folder / "header.wav").write_bytes(whole[:44])
    return folder / "header.wav"


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (_empty, "empty .0 bytes."),
        (_text, "not a recording Notcher can read"),
        (_silent, "silent from start to end"),
        (_blink, "too short for a note"),
        (_not_numbers, "not numbers"),
        (_missing, "there is no file"),
        (_folder, "is a folder"),
        (_header_only, "holds no sound"),
    ],
)
def test_what_cannot_be_used_is_refused_in_one_line(tmp_path: Path, make, message: str) -> None:
    with pytest.raises(AudioError, match=message) as caught:
        load(make(tmp_path))
    assert "\n" not in str(caught.value)


@pytest.mark.parametrize("ending", ["wav", "flac"])
def test_a_file_that_breaks_off_is_used_as_far_as_it_goes(tmp_path: Path, ending: str) -> None:
    path = write_audio(tmp_path / f"whole.{ending}", np.random.default_rng(1).normal(0, 0.1, 4 * RATE))
    data = path.read_bytes()
    cut = tmp_path / f"cut.{ending}"
    cut.write_bytes(data[: len(data) // 2])
    audio = load(cut)
    assert 1.0 < audio.duration < 2.5
    assert any("breaks off" in str(w) for w in audio.warnings)


def test_clipping_is_said(tmp_path: Path) -> None:
    clipped = np.clip(8 * tone(220, 1.0, decay=0.2), -0.9, 0.9)
    assert any("clipped" in str(w) for w in load(write_audio(tmp_path / "c.wav", clipped)).warnings)
    assert load(write_audio(tmp_path / "d.wav", tone(220, 1.0))).warnings == ()


def test_a_broken_mp3_is_said_in_one_sentence_and_by_nobody_else(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    whole = write_audio(tmp_path / "whole.mp3", tone(440, 3.0)).read_bytes()
    broken = bytearray(whole)
    for at in range(2000, len(broken) - 400, 1500):
        broken[at : at + 300] = b"\xff\xfb\x00" * 100
    (tmp_path / "broken.mp3").write_bytes(bytes(broken))
    (tmp_path / "none.mp3").write_bytes(b"\xff\xfb\x90\x00" + b"words" * 2000)
    for name in ("broken.mp3", "none.mp3"):
        with contextlib.suppress(AudioError):
            load(tmp_path / name)
    assert capfd.readouterr().err == ""


@pytest.mark.parametrize("kind", ["pipe", "device", "NUL"])
def test_what_may_never_end_is_not_read(tmp_path: Path, kind: str) -> None:
    path = {"pipe": tmp_path / "p.wav", "device": Path("/dev/zero"), "NUL": Path("a\0b.wav")}[kind]
    if kind == "pipe":
        os.mkfifo(path)
    with pytest.raises(AudioError, match=r"no plain file|check the name"):
        load(path)


def test_a_name_that_is_no_text_is_read(tmp_path: Path) -> None:
    path = Path(os.fsdecode(bytes(tmp_path) + b"/caf\xe9.wav"))
    write_audio(tmp_path / "a.wav", tone(440, 0.5)).rename(path)
    assert load(path).duration == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize(
    ("sound", "said"),
    [
        (np.stack([tone(440, 0.5)] * 2) * 0.01, "very quiet"),
        (np.stack([tone(440, 0.5)] * 2) * 0.3 + 0.2, "off its zero line"),
        (np.stack([tone(440, 0.5), -tone(440, 0.5)]), "turned upside down"),
    ],
)
def test_what_is_odd_is_said(tmp_path: Path, sound: np.ndarray, said: str) -> None:
    audio = load(write_audio(tmp_path / "odd.wav", sound))
    assert any(said in str(w) for w in audio.warnings), audio.warnings


def test_a_good_recording_has_no_warnings(tmp_path: Path) -> None:
    assert load(write_audio(tmp_path / "good.wav", np.stack([tone(440, 0.5), tone(330, 0.5)]))).warnings == ()
