"""What is measured of each 5 ms frame of a recording, block by block, before anything is said about notes.

This is the costly part of listening, so it is what is kept between runs, block by block (notcher.frame_cache): reading
notes out of it is quick.
"""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import banded, views
from notcher.audio.recording import Audio, FloatArray
from notcher.listen.frames.bands import STEP as EAR_STEP
from notcher.listen.frames.contour import LOWEST_HZ, Trace, trace_pitch
from notcher.listen.frames.ear import Ear, hear
from notcher.listen.frames.onsets import onset_strength
from notcher.listen.frames.spectrum import HOP, LOW_RATE
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.plays import Plays
from notcher.stopping import apart, look_for_stop

FRAMES_VERSION = 6
"""To be raised when frames are measured otherwise, so that what was kept of old ones is not taken for new."""
# Seconds measured at a time: short enough for memory and for stopping, long enough that its margins cost little.
BLOCK_S = 20.0
# Seconds measured more to either side of a block: the search for the contour forgets in less.
_MARGIN_S = 1.0
# Hz: a lead seldom goes below the low B flat, and the bass would be taken for it (common practice, no source).
_LOWEST_IN_A_MIX_HZ = 115.0


@dataclass(frozen=True, eq=False)
class Frames:
    """trace: pitch of every frame whether the lead sounds or not; flux: onset strength; energy: of the lead in dB;
    done: whether the frame is measured yet; each shape (n_frames,), HOP apart.

    ear: which strings were heard to sound and begin, at steps of its own; sound: the lead as isolated, mono at
    LOW_RATE, 16 bits, shape (n,); lead: how it was isolated; alone: whether nothing else seems to play.
    """

    trace: Trace
    flux: NDArray[np.float64]
    energy: NDArray[np.float64]
    done: NDArray[np.bool_]
    ear: Ear
    sound: NDArray[np.int16]
    lead: Isolation
    alone: bool

    @classmethod
    def empty(cls, duration: float, lead: Isolation, *, alone: bool) -> "Frames":
        """Nothing measured yet of a recording that lasts `duration` seconds."""
        n = int(duration / HOP)
        return cls(
            Trace.silent(n), np.zeros(n), np.full(n, -100.0), np.zeros(n, bool),
            Ear.silent(int(duration / EAR_STEP)), np.zeros(int(duration * LOW_RATE) + 1, np.int16), lead, alone,
        )  # fmt: skip

    def only(self, low: int, high: int) -> "Frames":
        """These frames with all outside [low, high) silent."""
        trace = Trace.silent(len(self.trace))
        trace.put(low, self.trace.part(slice(low, high)))
        flux, energy, done = np.zeros_like(self.flux), np.full_like(self.energy, -100.0), np.zeros_like(self.done)
        for mine, theirs in ((flux, self.flux), (energy, self.energy), (done, self.done)):
            mine[low:high] = theirs[low:high]
        ear = self.ear.only(low * HOP, high * HOP)
        return replace(self, trace=trace, flux=flux, energy=energy, done=done, ear=ear)

    def single(self) -> "Frames":
        """These frames as they are kept, in single precision: what is read out of them is the same to the last bit,
        whether they were just measured or kept."""
        flux, energy = (column.astype(np.float32).astype(np.float64) for column in (self.flux, self.energy))
        return replace(self, trace=self.trace.single(), flux=flux, energy=energy)

    def put(self, part: "Frames", at: float) -> None:
        """Write the frames of a part, which begins at a time in seconds, where they belong."""
        first = round(at / HOP)
        count = max(0, min(len(part.trace), len(self.trace) - first))
        rows, source = slice(first, first + count), slice(0, count)
        self.trace.put(first, part.trace.part(source))
        for mine, theirs in ((self.flux, part.flux), (self.energy, part.energy), (self.done, part.done)):
            mine[rows] = theirs[source]
        self.ear.put(part.ear, heard_from=at, start=at, end=at + len(part.ear) * EAR_STEP)
        begins = round(at * LOW_RATE)
        piece = part.sound[: max(0, len(self.sound) - begins)]
        self.sound[begins : begins + len(piece)] = piece

    def lead_between(self, start: float, end: float) -> FloatArray:
        """The lead's sound at LOW_RATE between two times in seconds, shape (n,), -1 to 1; silent beyond its ends."""
        low, high = round(start * LOW_RATE), round(end * LOW_RATE)
        inside = self.sound[max(0, low) : max(0, high)].astype(np.float32) / 32767
        before = max(0, -low)
        return np.pad(inside, (before, max(0, high - low - before - len(inside))))


@dataclass(frozen=True, slots=True)
class Setup:
    """How frames are measured. lead: never Seat.AUTO; alone: whether nothing else seems to play; plays: what is
    listened for."""

    lead: Isolation
    alone: bool
    plays: Plays = Plays.LINE

    @property
    def lowest_hz(self) -> float:
        """From where on the contour is looked for."""
        return LOWEST_HZ if self.alone or self.plays is Plays.RIFF else _LOWEST_IN_A_MIX_HZ


class KeptBlocks(Protocol):
    """Where the frames of blocks are kept between runs."""

    def find(self, setup: Setup, a: float, b: float) -> Frames | None:
        """Those of the block from a to b seconds, if they were measured so before."""

    def keep(self, setup: Setup, a: float, b: float, part: Frames) -> None:
        """Keep those of a block for the next time."""


def blocks(start: float, end: float, first: float | None = None) -> list[tuple[float, float]]:
    """The pieces in which a stretch is measured, cut at the same places whatever the stretch; the one that holds
    `first` comes first, then what follows it, then what lies before."""
    inner = np.arange(np.floor(start / BLOCK_S) + 1, np.ceil(end / BLOCK_S)) * BLOCK_S
    cut = [(a, b) for a, b in itertools.pairwise([start, *inner.tolist(), end]) if b - a > HOP]
    k = next((i for i, (a, b) in enumerate(cut) if first is not None and a <= first < b), 0)
    return cut[k:] + cut[:k]


def measure_frames(
    audio: Audio,
    setup: Setup,
    *,
    start: float,
    end: float,
    first: float | None = None,
    kept: KeptBlocks | None = None,
) -> Iterator[tuple[Frames, float]]:
    """Measure a stretch block by block; yields what is known after each (the same object, filled further), and the
    share done, 0 to 1. kept: where blocks that were measured before are found, and others are put as soon as they are
    measured. Raises CancelledError when asked to stop."""
    frames = Frames.empty(audio.duration, setup.lead, alone=setup.alone)
    done = 0.0
    for a, b in blocks(start, end, first):
        look_for_stop()
        part = kept.find(setup, a, b) if kept else None
        if part is None:
            part = apart(partial(_measured_block, audio, setup, a, b))
            if kept:
                kept.keep(setup, a, b, part)
        frames.put(part, a)
        done += b - a
        yield frames, min(1.0, done / (end - start))


def _measured_block(audio: Audio, setup: Setup, a: float, b: float) -> Frames:
    """The frames from a to b seconds."""
    import soxr

    # What lies around the stretch is heard as well: a loop often begins as a note does.
    low, high = max(0.0, a - _MARGIN_S), min(audio.duration, b + _MARGIN_S)
    part = audio.between(low, high)
    heard = views(part, setup.lead)
    whole = (
        banded(part, setup.lead) if setup.lead.stereo_position is not StereoPosition.MIX and not setup.alone else None
    )
    mono = heard[0]
    ear = hear(mono)
    trace = trace_pitch(heard, whole, ear, lowest_hz=setup.lowest_hz)
    sound = np.round(np.clip(soxr.resample(mono, RATE, LOW_RATE), -1, 1) * 32767).astype(np.int16)
    skip = round(a / HOP) - round(low / HOP)
    rows = slice(skip, skip + max(0, min(len(trace) - skip, round((b - a) / HOP))))
    trace = trace.part(rows)
    at = round((a - low) * LOW_RATE)
    heard_from = round(a / EAR_STEP) - round(low / EAR_STEP)
    return Frames(
        trace, onset_strength(mono)[rows], energy_db(mono)[rows], np.ones(len(trace), bool),
        ear.part(slice(heard_from, heard_from + round(b / EAR_STEP) - round(a / EAR_STEP))),
        sound[at : at + round((b - a) * LOW_RATE)], setup.lead, setup.alone,
    ).single()  # fmt: skip


def energy_db(mono: FloatArray) -> NDArray[np.float64]:
    """Loudness each HOP of mono sound at RATE in 10 ms windows, dB, shape (n_frames,)."""
    step = round(HOP * RATE)
    n = int(len(mono) / RATE / HOP)
    squared = np.concatenate(([0.0], np.cumsum(mono.astype(np.float64) ** 2)))
    centres = np.round(np.arange(n) * HOP * RATE).astype(int)
    low, high = np.clip(centres - step, 0, len(mono)), np.clip(centres + step, 0, len(mono))
    power = (squared[high] - squared[low]) / np.maximum(high - low, 1)
    return np.asarray(10 * np.log10(power + 1e-10), dtype=np.float64)
