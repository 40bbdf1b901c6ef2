"""The lead alone and all the rest over a whole recording, parted block by block as they are wanted."""

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.wiener import Lines, parted
from notcher.score.isolation import Isolation

BLOCK_S = 8.0
"""Seconds parted at a time."""
# Seconds heard more to either side of a block, and over which two blocks fade into one another.
_CONTEXT_S, _FADE_S = 1.0, 0.06
# Blocks that are kept: about two minutes.
_KEPT = 16


class Parted:
    """A recording, what its lead plays, and where that sits. Made anew when one of them changes (see `following`)."""

    def __init__(self, audio: Audio, lines: Lines, isolation: Isolation) -> None:
        self._audio, self._lines, self._isolation = audio, lines, isolation
        self._blocks: dict[int, FloatArray] = {}

    def following(self, lines: Lines, isolation: Isolation) -> "Parted":
        """The same recording after an edit; blocks in which nothing changed are kept."""
        out = Parted(self._audio, lines, isolation)
        if isolation == self._isolation:
            for number, sound in self._blocks.items():
                before, now = (which.between(*self._heard(number)) for which in (self._lines, lines))
                same = before.hz.shape == now.hz.shape and np.array_equal(before.hz, now.hz)
                if same and np.array_equal(before.strokes, now.strokes):
                    out._blocks[number] = sound
        return out

    def missing(self, start: float, end: float) -> list[int]:
        """The blocks between two times in seconds that are not parted yet."""
        return [k for k in self._numbers(start, end) if k not in self._blocks]

    def prepare(self, number: int) -> None:
        """Part one block."""
        low, high = self._heard(number)
        lead = parted(self._audio.between(low, high), self._lines.between(low, high), self._isolation)
        skip = round(self._from(number) * RATE) - round(low * RATE)
        count = round((self._until(number)) * RATE) - round(self._from(number) * RATE)
        while len(self._blocks) >= _KEPT:
            self._blocks.pop(next(iter(self._blocks)))
        self._blocks[number] = lead[:, skip : skip + count]

    def between(self, start: float, end: float, *, rest: bool = False) -> FloatArray:
        """The lead (or with `rest` all else) between two times in seconds, shape (channels, n); parts what is missing.
        Beyond the recording's ends there is silence."""
        first, wanted = round(start * RATE), max(0, round(end * RATE) - round(start * RATE))
        out = np.zeros((self._audio.kept.shape[0], wanted), np.float32)
        for number in self._numbers(start, end):
            if number not in self._blocks:
                self.prepare(number)
            block = self._faded(number)
            at = round(self._from(number) * RATE) - first
            low, high = max(0, at), min(wanted, at + block.shape[1])
            if high > low:
                out[:, low:high] += block[:, low - at : high - at]
        if not rest:
            return out
        whole = self._audio.between(max(0.0, start), end)
        before = round(max(0.0, start) * RATE) - first
        part = out[:, before : before + whole.shape[1]]
        out[:, before : before + whole.shape[1]] = whole[:, : part.shape[1]] - part
        return out

    def _faded(self, number: int) -> FloatArray:
        block = self._blocks[number].copy()
        count = min(round(_FADE_S * RATE), block.shape[1])
        ramp = np.linspace(0.0, 1.0, count, dtype=np.float32)
        if number > 0:
            block[:, :count] *= ramp
        if self._until(number) < self._audio.duration:
            block[:, -count:] *= ramp[::-1]
        return block

    def _numbers(self, start: float, end: float) -> list[int]:
        low = max(0, int((start - _FADE_S) / BLOCK_S))
        last = int(np.ceil(self._audio.duration / BLOCK_S))
        return [k for k in range(low, last) if self._from(k) < end and self._until(k) > start]

    @staticmethod
    def _from(number: int) -> float:
        return number * BLOCK_S

    def _until(self, number: int) -> float:
        return min(self._audio.duration, (number + 1) * BLOCK_S + _FADE_S)

    def _heard(self, number: int) -> tuple[float, float]:
        return max(0.0, self._from(number) - _CONTEXT_S), min(self._audio.duration, self._until(number) + _CONTEXT_S)
