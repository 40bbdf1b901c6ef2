"""A recording's outline for drawing: the least and greatest sample of each short block."""

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray

BLOCK = 256
_PIECE_BLOCKS = 4096


class Peaks:
    """Outline of a recording at several widths of block, so that any zoom draws about one value a pixel."""

    def __init__(self, audio: Audio) -> None:
        """The channels are folded together."""
        least, greatest = [], []
        for piece in audio.pieces(seconds=_PIECE_BLOCKS * BLOCK / RATE):
            blocks = piece[:, : piece.shape[1] // BLOCK * BLOCK].reshape(len(piece), -1, BLOCK)
            least.append(blocks.min(axis=(0, 2)))
            greatest.append(blocks.max(axis=(0, 2)))
        self._levels = [(np.concatenate(least), np.concatenate(greatest))]
        while len(self._levels[-1][0]) > 2048:
            low, high = self._levels[-1]
            even = len(low) // 4 * 4
            self._levels.append((low[:even].reshape(-1, 4).min(axis=1), high[:even].reshape(-1, 4).max(axis=1)))

    def between(self, start: float, end: float, count: int) -> tuple[FloatArray, FloatArray]:
        """Least and greatest sample in each of `count` equal parts of a time range in seconds, shapes (count,).

        0 where the range lies outside the recording.
        """
        per_part = (end - start) * RATE / max(1, count)
        level, width = 0, BLOCK
        while level + 1 < len(self._levels) and width * 4 <= per_part:
            level, width = level + 1, width * 4
        low, high = self._levels[level]
        edges = np.floor((start * RATE + np.arange(count + 1) * per_part) / width).astype(int)
        first, last = np.clip(edges[:-1], 0, max(0, len(low) - 1)), np.clip(edges[1:], 0, len(low))
        inside = (edges[:-1] >= 0) & (edges[:-1] < len(low))
        least, greatest = np.zeros(count, np.float32), np.zeros(count, np.float32)
        if len(low) == 0:
            return least, greatest
        # reduceat takes the single value at `first` where a part holds no whole block.
        ends = np.maximum(last, first + 1)
        pairs = np.stack([first, np.minimum(ends, len(low) - 1)], axis=1).ravel()
        least[:] = np.minimum.reduceat(low, pairs)[::2]
        greatest[:] = np.maximum.reduceat(high, pairs)[::2]
        return np.where(inside, least, 0).astype(np.float32), np.where(inside, greatest, 0).astype(np.float32)
