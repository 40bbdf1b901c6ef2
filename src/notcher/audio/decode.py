"""Recordings in: WAV, FLAC, OGG and MP3, mono or stereo, 8 to 192 kHz, as float32 at RATE."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.score.errors import NotcherError

FloatArray = NDArray[np.float32]
KINDS = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff", ".oga")
SHORTEST = 0.1
LONGEST = 45 * 60.0
SILENCE_PEAK = 10 ** (-66 / 20)
_BLOCK = 1 << 18


class AudioError(NotcherError):
    """A recording that cannot be used, with the reason and the remedy."""


@dataclass(frozen=True, eq=False)
class Audio:
    """A decoded recording.

    samples: shape (1 or 2, n), float32 at RATE. file_rate, file_channels: of the file itself, in Hz and number.
    warnings: sentences about what is odd with the file though it can be used.
    """

    samples: FloatArray
    file_rate: int
    file_channels: int
    warnings: tuple[str, ...] = field(default=())

    @property
    def duration(self) -> float:
        """Seconds."""
        return float(self.samples.shape[1]) / RATE

    def between(self, start: float, end: float) -> FloatArray:
        """Samples from start to end seconds, shape (channels, n), cut to what there is. A view, not a copy."""
        return self.samples[:, max(0, round(start * RATE)) : max(0, round(end * RATE))]


def file_hash(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal, read in blocks."""
    with path.open("rb") as f:
        return hashlib.file_digest(f, "sha256").hexdigest()


def load(path: Path, *, progress: Callable[[float], None] | None = None) -> Audio:
    """Decode a recording to float32 at RATE; more than two channels are folded to mono.

    Raises AudioError for a file that is missing, empty, no audio, shorter than SHORTEST, longer than LONGEST or silent.
    """
    _check_file(path)
    from pedalboard.io import AudioFile

    try:
        source = AudioFile(str(path))
    except (ValueError, RuntimeError, OSError) as error:
        raise AudioError(
            f"'{path.name}' is not a recording Notcher can read; it takes WAV, FLAC, OGG and MP3"
        ) from error
    with source:
        announced, rate, channels = source.frames / source.samplerate, round(source.samplerate), source.num_channels
        if announced > LONGEST:
            raise AudioError(
                f"'{path.name}' lasts {announced / 60:.0f} minutes; cut out the solo first (the limit is "
                f"{LONGEST / 60:.0f} minutes)"
            )
        samples, broken = _read_all(source, announced, progress)
    duration = samples.shape[1] / RATE
    warnings = []
    if broken or duration < announced * 0.99 - 0.05:
        warnings.append(
            f"the file breaks off after {duration:.1f} s of the {announced:.1f} s it announces; "
            "what is there can be used"
        )
    if duration < SHORTEST:
        raise AudioError(
            f"'{path.name}' holds {duration:.2f} s of sound, too short for a note; choose a longer recording"
        )
    peak = float(np.max(np.abs(samples)))
    if not np.isfinite(peak):
        raise AudioError(f"'{path.name}' holds samples that are not numbers; export it again from its source")
    if peak < SILENCE_PEAK:
        raise AudioError(f"'{path.name}' is silent from start to end; choose another recording")
    if np.mean(np.abs(samples) >= 0.999 * max(peak, 0.5)) > 0.002:
        warnings.append("the recording is clipped; bends and attacks in the loudest places are less certain")
    if rate < 16000:
        warnings.append(f"the recording has only {rate} samples a second; attacks are less certain")
    return Audio(samples, rate, channels, tuple(warnings))


def _check_file(path: Path) -> None:
    if not path.exists():
        raise AudioError(f"there is no file '{path}'; check the name")
    if path.is_dir():
        raise AudioError(f"'{path}' is a folder; choose the recording in it")
    try:
        size = path.stat().st_size
        with path.open("rb") as f:
            f.read(1)
    except OSError as error:
        raise AudioError(f"'{path.name}' cannot be read ({error.strerror}); check its permissions") from error
    if size == 0:
        raise AudioError(f"'{path.name}' is empty (0 bytes); copy or download it again")


def _read_all(source, announced: float, progress: Callable[[float], None] | None) -> tuple[FloatArray, bool]:  # type: ignore[no-untyped-def]
    """All frames at RATE, and whether the decoder gave up before the end."""
    reader = source.resampled_to(RATE) if round(source.samplerate) != RATE else source
    blocks: list[FloatArray] = []
    read, broken = 0, False
    while True:
        try:
            block = reader.read(_BLOCK)
        except (RuntimeError, ValueError, OSError):
            broken = True
            break
        if block.shape[1] == 0:
            break
        blocks.append(block if block.shape[0] <= 2 else block.mean(axis=0, keepdims=True, dtype=np.float32))
        read += block.shape[1]
        if progress:
            progress(min(1.0, read / RATE / max(announced, 0.01)))
    if not blocks:
        return np.zeros((1, 0), np.float32), broken
    return np.concatenate(blocks, axis=1), broken


def write_wav(path: Path, samples: FloatArray) -> None:
    """Write samples shaped (channels, n) as a 24-bit WAV at RATE, whole or not at all."""
    from pedalboard.io import AudioFile

    partial = path.with_name(f".{path.stem}.part.wav")
    try:
        with AudioFile(str(partial), "w", RATE, samples.shape[0], bit_depth=24) as f:
            f.write(np.clip(samples, -1.0, 1.0))
        partial.replace(path)
    except (OSError, ValueError) as error:
        raise AudioError(f"'{path}' could not be written: {error}") from error
    finally:
        partial.unlink(missing_ok=True)
