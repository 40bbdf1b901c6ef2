"""A small network that hears strings apart: at each moment and half semitone, whether a string of the lead sounds
there, is struck, or begins by the fretting hand.

It learned that on invented phrases whose truth is known (benchmarks/ear_material.py, benchmarks/fit_ear.py): one string
and several, clean and through amplifiers of every drive, alone and over backings. Where several strings go through one
amplifier, sum and difference tones are no strings of their own: that is what it knows and a search for one line does
not.
"""

import functools
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.audio.recording import FloatArray
from notcher.listen.frames.bands import STEP, bands_of
from notcher.models.runtime import network_runtime

LOWEST, PER_SEMITONE, PITCHES = 35.0, 2, 122
"""MIDI of the first pitch, how close they lie, and how many there are."""
LEAD_IN_S = 0.03
"""Seconds after a stroke from which its string is followed."""
# Likelihood (of 255) under which a string is gone, frames it may be so, and how far each frame moves what is followed.
_GONE, _GONE_FRAMES, _FOLLOWS = 64, 10, 0.6
# Frames at a time, with so many more to either side, so that memory stays bounded: 10 s.
_BLOCK, _MARGIN = 1000, 50


@dataclass(frozen=True, eq=False)
class Ear:
    """What it heard, each 0 to 255 for a likelihood from 0 to 1, frames STEP apart, shape (n, PITCHES). sounds: a
    string sounds there; struck: one is struck; fingered: a note begins there without being struck."""

    sounds: NDArray[np.uint8]
    struck: NDArray[np.uint8]
    fingered: NDArray[np.uint8]

    @classmethod
    def silent(cls, n: int) -> "Ear":
        """n frames in which nothing sounds."""
        return cls(*(np.zeros((n, PITCHES), np.uint8) for _ in range(3)))

    def __len__(self) -> int:
        return len(self.sounds)

    def only(self, start: float, end: float) -> "Ear":
        """What was heard between two times in seconds, and nothing outside."""
        out = Ear.silent(len(self))
        out.put(self, heard_from=0.0, start=start, end=end)
        return out

    def put(self, other: "Ear", *, heard_from: float, start: float, end: float) -> None:
        """Write what another heard between two times in seconds; its own first frame is at heard_from."""
        first, skip = round(start / STEP), round(start / STEP) - round(heard_from / STEP)
        count = max(0, min(len(other) - skip, round(end / STEP) - first, len(self) - first))
        for mine, theirs in zip(self.planes(), other.planes(), strict=True):
            mine[first : first + count] = theirs[skip : skip + count]

    def part(self, rows: slice) -> "Ear":
        """Some of its frames."""
        return Ear(*(plane[rows] for plane in self.planes()))

    def planes(self) -> tuple[NDArray[np.uint8], ...]:
        """All three."""
        return (self.sounds, self.struck, self.fingered)


def hear(mono: FloatArray) -> Ear:
    """Listen to mono sound at RATE, shape (n,)."""
    bands = bands_of(mono)
    n = len(bands)
    out = Ear.silent(n)
    for first in range(0, n, _BLOCK):
        low, high = max(0, first - _MARGIN), min(n, first + _BLOCK + _MARGIN)
        likely = _network().run(None, {"bands": bands[None, low:high]})[0][0]
        last = min(n, first + _BLOCK)
        kept = np.round(likely[first - low : last - low] * 255.0).astype(np.uint8)
        for which, plane in enumerate(out.planes()):
            plane[first:last] = kept[:, :, which]
    return out


@functools.cache
def _network() -> Any:
    onnxruntime = network_runtime()
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 2
    # The arena keeps what the largest block once took, for as long as the program runs.
    options.enable_cpu_mem_arena = False
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    model = resources.files("notcher").joinpath("data/ear.onnx").read_bytes()
    return onnxruntime.InferenceSession(model, options, providers=["CPUExecutionProvider"])


@dataclass(frozen=True, slots=True)
class Begun:
    """A note that the ear heard begin: time in seconds, MIDI pitch as it sounds then (at A = 440), how likely it is,
    and the likelihoods that it was struck and that it was not, 0 to 1."""

    time: float
    midi: float
    likely: float
    struck: float
    fingered: float


# Seconds around a time in which a beginning is looked for.
_NEAR_S = 0.04
# Semitones over a pitch from which two strings may make it, the likelihood that one sounds, and how well they fit.
_CLEARLY_ABOVE, _SOUNDS, _FITS = 2.0, 0.25, 0.05
# Likelihood under which nothing begins.
_HARDLY = 0.05
# Frames and pitches within which there is one beginning; seconds and semitones within which two are one.
_PEAK, _SAME_S, _SAME_STEPS = (7, 3), 0.045, 0.8


def begun(ear: Ear, least: float) -> list[Begun]:
    """All beginnings that are at least so likely, in time order."""
    from scipy import ndimage

    either = np.maximum(ear.struck, ear.fingered)
    peak = (either >= ndimage.maximum_filter(either, _PEAK)) & (either > 255 * least)
    found: list[Begun] = []
    for t, p in sorted(np.argwhere(peak).tolist(), key=lambda at: -int(either[at[0], at[1]])):
        low = max(0, p - 1)
        weight = either[t, low : p + 2].astype(float)
        midi = float(LOWEST + (weight @ np.arange(low, low + len(weight))) / weight.sum() / PER_SEMITONE)
        around = either[max(0, t - 1) : t + 2, p].astype(float)
        first = max(0, t - 1)
        time = float((around @ np.arange(first, first + len(around))) / around.sum()) * STEP
        if all(abs(time - b.time) > _SAME_S or abs(midi - b.midi) > _SAME_STEPS for b in found):
            found.append(Begun(time, midi, *(float(x[t, p]) / 255.0 for x in (either, ear.struck, ear.fingered))))
    return sorted(found, key=lambda b: (b.time, b.midi))


def followed(ear: Ear, start: float, midi: float, longest: float) -> NDArray[np.float64]:
    """The MIDI pitch (at A = 440) each STEP, from LEAD_IN_S after `start` on, of a string that began there: as long as
    it is heard to sound, and for `longest` seconds at most; shape (n,)."""
    at, gone = (midi - LOWEST) * PER_SEMITONE, 0
    first = round((start + LEAD_IN_S) / STEP)
    out: list[float] = []
    for k in range(first, min(len(ear), round((start + longest) / STEP))):
        low, high = max(0, round(at) - 1), min(PITCHES, round(at) + 2)
        around = ear.sounds[k, low:high].astype(float)
        if around.size == 0 or around.max() < _GONE:
            gone += 1
            if gone > _GONE_FRAMES:
                break
        else:
            gone = 0
            at += _FOLLOWS * (float(around @ np.arange(low, high)) / around.sum() - at)
        out.append(at / PER_SEMITONE + LOWEST)
    return np.array(out[: len(out) - gone])


def heard_at(ear: Ear, times: NDArray[np.float64], midi: NDArray[np.float64]) -> NDArray[np.float64]:
    """How likely a string sounds at each of some times in seconds on each of some MIDI pitches (at A = 440; NaN for
    none), 0 to 1; all shape (n,)."""
    if not len(ear):
        return np.zeros(len(times))
    rows = np.minimum(np.round(times / STEP).astype(int), len(ear) - 1)
    place = np.nan_to_num((midi - LOWEST) * PER_SEMITONE, nan=-9.0)
    at = np.round(place).astype(int)
    near = np.max([ear.sounds[rows, np.clip(at + d, 0, PITCHES - 1)] for d in (-1, 0, 1)], axis=0)
    return np.where((at >= 0) & (at < PITCHES), near / 255.0, 0.0)


def begun_near(ear: Ear, time: float, midi: float) -> tuple[float, float, float]:
    """How likely a string was struck, and a note began otherwise, at about a time in seconds on a MIDI pitch (at
    A = 440), and how likely one was struck on any; 0 to 1."""
    first, last = max(0, round((time - _NEAR_S) / STEP)), round((time + _NEAR_S) / STEP) + 1
    anywhere = float(ear.struck[first:last].max(initial=0)) / 255.0
    near = {"before": _NEAR_S, "after": _NEAR_S}
    return most_near(ear.struck, time, midi, **near), most_near(ear.fingered, time, midi, **near), anywhere


def begins_beside(ear: Ear, time: float, midi: float) -> bool:
    """Whether anything at all is heard to begin at about a time in seconds on another pitch than a MIDI one."""
    first, last = max(0, round((time - _NEAR_S) / STEP)), round((time + _NEAR_S) / STEP) + 1
    if first >= len(ear):
        return True
    either = np.maximum(ear.struck[first:last], ear.fingered[first:last]).max(axis=0)
    at = round((midi - LOWEST) * PER_SEMITONE)
    either[max(0, at - PER_SEMITONE) : max(0, at + PER_SEMITONE + 1)] = 0
    return bool(either.max() > 255 * _HARDLY)


def difference_of(ear: Ear, time: float, midi: float) -> float:
    """How likely two strings sound above a MIDI pitch (at A = 440) whose difference tone it is, f2 - f1 or 2 f1 - f2,
    as an amplifier makes of two: the likelihood of the less likely one, 0 to 1."""
    first = max(0, round(time / STEP) - 2)
    row = ear.sounds[first : first + 5].max(axis=0, initial=0).astype(float) / 255.0
    above = np.arange(PITCHES) > (midi + _CLEARLY_ABOVE - LOWEST) * PER_SEMITONE
    peak = above & (row > _SOUNDS) & (row >= np.roll(row, 1)) & (row > np.roll(row, -1))
    at = np.flatnonzero(peak)
    hz = 2.0 ** ((at / PER_SEMITONE + LOWEST - midi) / 12)
    apart = hz[None, :] - hz[:, None]
    fits = (np.abs(apart - 1.0) < _FITS) | (np.abs(hz[:, None] - apart - 1.0) < _FITS)
    fits &= apart > 0
    return float((fits * np.minimum(row[at][:, None], row[at][None, :])).max(initial=0.0))


def most_near(
    plane: NDArray[np.uint8], time: float, midi: float, *, before: float = 0.03, after: float = 0.03, wide: float = 0.5
) -> float:
    """The highest likelihood near a time in seconds and a MIDI pitch (at A = 440), 0 to 1. plane: of the ear, shape (n,
    PITCHES); before, after: seconds; wide: semitones."""
    first, last = max(0, round((time - before) / STEP)), min(len(plane), round((time + after) / STEP) + 1)
    low = max(0, round((midi - wide - LOWEST) * PER_SEMITONE))
    high = min(PITCHES, round((midi + wide - LOWEST) * PER_SEMITONE) + 1)
    part = plane[first:last, low:high]
    return float(part.max()) / 255.0 if part.size else 0.0
