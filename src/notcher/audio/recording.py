"""A decoded recording: its samples in memory or, where it is long, in a temporary file that is read piece by piece."""

import contextlib
import os
import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.score.clause import Clause
from notcher.score.errors import NotcherError

FloatArray = NDArray[np.float32]
PIECE_S = 10.0
# Of a fresh Debian's folders for temporary files, /tmp may itself lie in memory.
_ROOMY = Path("/var/tmp")


class AudioError(NotcherError):
    """A recording that cannot be used, with the reason and the remedy."""


class SilentError(AudioError):
    """A sound file in which there is nothing but silence."""


class NoLeadError(AudioError):
    """No lead is told in a recording: a doubt, which whoever says where the lead sits puts aside."""


class Stored(Protocol):
    """Samples that are read piece by piece."""

    @property
    def shape(self) -> tuple[int, int]:
        """Channels and samples, as of an array."""

    def read(self, low: int, high: int) -> FloatArray:
        """Samples low to high (not included), shape (channels, n)."""


class OnDisk:
    """Samples in an unnamed temporary file, which goes with this object; written once, then read from any thread.

    Raises OSError where the file cannot be made or written.
    """

    def __init__(self, channels: int) -> None:
        folder = str(_ROOMY) if "TMPDIR" not in os.environ and os.access(_ROOMY, os.W_OK) else None
        self._file = tempfile.TemporaryFile(dir=folder, buffering=0)  # noqa: SIM115 (lives as long as this)
        self._channels, self._length = channels, 0

    @property
    def shape(self) -> tuple[int, int]:
        """Channels and samples, as of an array."""
        return self._channels, self._length

    def append(self, block: FloatArray) -> None:
        """Add samples at the end, shape (channels, n)."""
        data = memoryview(np.ascontiguousarray(block.T, np.float32).tobytes())
        while data:
            data = data[self._file.write(data) :]
        self._length += block.shape[1]

    def read(self, low: int, high: int) -> FloatArray:
        """Samples low to high (not included), shape (channels, n). Raises AudioError where the file on disk was cut
        short."""
        low, high = min(low, self._length), min(high, self._length)
        width = 4 * self._channels
        data = bytearray()
        while len(data) < (high - low) * width:
            got = os.pread(self._file.fileno(), (high - low) * width - len(data), low * width + len(data))
            if not got:
                raise AudioError("the decoded recording was cut short on disk; open it again")
            data += got
        return np.ascontiguousarray(np.frombuffer(data, np.float32).reshape(-1, self._channels).T)

    def close(self) -> None:
        """Give the file up."""
        self._file.close()

    def __del__(self) -> None:
        with contextlib.suppress(AttributeError, OSError):
            self._file.close()


@dataclass(frozen=True, eq=False)
class Audio:
    """A decoded recording.

    kept: shape (1 or 2, n), float32 at RATE, in memory or read where they are wanted. file_rate, file_channels: of the
    file itself, in Hz and number. warnings: clauses about what is odd with the file though it can be used.
    """

    kept: FloatArray | Stored
    file_rate: int
    file_channels: int
    warnings: tuple[Clause, ...] = field(default=())

    @property
    def duration(self) -> float:
        """Seconds."""
        return float(self.kept.shape[1]) / RATE

    @property
    def channels(self) -> int:
        """1 or 2."""
        return int(self.kept.shape[0])

    @property
    def samples(self) -> FloatArray:
        """All of it at once, shape (channels, n): a long recording takes 21 MB a minute."""
        return self._read(0, self.kept.shape[1])

    def between(self, start: float, end: float) -> FloatArray:
        """Samples from start to end seconds, shape (channels, n), cut to what there is; not to be written to."""
        return self._read(max(0, round(start * RATE)), max(0, round(end * RATE)))

    def pieces(self, start: float = 0.0, end: float | None = None, *, seconds: float = PIECE_S) -> Iterator[FloatArray]:
        """What lies between two times, piece after piece, shape (channels, n) each."""
        low, high = round(start * RATE), self.kept.shape[1] if end is None else round(end * RATE)
        step = round(seconds * RATE)
        for at in range(low, min(high, self.kept.shape[1]), step):
            yield self._read(at, min(at + step, high))

    def _read(self, low: int, high: int) -> FloatArray:
        if isinstance(self.kept, np.ndarray):
            return self.kept[:, low:high]
        return self.kept.read(low, max(low, high))
