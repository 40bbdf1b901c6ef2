"""Two general-purpose pitch trackers, used as their libraries give them, with the plainest cut into notes."""

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.listen.frames.spectrum import HOP

_SHORTEST_S = 0.06


@dataclass(frozen=True)
class PlainNote:
    """What mir_eval needs of a note; of techniques these trackers say nothing."""

    onset: float
    end: float
    pitch: int
    attack: str = "pick"
    bend: None = None
    vibrato: None = None
    marks: tuple[str, ...] = ()


def autocorrelation(mono: FloatArray) -> NDArray[np.float64]:
    """librosa.pyin (Mauch and Dixon 2014), its defaults over the guitar's range: cents each HOP, NaN unvoiced."""
    import librosa

    step = round(HOP * RATE) * 2
    hz, voiced, _ = librosa.pyin(mono, fmin=75, fmax=1500, sr=RATE, frame_length=2048, hop_length=step)
    return _on_grid(np.arange(len(hz)) * step / RATE, np.where(voiced, hz, np.nan), len(mono))


def network(mono: FloatArray) -> NDArray[np.float64]:
    """swift-f0, the pitch network that Notcher starts from, as its own package gives it."""
    import swift_f0

    found = swift_f0.SwiftF0().detect(mono, RATE, fmin=75, fmax=1500)
    return _on_grid(found.timestamps, np.where(found.confidence >= 0.5, found.pitch_hz, np.nan), len(mono))


def network_notes(mono: FloatArray, offset_cents: float) -> list[PlainNote]:
    """swift-f0's own cut into notes; the true offset is given to it."""
    import swift_f0

    found = swift_f0.SwiftF0().detect(mono, RATE, fmin=75, fmax=1500)
    return [
        PlainNote(n.start, n.end, round(69 + 12 * np.log2(n.pitch_hz / 440.0) - offset_cents / 100))
        for n in swift_f0.segment_notes(found)
    ]


def _on_grid(times: NDArray[np.float64], hz: NDArray[np.float64], samples: int) -> NDArray[np.float64]:
    grid = np.arange(int(samples / RATE / HOP)) * HOP
    nearest = np.clip(np.searchsorted(times, grid), 0, len(times) - 1)
    nearest = np.where(
        (nearest > 0) & (np.abs(times[nearest - 1] - grid) < np.abs(times[nearest] - grid)), nearest - 1, nearest
    )
    with np.errstate(invalid="ignore"):
        return 6900 + 1200 * np.log2(hz[nearest] / 440.0)


def plain_notes(cents: NDArray[np.float64], offset_cents: float) -> list[PlainNote]:
    """A note for every stretch of 60 ms or more that stays on one semitone (the true offset is given to it)."""
    keys = np.where(np.isfinite(cents), np.round((cents - offset_cents) / 100), -1).astype(int)
    edges = np.concatenate(([0], np.flatnonzero(np.diff(keys)) + 1, [len(keys)]))
    return [
        PlainNote(a * HOP, b * HOP, int(keys[a]))
        for a, b in itertools.pairwise(edges)
        if keys[a] > 0 and (b - a) * HOP >= _SHORTEST_S
    ]
