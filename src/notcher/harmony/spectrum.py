"""What sounds beside the lead, beat by beat: levels on a scale of pitch, the lead's partials left out."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import mixed_down
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.wiener import Lines
from notcher.harmony.variable_q import Bins, variable_q
from notcher.score.isolation import FIND_OUT, Isolation, StereoPosition
from notcher.stopping import look_for_stop

PER_OCTAVE = 36
N_BINS = 6 * PER_OCTAVE + PER_OCTAVE // 2
LOWEST_HZ = 27.5
"""The first bin, A0 (MIDI 21); the last lies at 2400 Hz."""
MIDI = 21.0 + np.arange(N_BINS) * 12.0 / PER_OCTAVE
"""The pitch of each bin, shape (N_BINS,)."""
_LOW_RATE, _HOP = 22050, 1024
# Hz that every bin is wider than its share of an octave, so that low ones follow changes.
_WIDER_HZ = 12.0
# Seconds transformed at a time, and beside them what the lowest bins look at.
_PIECE_S, _BESIDE_S = 60.0, 1.5
# Partials of the lead that are left out, those of them whose neighbours of two bins go too, and what they still weigh.
_PARTIALS, _WIDE_PARTIALS, _STILL = 10, 4, 0.04
# How much louder what is left counts, as one channel of two is quieter than their sum.
_APART = 1.4
# Seconds from a frame's middle at which the lead's pitch is asked: rooms and delays carry it on.
_ASKED_S = (-0.3, -0.225, -0.15, -0.1, -0.05, -0.025, 0.0, 0.025, 0.05)
Levels = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Beneath:
    """levels: of each bin in each stretch, shape (n, N_BINS); left: share of the sound that the lead's partials leave,
    0 to 1, shape (n,)."""

    levels: Levels
    left: Levels


def beneath(
    audio: Audio,
    lines: Lines,
    edges: NDArray[np.float64],
    *,
    lead: Isolation = FIND_OUT,
    offset_cents: float = 0.0,
) -> Beneath:
    """What sounds beside the lead between each two edges.

    lines: what the lead plays, from the recording's beginning; edges: seconds, ascending, shape (n + 1,); lead: where
    it sits. Of a lead at one place of a stereo recording what is left when that place cancels out is heard as well.
    Raises CancelledError when asked to stop.
    """
    n = len(edges) - 1
    mixed, weights, apart = np.zeros((n, N_BINS)), np.full((n, N_BINS), 1e-9), np.zeros((n, N_BINS))
    power, left, apart_power = np.zeros(n), np.zeros(n), 0.0
    counts = np.zeros(n)
    for start in np.arange(0.0, audio.duration, _PIECE_S).tolist():
        look_for_stop()
        before = min(_BESIDE_S, start)
        samples = audio.between(start - before, min(audio.duration, start + _PIECE_S + _BESIDE_S))
        found = _transformed(mixed_down(samples), offset_cents)
        times = start - before + np.arange(len(found)) * _HOP / _LOW_RATE
        inside = (times >= start) & (times < start + _PIECE_S)
        found, times = found[inside], times[inside]
        weight = _beside_the_lead(times, lines)
        without = _cancelled(samples, lead)
        beside = None if without is None else _transformed(without, offset_cents)[inside]
        stretch = np.searchsorted(edges, times, side="right") - 1
        for k in np.unique(stretch[(stretch >= 0) & (stretch < n)]).tolist():
            here = stretch == k
            mixed[k] += (found[here] * weight[here]).sum(axis=0)
            weights[k] += weight[here].sum(axis=0)
            counts[k] += here.sum()
            power[k] += float((found[here] ** 2).sum())
            left[k] += float((found[here] ** 2 * weight[here]).sum())
            if beside is not None:
                apart[k] += beside[here].sum(axis=0)
                apart_power += float((beside[here] ** 2).sum())
    share = float(np.clip(2.0 * np.sqrt(apart_power / max(float(power.sum()), 1e-9)) - 0.2, 0.0, 1.0))
    levels = (mixed + share * _APART * apart) / (weights + share * counts[:, None])
    return Beneath(levels, left / np.maximum(power, 1e-9))


def _transformed(sound: FloatArray, offset_cents: float) -> NDArray[np.float32]:
    """Magnitudes of each bin in each frame, shape (n_frames, N_BINS). sound: at RATE, shape (n,)."""
    import soxr

    low = np.asarray(soxr.resample(sound, RATE, _LOW_RATE), dtype=np.float32)
    if len(low) < _HOP:
        return np.zeros((0, N_BINS), np.float32)
    return variable_q(
        low, _LOW_RATE, _HOP, Bins(LOWEST_HZ * 2.0 ** (offset_cents / 1200.0), N_BINS, PER_OCTAVE, _WIDER_HZ)
    )


def _cancelled(samples: FloatArray, lead: Isolation) -> FloatArray | None:
    """What is left where the lead's place cancels out, shape (n,); None where it has no place of its own."""
    if len(samples) != 2 or lead.stereo_position is not StereoPosition.PAN:
        return None
    angle = (lead.pan + 1) * np.pi / 4
    return np.asarray(np.cos(angle) * samples[1] - np.sin(angle) * samples[0], dtype=np.float32)


def _beside_the_lead(times: NDArray[np.float64], lines: Lines) -> NDArray[np.float32]:
    """How far each bin of each frame counts, shape (n_frames, N_BINS): hardly where the lead has a partial."""
    out = np.ones((len(times), N_BINS), np.float32)
    steps = len(lines.hz)
    if not steps:
        return out
    frames = np.arange(len(times))
    for asked in _ASKED_S:
        at = np.round((times + asked) / lines.step).astype(int)
        known = (at >= 0) & (at < steps)
        for string in range(lines.hz.shape[1]):
            hz = np.where(known, lines.hz[np.clip(at, 0, steps - 1), string], 0.0)
            sounds = hz > 0
            first = PER_OCTAVE * np.log2(np.where(sounds, hz, LOWEST_HZ) / LOWEST_HZ)
            for partial in range(1, _PARTIALS + 1):
                middle = np.round(first + PER_OCTAVE * np.log2(partial)).astype(int)
                reach = 2 if partial <= _WIDE_PARTIALS else 1
                for bins in range(-reach, reach + 1):
                    ok = sounds & (middle + bins >= 0) & (middle + bins < N_BINS)
                    out[frames[ok], middle[ok] + bins] = _STILL
    return out
