"""The sounds of a plain band, all computed here: nothing is sampled, so they are as free as the program (GPL-3.0+).

Drums are decaying noise and swept sines, the bass a plucked string's partials, the chords tuned tines by frequency
modulation (Chowning 1973, J. Audio Eng. Soc. 21). In: what is struck, when, how loud. Out: samples.
"""

import functools
from collections.abc import Iterable
from dataclasses import dataclass
from enum import Enum, auto

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.score.pitch import midi_to_hz


class Part(Enum):
    """What is played."""

    KICK = auto()
    SNARE = auto()
    RIM = auto()
    HAT = auto()
    RIDE = auto()
    BASS = auto()
    CHORDS = auto()


DRUMS = frozenset({Part.KICK, Part.SNARE, Part.RIM, Part.HAT, Part.RIDE})
# Where each stands between left (-1) and right (1), and how loud it is among the others.
_SEATS = {Part.KICK: 0.0, Part.SNARE: 0.1, Part.RIM: 0.15, Part.HAT: 0.4, Part.RIDE: -0.4, Part.BASS: 0.0}
_LEVELS = {
    Part.KICK: 0.5, Part.SNARE: 0.3, Part.RIM: 0.22, Part.HAT: 0.1, Part.RIDE: 0.12, Part.BASS: 0.34, Part.CHORDS: 0.13,
}  # fmt: skip
# Chords spread by their pitch, low ones to the left.
_MIDDLE, _SPREAD = 60.0, 24.0
_RELEASE_S = 0.04
LONGEST_S = 4.0
"""Nothing rings longer."""


@dataclass(frozen=True, slots=True)
class Struck:
    """One note or stroke. Times in seconds; pitch: MIDI, 0 for drums; loud: 0 to 1."""

    part: Part
    start: float
    end: float
    pitch: int
    loud: float


def sounded(struck: Iterable[Struck], start: float, end: float, *, offset_cents: float = 0.0) -> FloatArray:
    """What is heard from start to end seconds, shape (2, n). offset_cents: from A = 440."""
    out = np.zeros((2, max(0, round((end - start) * RATE))), np.float32)
    for s in struck:
        if s.start >= end or s.start + LONGEST_S <= start:
            continue
        sound = _sound(s, round(offset_cents, 1))
        at = round((s.start - start) * RATE)
        low, high = max(0, at), min(out.shape[1], at + len(sound))
        if high > low:
            seat = _SEATS.get(s.part, np.clip((s.pitch - _MIDDLE) / _SPREAD, -0.6, 0.6))
            for channel, side in ((0, 1 - seat), (1, 1 + seat)):
                out[channel, low:high] += np.float32(np.sqrt(side / 2)) * sound[low - at : high - at]
    return np.asarray(np.tanh(out), dtype=np.float32)


def _sound(struck: Struck, offset_cents: float) -> FloatArray:
    whole = _DRUMS[struck.part]() if struck.part in DRUMS else _tuned(struck.part, struck.pitch, offset_cents)
    if struck.part not in DRUMS:
        length = min(len(whole), round(max(0.05, struck.end - struck.start) * RATE))
        tail = min(length, round(_RELEASE_S * RATE))
        whole = whole[:length].copy()
        whole[length - tail :] *= np.linspace(1.0, 0.0, tail, dtype=np.float32)
    return np.asarray(whole * np.float32(struck.loud * _LEVELS[struck.part]), dtype=np.float32)


def _time(seconds: float) -> NDArray[np.float64]:
    return np.arange(round(seconds * RATE)) / RATE


def _noise(n: int, seed: int) -> NDArray[np.float64]:
    return np.random.default_rng(seed).standard_normal(n)


def _bright(noise: NDArray[np.float64], times: int) -> NDArray[np.float64]:
    """Noise with its low part taken out, by differences."""
    for _ in range(times):
        noise = np.diff(noise, prepend=0.0) / 2
    return noise


@functools.lru_cache(maxsize=1)
def _kick() -> FloatArray:
    t = _time(0.35)
    pitch = 46 + 90 * np.exp(-t / 0.025)
    body = np.sin(2 * np.pi * np.cumsum(pitch) / RATE) * np.exp(-t / 0.1)
    return (body + 0.3 * _noise(len(t), 1) * np.exp(-t / 0.003)).astype(np.float32)


@functools.lru_cache(maxsize=1)
def _snare() -> FloatArray:
    t = _time(0.3)
    skin = (np.sin(2 * np.pi * 185 * t) + 0.6 * np.sin(2 * np.pi * 331 * t)) * np.exp(-t / 0.05)
    return (0.6 * skin + 0.8 * _bright(_noise(len(t), 2), 1) * np.exp(-t / 0.08)).astype(np.float32)


@functools.lru_cache(maxsize=1)
def _rim() -> FloatArray:
    t = _time(0.12)
    tone = np.sin(2 * np.pi * 420 * t) + np.sin(2 * np.pi * 1040 * t)
    return (tone * np.exp(-t / 0.012) + 0.2 * _bright(_noise(len(t), 3), 1) * np.exp(-t / 0.004)).astype(np.float32)


@functools.lru_cache(maxsize=1)
def _hat() -> FloatArray:
    t = _time(0.12)
    return (3.0 * _bright(_noise(len(t), 4), 3) * np.exp(-t / 0.022)).astype(np.float32)


@functools.lru_cache(maxsize=1)
def _ride() -> FloatArray:
    t = _time(0.9)
    partials = sum(np.sin(2 * np.pi * f * t + f) for f in (3120.0, 4370.0, 5210.0, 6480.0, 7890.0))
    stick = 2.0 * _bright(_noise(len(t), 5), 2) * np.exp(-t / 0.01)
    return (0.15 * partials * np.exp(-t / 0.28) + stick).astype(np.float32)


_DRUMS = {Part.KICK: _kick, Part.SNARE: _snare, Part.RIM: _rim, Part.HAT: _hat, Part.RIDE: _ride}


@functools.lru_cache(maxsize=48)
def _tuned(part: Part, pitch: int, offset_cents: float) -> FloatArray:
    f0 = midi_to_hz(pitch, offset_cents=offset_cents)
    return _bass(f0) if part is Part.BASS else _tine(f0)


def _bass(f0: float) -> FloatArray:
    t = _time(LONGEST_S)
    out = np.zeros_like(t)
    for k in range(1, 9):
        # Plucked at a quarter of its length (Fletcher and Rossing, The Physics of Musical Instruments, ch. 2).
        out += np.sin(np.pi * k / 4) / k**1.4 * np.sin(2 * np.pi * k * f0 * t) * np.exp(-t * (0.8 + 0.9 * k))
    return (out * np.clip(t / 0.004, 0, 1)).astype(np.float32)


def _tine(f0: float) -> FloatArray:
    t = _time(LONGEST_S)
    index = 0.9 * np.exp(-t / 0.5)
    body = np.sin(2 * np.pi * f0 * t + index * np.sin(2 * np.pi * f0 * t)) * np.exp(-t / 1.3)
    tine = 0.08 * np.sin(2 * np.pi * 7 * f0 * t) * np.exp(-t / 0.12)
    return ((body + tine) * np.clip(t / 0.005, 0, 1)).astype(np.float32)
