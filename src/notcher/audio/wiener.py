"""The lead taken out of the mix by what is known of it: where its partials lie, moment by moment, and where it sits.

Each cell of the spectrogram holds the lead, one sound from one place whose power follows the partials of its strings,
and all the rest, which may come from anywhere. Both powers and the rest's directions are estimated from the recording,
and the multichannel Wiener filter of the two is applied, and once more with what it found (Duong, Vincent, Gribonval
2010, "Under-determined reverberant audio source separation using a full-rank spatial covariance model"; here the
partials give the lead's spectrum).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import near_lead
from notcher.audio.recording import FloatArray
from notcher.score.isolation import Isolation, StereoPosition

# Samples: 93 ms part the partials of low strings from what lies between them.
_WINDOW, _HOP = 4096, 1024
_BIN_HZ = RATE / _WINDOW
# Hz up to which anything is a lead's, and the most partials that are followed.
_HIGHEST_HZ, _MOST_PARTIALS = 10000.0, 40
_BINS = int(_HIGHEST_HZ / _BIN_HZ) + 1
# Partials lie higher than multiples by a string's stiffness: between a plain and a wound one's (common practice, no
# source).
_STIFFNESS = 6e-5
# Bins to either side that a partial fills, and how much more of its own number of bins, as no pitch is known exactly.
_REACH, _UNSURE = 2.5, 0.006
# Share of a window around its middle whose pitches fill it.
_MIDDLE = 0.6
# Seconds that a string is heard after its note.
_RINGS_S = 0.25
# A stroke's noise has no partials: seconds after it begins, and how far all bands count as the lead's then.
_STROKE_S, _STROKE = 0.01, 0.3
# How far what sits at the lead's place counts as its own though no partial of it is known there.
_AT_ITS_PLACE = 0.25
_ROUNDS = 2
# Frames and bins over which the rest is carried into cells that the lead covers, and bins over which its directions
# are averaged; the least it has of every direction.
_ACROSS = (3.0, 8.0)
_DIRECTIONS, _DIFFUSE = 8.0, 0.02
# Semitones within one window from which two pitches are two notes and not one that moves.
_TWO_NOTES = 2 ** (9 / 12)

Cells = NDArray[np.complex64]
Powers = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Lines:
    """What the lead plays. hz: each string's fundamental at each step, 0 where it is silent, shape (n_steps,
    n_strings); step: seconds between them, from the sound's beginning on; strokes: seconds at which strings are
    struck, shape (n,)."""

    hz: NDArray[np.float64]
    step: float
    strokes: NDArray[np.float64]

    def between(self, start: float, end: float) -> "Lines":
        """What is played between two times in seconds, counted from the first."""
        first, last = round(start / self.step), round(end / self.step)
        inside = self.strokes[(self.strokes >= start) & (self.strokes < end)]
        return Lines(self.hz[max(0, first) : max(0, last)], self.step, inside - start)


def parted(samples: FloatArray, lines: Lines, isolation: Isolation) -> FloatArray:
    """The lead where it sits, shape like samples; all the rest is what it leaves of them.

    samples: shape (1 or 2, n) at RATE. Of a lead that sits on both sides, or at no known place, each channel is parted
    by itself.
    """
    n = samples.shape[1]
    x = np.stack([_stft(channel) for channel in samples])
    comb = _comb(lines, x.shape[1])
    if isolation.stereo_position is StereoPosition.PAN and len(x) == 2:
        angle = (isolation.pan + 1) * np.pi / 4
        place = np.array([np.cos(angle), np.sin(angle)], np.float32)
        near = near_lead(x[0], x[1], isolation, bin_hz=_BIN_HZ)
        out = _at_one_place(x, np.maximum(comb, _AT_ITS_PLACE * near), place)
    else:
        out = np.stack([_in_one_channel(channel, comb) for channel in x])
    lead = np.stack([_istft(channel, n) for channel in out])
    return np.asarray(isolation.strength * lead + (1.0 - isolation.strength) * samples, dtype=np.float32)


def _at_one_place(x: Cells, comb: Powers, place: NDArray[np.float32]) -> Cells:
    """The lead's share of both channels, shape (2, n_frames, n_bins)."""
    free = 1.0 - comb
    power = (np.abs(x) ** 2).mean(axis=0)
    lead = comb * np.abs(place[0] * x[0] + place[1] * x[1]) ** 2
    rest = free * power + comb * _carried(power * free, free)
    directions = _directions(x, free / (power + 1e-9))
    for _ in range(_ROUNDS):
        guess, unsure = _weighed(x, lead, rest, directions, place)
        lead = comb * (np.abs(guess) ** 2 + unsure)
        left = x - place[:, None, None] * guess[None]
        seen = np.maximum(_power_along(left, unsure, directions, place), 1e-10)
        rest = free * seen + comb * np.sqrt(seen * _carried(seen * free, free))
        directions = _directions(left, 1.0 / (rest + 1e-9))
    guess, _ = _weighed(x, lead, rest, directions, place)
    return np.asarray(place[:, None, None] * guess[None], dtype=np.complex64)


def _weighed(
    x: Cells, lead: Powers, rest: Powers, directions: NDArray[np.complex64], place: NDArray[np.float32]
) -> tuple[Cells, Powers]:
    """The lead as the Wiener filter has it, and the power by which that may be wrong; shape (n_frames, n_bins)."""
    # Inverse of the covariance lead * place place^T + rest * directions, cell by cell.
    a = lead * place[0] ** 2 + rest * directions[None, :, 0, 0].real
    c = lead * place[1] ** 2 + rest * directions[None, :, 1, 1].real
    b = lead * (place[0] * place[1]) + rest * directions[None, :, 0, 1]
    det = np.maximum(a * c - np.abs(b) ** 2, 1e-7 * a * c + 1e-30)
    # Rows of place^T times that inverse.
    first, second = (c * place[0] - np.conj(b) * place[1]) / det, (a * place[1] - b * place[0]) / det
    gain = np.real(first * place[0] + second * place[1])
    return lead * (first * x[0] + second * x[1]), np.maximum(lead - lead**2 * gain, 0.0)


def _power_along(
    left: Cells, unsure: Powers, directions: NDArray[np.complex64], place: NDArray[np.float32]
) -> Powers:  # fmt: skip
    """The rest's power in each cell, measured in its own directions."""
    a, c, b = (directions[:, i, j] for i, j in ((0, 0), (1, 1), (0, 1)))
    det = (a * c).real - np.abs(b) ** 2
    seen = c.real * np.abs(left[0]) ** 2 + a.real * np.abs(left[1]) ** 2 - 2 * np.real(b * np.conj(left[0]) * left[1])
    lead = place[0] ** 2 * c.real + place[1] ** 2 * a.real - 2 * place[0] * place[1] * b.real
    return np.asarray((seen + unsure * lead) / det / 2, dtype=np.float32)


def _directions(x: Cells, weight: Powers) -> NDArray[np.complex64]:
    """Where sound comes from, bin by bin: its covariance between the channels, shape (n_bins, 2, 2), of trace 2."""
    from scipy import ndimage

    out = np.zeros((x.shape[2], 2, 2), np.complex64)
    for i, j in ((0, 0), (1, 1), (0, 1)):
        summed = (weight * x[i] * np.conj(x[j])).sum(axis=0)
        out[:, i, j] = ndimage.gaussian_filter1d(summed, _DIRECTIONS)
    out[:, 1, 0] = np.conj(out[:, 0, 1])
    out /= ((out[:, 0, 0] + out[:, 1, 1]).real / 2 + 1e-12)[:, None, None]
    out[:, (0, 1), (0, 1)] += _DIFFUSE
    return out


def _in_one_channel(x: Cells, comb: Powers) -> Cells:
    """The lead's share of one channel, shape (n_frames, n_bins)."""
    free, power = 1.0 - comb, (np.abs(x) ** 2).astype(np.float32)
    carried = _carried(power * free, free)
    lead, rest = comb * power, free * power + comb * carried
    for _ in range(_ROUNDS):
        kept = lead / (lead + rest + 1e-12)
        lead = comb * (kept**2 * power + kept * rest)
        rest = free * ((1 - kept) ** 2 * power + (1 - kept) * lead) + comb * carried
    return np.asarray(lead / (lead + rest + 1e-12) * x, dtype=np.complex64)


def _carried(values: Powers, free: Powers) -> Powers:
    """What lies around each cell where the lead does not cover it."""
    from scipy import ndimage

    around, known = (ndimage.gaussian_filter(part, _ACROSS) for part in (values, free))
    return np.asarray(around / np.maximum(known, 1e-6), dtype=np.float32)


def _comb(lines: Lines, n_frames: int) -> Powers:
    """How far each cell lies on a partial of the lead, 0 to 1, shape (n_frames, _BINS)."""
    out = np.zeros((n_frames, _BINS), np.float32)
    times = (np.arange(n_frames) * _HOP - _WINDOW / 2) / RATE
    reach = round(_WINDOW * _MIDDLE / RATE / lines.step)
    at = np.round(times / lines.step).astype(int)
    for line in lines.hz.T:
        last, since = 0.0, 0.0
        for k, middle in enumerate(at):
            around = line[max(0, middle - reach) : max(0, middle + reach + 1)]
            sounds = around[around > 0]
            if sounds.size:
                last, since = float(sounds[-1]), 0.0
                share = min(1.0, 2.0 * sounds.size / (2 * reach + 1))
                low, high = float(np.min(sounds)), float(np.max(sounds))
                spans = [(low, low), (high, high)] if high / low > _TWO_NOTES else [(low, high)]
            else:
                since += _HOP / RATE
                if not last or since > _RINGS_S:
                    continue
                spans, share = [(last, last)], float(np.exp(-1.5 * since / _RINGS_S))
            for low, high in spans:
                _tooth(out[k], low, high, share)
    for stroke in lines.strokes:
        k = int(np.argmin(np.abs(times - stroke - _STROKE_S)))
        np.maximum(out[k], _STROKE, out=out[k])
        for beside in (k - 1, k + 1):
            if 0 <= beside < n_frames:
                np.maximum(out[beside], _STROKE / 2, out=out[beside])
    return out


def _tooth(row: Powers, low: float, high: float, share: float) -> None:
    """Marks the partials of a fundamental that goes from low to high Hz."""
    for number in range(1, _MOST_PARTIALS + 1):
        stretched = number * np.sqrt(1.0 + _STIFFNESS * number**2) / _BIN_HZ
        first, last = low * stretched, high * stretched
        if first >= _BINS:
            return
        width = _REACH + _UNSURE * last
        bins = np.arange(max(0, int(first - width)), min(_BINS, int(last + width) + 2))
        away = np.maximum(np.maximum(first - bins, bins - last), 0.0) / width
        row[bins] = np.maximum(row[bins], share * np.clip(1.0 - away**2, 0.0, 1.0))


def _window() -> NDArray[np.float32]:
    return np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(_WINDOW) / _WINDOW)).astype(np.float32)


def _stft(mono: FloatArray) -> Cells:
    """Cells up to _HIGHEST_HZ: above, nothing is the lead's."""
    from scipy import fft

    padded = np.pad(mono, (_WINDOW, _WINDOW + (-len(mono)) % _HOP))
    frames = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::_HOP]
    return np.asarray(fft.rfft(frames * _window(), axis=1)[:, :_BINS], dtype=np.complex64)


def _istft(spectrum: Cells, length: int) -> FloatArray:
    from scipy import fft

    frames = fft.irfft(spectrum, _WINDOW, axis=1).astype(np.float32) * _window()
    out = np.zeros((len(frames) + _WINDOW // _HOP, _HOP), np.float32)
    for k in range(_WINDOW // _HOP):
        out[k : k + len(frames)] += frames[:, k * _HOP : (k + 1) * _HOP]
    # Squared square-root Hann windows a quarter apart add up to 2.
    return out.reshape(-1)[_WINDOW : _WINDOW + length] / 2.0
