"""Recordings in: WAV, FLAC, OGG and MP3, mono or stereo, 8 to 192 kHz, as float32 at RATE."""

import contextlib
import hashlib
import logging
import os
import re
import stat
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from notcher.audio import RATE
from notcher.audio.lead import cancels
from notcher.audio.recording import Audio, AudioError, FloatArray, OnDisk, SilentError
from notcher.score.clause import Clause
from notcher.stopping import look_for_stop

log = logging.getLogger(__name__)

KINDS = (".wav", ".flac", ".ogg", ".mp3", ".aif", ".aiff", ".oga")
SHORTEST = 0.1
LONGEST = 45 * 60.0
LONGEST_IN_MEMORY = 5 * 60.0
SILENCE_PEAK = 10 ** (-66 / 20)
QUIET_PEAK = 10 ** (-36 / 20)
_BLOCK, _HASHED = 1 << 16, 1 << 22


def file_hash(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal, read in blocks."""
    found = hashlib.sha256()
    with path.open("rb") as f:
        while block := f.read(_HASHED):
            look_for_stop()
            found.update(block)
    return found.hexdigest()


def head_of(path: Path) -> tuple[int, int, float] | None:
    """Frames a second, channels and seconds as a sound file's head has them; None where it cannot be read."""
    import soundfile

    try:
        with _decoder_kept_quiet():
            info = soundfile.info(os.fsencode(path))
    except (soundfile.LibsndfileError, RuntimeError, OSError, TypeError):
        return None
    return int(info.samplerate), int(info.channels), float(info.duration)


def load(path: Path, *, progress: Callable[[float], None] | None = None) -> Audio:
    """Decode a recording to float32 at RATE; more than two channels are folded to mono.

    Raises AudioError for a file that is missing, empty, no audio, shorter than SHORTEST, longer than LONGEST or silent.
    """
    _check_file(path)
    import soundfile

    try:
        with _decoder_kept_quiet():
            source = soundfile.SoundFile(os.fsencode(path))
    except (soundfile.LibsndfileError, OSError, TypeError) as error:
        raise AudioError(
            "'{name}' is not a recording Notcher can read; it takes WAV, FLAC, OGG and MP3", name=path.name
        ) from error
    with source:
        rate, channels = int(source.samplerate), int(source.channels)
        announced = max(source.frames, _announced_frames(source.extra_info, source.frames)) / rate
        if announced > LONGEST:
            raise AudioError(
                "'{name}' lasts {announced:.0f} minutes; cut out the solo first (the limit is {longest:.0f} minutes)",
                name=path.name,
                announced=announced / 60,
                longest=LONGEST / 60,
            )
        kept, broken = _read_all(source, announced, progress)
    duration = kept.shape[1] / RATE
    warnings = []
    if broken or duration < announced * 0.99 - 0.05:
        warnings.append(
            Clause(
                "the file breaks off after {duration:.1f} s of the {announced:.1f} s it announces; what is there can "
                "be used",
                duration=duration,
                announced=announced,
            )
        )
    if kept.shape[1] == 0:
        raise AudioError("'{name}' holds no sound; copy or download it again", name=path.name)
    if duration < SHORTEST:
        raise AudioError(
            "'{name}' holds {duration:.2f} s of sound, too short for a note; choose a longer recording",
            name=path.name,
            duration=duration,
        )
    warnings += _oddities(Audio(kept, rate, channels), path.name)
    if rate < 16000:
        warnings.append(Clause("the recording has only {rate} samples a second; attacks are less certain", rate=rate))
    return Audio(kept, rate, channels, tuple(warnings))


def _oddities(audio: Audio, name: str) -> list[Clause]:
    """Sentences about what is odd with the sound. Raises AudioError where there is none, or no numbers."""
    peak, total, side, mid = 0.0, 0.0, 0.0, 0.0
    for piece in audio.pieces():
        peak = max(peak, float(np.max(np.abs(piece))))
        # Not to be lost in max(), which passes over what is no number.
        peak = peak if np.isfinite(piece).all() else np.nan
        if not np.isfinite(peak):
            raise AudioError("'{name}' holds samples that are not numbers; export it again from its source", name=name)
        total += float(np.sum(piece, dtype=np.float64))
        if len(piece) == 2:
            side += float(np.sum((piece[0] - piece[1]) ** 2))
            mid += float(np.sum((piece[0] + piece[1]) ** 2))
    if peak < SILENCE_PEAK:
        raise SilentError("'{name}' is silent from start to end; choose another recording", name=name)
    count = audio.kept.shape[0] * audio.kept.shape[1]
    found = []
    if sum(int(np.sum(np.abs(p) >= 0.999 * max(peak, 0.5))) for p in audio.pieces()) > 0.002 * count:
        found.append(Clause("the recording is clipped; bends and attacks in the loudest places are less certain"))
    if peak < QUIET_PEAK:
        found.append(
            Clause(
                "the recording is very quiet (its loudest sample lies at {level:.0f} dB); it is heard all the same, "
                "and noise with it",
                level=float(20 * np.log10(peak)),
            )
        )
    if abs(total / count) > 0.02 * peak:
        found.append(Clause("the recording is off its zero line (DC); that is taken out for listening"))
    if audio.channels == 2 and cancels(mid, side):
        found.append(Clause("left and right are each other turned upside down; they are listened to as one channel"))
    return found


_STDERR = threading.Lock()


@contextlib.contextmanager
def _decoder_kept_quiet() -> Iterator[None]:
    """The MP3 decoder inside libsndfile writes lines of its own to standard error where a file is broken; what is wrong
    is said by Notcher, in one sentence. One at a time, as the whole process has one standard error."""
    with _STDERR, open(os.devnull, "w") as nowhere:
        kept = os.dup(2)
        try:
            os.dup2(nowhere.fileno(), 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)


def _check_file(path: Path) -> None:
    try:
        status = path.stat()
    except FileNotFoundError as error:
        raise AudioError("there is no file '{path}'; check the name", path=path) from error
    except (OSError, ValueError) as error:
        raise AudioError(
            "'{path}' cannot be read ({getattr}); check the name", path=path, getattr=getattr(error, "strerror", error)
        ) from error
    if stat.S_ISDIR(status.st_mode):
        raise AudioError("'{path}' is a folder; choose the recording in it", path=path)
    # A pipe or a device may never end.
    if not stat.S_ISREG(status.st_mode):
        raise AudioError("'{path}' is no plain file; copy the recording to one first", path=path)
    try:
        size = status.st_size
        with path.open("rb") as f:
            f.read(1)
    except OSError as error:
        raise AudioError(
            "'{name}' cannot be read ({strerror}); check its permissions", name=path.name, strerror=error.strerror
        ) from error
    if size == 0:
        raise AudioError("'{name}' is empty (0 bytes); copy or download it again", name=path.name)


def _announced_frames(log: str, present: int) -> int:
    """Frames that a WAV or AIFF header speaks of where the file is shorter, read from the decoder's own log."""
    found = re.search(r"(?:data|SSND)\s*:\s*(\d+) \(should be (\d+)\)", log)
    if found is None or int(found[2]) == 0:
        return present
    return round(present * int(found[1]) / int(found[2]))


def _read_all(
    source: Any, announced: float, progress: Callable[[float], None] | None
) -> tuple[FloatArray | OnDisk, bool]:
    """All frames at RATE, and whether the decoder gave up before the end. More than two channels are folded to one."""
    import soundfile
    import soxr

    width = source.channels if source.channels <= 2 else 1
    resampler = soxr.ResampleStream(source.samplerate, RATE, width) if source.samplerate != RATE else None
    store = _Store(width, announced)
    read, broken, last = 0, False, False
    while not last:
        look_for_stop()
        try:
            with _decoder_kept_quiet():
                block = source.read(_BLOCK, dtype="float32", always_2d=True)
        except (soundfile.LibsndfileError, OSError):
            broken, block = True, np.zeros((0, source.channels), np.float32)
        last = len(block) == 0
        read += len(block)
        if width != source.channels:
            block = block.mean(axis=1, keepdims=True, dtype=np.float32)
        if resampler is not None:
            block = resampler.resample_chunk(block, last=last)
        store.add(np.asarray(block, np.float32).T)
        if progress:
            progress(min(1.0, read / source.samplerate / max(announced, 0.01)))
    return store.whole(), broken


class _Store:
    """Takes blocks one after another; those of a long recording go to a temporary file, so that memory stays bounded.
    Where the disk has no room for it, memory has to do."""

    def __init__(self, channels: int, announced: float) -> None:
        self._blocks: list[FloatArray] = []
        self._disk: OnDisk | None = None
        if announced > LONGEST_IN_MEMORY:
            try:
                self._disk = OnDisk(channels)
            except OSError as error:
                log.warning("no temporary file for a long recording: %s", error)

    def add(self, block: FloatArray) -> None:
        if self._disk is not None:
            try:
                self._disk.append(block)
                return
            except OSError as error:
                log.warning("no room on disk for a long recording, it is kept in memory: %s", error)
                self._blocks.append(self._disk.read(0, self._disk.shape[1]))
                self._disk.close()
                self._disk = None
        self._blocks.append(block)

    def whole(self) -> FloatArray | OnDisk:
        return self._disk if self._disk is not None else np.ascontiguousarray(np.concatenate(self._blocks, axis=1))
