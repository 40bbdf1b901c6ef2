"""The pitch contour: the network's guess, made fine on the waveform, each 5 ms.

The network hears which note it is, even in a mix, but its step is 16 ms and its error some cents. Around its guess the
instantaneous frequencies of the first partials say the pitch to about a cent.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.listen.frames.ear import Ear, heard_at
from notcher.listen.frames.network import score_pitches
from notcher.listen.frames.pitch_path import Path, best_path, blended, with_ear
from notcher.listen.frames.spectrum import HOP, LOW_RATE, Spectra, spectra
from notcher.listen.frames.voicing import sounding
from notcher.score.project import Contour

# Hz: below the low B of seven strings (61.7), above the 24th fret of the thinnest string bent two steps (1661).
LOWEST_HZ = 60.0
HIGHEST_HZ = 1900.0
# Samples at LOW_RATE: 46 ms hold seven periods of the fundamental at _LONG_BELOW_HZ, below which twice as long is
# needed.
_WINDOW = 1024
_LONG_WINDOW = 2048
_LONG_BELOW_HZ = 150.0
# That the fundamental is read from; higher ones lie too far off it by the string's stiffness.
_PARTIALS = 8
# Frames at a time, so that memory stays bounded: 20 s.
_BLOCK = 4000
# Seconds to either side whose pitch is tried as well: the network's frames are 16 ms apart.
_AROUND = 0.024
# Of the whole mix beside the lead taken out of it, which may lack partials.
_WHOLE_WEIGHT = 0.25
# Hz from which the spectrum is counted: below it a bass is heard, not a lead.
_LOWEST_BIN_HZ = 150.0
# Where a low pitch is no string's but a difference tone, the search is done again from here on.
_FLOORS_HZ = (160.0, 250.0)
# How far the first partials of a pitch lie over the following ones, dB, below which it may be one, and against the
# lower pitch's likelihood the least that the other has then. (Of 1138 stretches of the development phrases -3 dB and
# both together won 1307 frames of strings sounding together and lost 57 of single ones; either alone lost 1750.)
_BODY_DB, _BODY_PARTIALS, _AS_LIKELY = -4.0, 3, 0.135
# Confidence from which a frame counts as sounding.
_SOUNDS = 0.08


@dataclass(frozen=True, eq=False)
class Trace:
    """A measured contour, frames HOP seconds apart from 0.

    cents: above MIDI pitch 0 at A = 440, NaN where nothing sounds; confidence: that the lead sounds there, 0 to 1;
    level: energy of the lead's own partials in dB; share: of the likelihood that lay with this pitch, 0 to 1;
    purity: share of the spectrum that its partials make up, 0 to 1; heard: how likely the ear hears a string on this
    pitch, 0 to 1; each shape (n_frames,).
    """

    cents: NDArray[np.float64]
    confidence: NDArray[np.float64]
    level: NDArray[np.float64]
    share: NDArray[np.float64]
    purity: NDArray[np.float64]
    heard: NDArray[np.float64]

    @classmethod
    def silent(cls, n: int) -> "Trace":
        """n frames in which nothing sounds."""
        return cls(np.full(n, np.nan), np.zeros(n), np.full(n, -120.0), *(np.zeros(n) for _ in range(3)))

    def __len__(self) -> int:
        return len(self.cents)

    def part(self, rows: slice | NDArray[np.intp]) -> "Trace":
        """Some of its frames, by a slice or their numbers. Numbers: shape (k,)."""
        return Trace(*(column[rows] for column in self._columns()))

    def put(self, first: int, other: "Trace") -> None:
        """Write another trace's frames into this one from a frame on."""
        rows = slice(first, first + len(other))
        for mine, theirs in zip(self._columns(), other._columns(), strict=True):
            mine[rows] = theirs

    def _columns(self) -> tuple[NDArray[np.float64], ...]:
        return (self.cents, self.confidence, self.level, self.share, self.purity, self.heard)

    def single(self) -> "Trace":
        """This trace as it is kept, in single precision."""
        with np.errstate(invalid="ignore"):
            return Trace(*(column.astype(np.float32).astype(np.float64) for column in self._columns()))

    def sounding(self) -> "Trace":
        """This trace with its pitch only where the lead sounds, and with how likely that is for its confidence."""
        sure = sounding(self.confidence, self.share, self.purity, self.level, self.heard)
        cents = np.where((sure >= _SOUNDS) & np.isfinite(self.cents), self.cents, np.nan)
        return replace(self, cents=_without_blips(cents), confidence=sure)

    def stored(self) -> Contour:
        """As the project keeps it."""
        sounding = np.isfinite(self.cents)
        deci = np.where(sounding, np.round(np.nan_to_num(self.cents) * 10), -1).astype(int)
        percent = np.round(self.confidence * 100).astype(int)
        return Contour(0.0, HOP, tuple(deci.tolist()), tuple(percent.tolist()))


def hz_to_cents(hz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cents above MIDI pitch 0 at A = 440; NaN for 0 Hz. Both of any one shape."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(hz > 0, 6900.0 + 1200.0 * np.log2(hz / 440.0), np.nan)


def trace_pitch(views: list[FloatArray], whole: FloatArray | None, ear: Ear, *, lowest_hz: float) -> Trace:
    """Measure the contour of mono sound at RATE: a pitch for every frame, whether the lead sounds there or not.

    views: the lead as isolated, shape (n,) each, the clearest first; whole: the mix in the lead's band, if any; ear:
    what it heard in the first view.
    Nothing below lowest_hz is the lead. The confidence is the network's; Trace.sounding judges where the lead sounds.
    """
    import soxr

    mono = views[0]
    n = int(len(mono) / RATE / HOP)
    scores = [score_pitches(v) for v in views]
    heard = [s for s in scores if len(s.log_p)]
    if n == 0 or not heard:
        return Trace.silent(n)
    around_it = score_pitches(whole) if whole is not None else None
    blend = blended(heard, around_it if around_it is not None and len(around_it.log_p) else None, _WHOLE_WEIGHT)
    blend = with_ear(blend, ear)
    low, high = (float(hz_to_cents(np.array(hz))) for hz in (lowest_hz, HIGHEST_HZ))
    sound = soxr.resample(mono, RATE, LOW_RATE).astype(np.float32)
    times = np.arange(n, dtype=np.float64) * HOP
    way = _along(best_path(blend, lowest=low, highest=high), sound, times)
    for floor_hz in _FLOORS_HZ:
        deep = (way.hz > 0) & (way.hz < floor_hz)
        if lowest_hz < floor_hz and deep.any():
            floor = float(hz_to_cents(np.array(floor_hz)))
            _lifted(way, best_path(blend, lowest=floor, highest=high), sound, times, deep)
    cents = np.where((way.hz >= LOWEST_HZ) & (way.hz <= HIGHEST_HZ), hz_to_cents(way.hz), np.nan)
    return Trace(
        cents, np.clip(way.confidence, 0.0, 1.0), way.level, way.share, way.purity, heard_at(ear, times, cents / 100)
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Way:
    """A path made fine at each time: hz; level, purity as in a Trace; body: how far its first partials lie over the
    following ones, dB; confidence, share; each shape (n,)."""

    hz: NDArray[np.float64]
    level: NDArray[np.float64]
    purity: NDArray[np.float64]
    body: NDArray[np.float64]
    confidence: NDArray[np.float64]
    share: NDArray[np.float64]

    def columns(self) -> tuple[NDArray[np.float64], ...]:
        """All of them."""
        return (self.hz, self.level, self.purity, self.body, self.confidence, self.share)


def _along(path: Path, sound: FloatArray, times: NDArray[np.float64], frame: int = 0) -> _Way:
    """A path made fine on the sound at LOW_RATE, at times HOP apart; frame: the first of them."""
    n = len(times)
    around = _candidates(path, times)
    hz, level, purity, body = np.zeros(n), np.full(n, -120.0), np.zeros(n), np.zeros(n)
    for first in range(0, n, _BLOCK):
        rows = slice(first, min(n, first + _BLOCK))
        short = spectra(sound, first_frame=frame + first, n_frames=rows.stop - first, window=_WINDOW)
        hz[rows], level[rows], purity[rows], body[rows] = _refine(short, around[rows])
        deep = np.flatnonzero(hz[rows] < _LONG_BELOW_HZ)
        if deep.size:
            long = spectra(sound, first_frame=frame + first, n_frames=rows.stop - first, window=_LONG_WINDOW)
            chosen = Spectra(long.magnitude[deep], long.hz[deep], long.bin_hz)
            at = first + deep
            hz[at], level[at], purity[at], body[at] = _refine(chosen, around[rows][deep])
    return _Way(
        hz, level, purity, body, np.interp(times, path.times, path.confidence),
        np.interp(times, path.times, path.share),
    )  # fmt: skip


def _lifted(way: _Way, upper: Path, sound: FloatArray, times: NDArray[np.float64], deep: NDArray[np.bool_]) -> None:
    """Put the path above a floor in the place of the way below it where that is a difference tone: strings that
    sound together through one amplifier make it, far below what is played, and it lacks the body of a string. Stretch
    by stretch, so that a note stays whole."""
    known = np.isfinite(upper.cents)
    if not known.any():
        return
    cents = np.interp(times, upper.times[known], upper.cents[known])
    differs = deep & (np.abs(cents - hz_to_cents(np.maximum(way.hz, 1.0))) > 100)
    for start, end in runs(differs):
        if float(np.median(way.body[start:end])) >= _BODY_DB:
            continue
        fine = _along(upper, sound, times[start:end], start)
        if float(np.median(fine.share)) > _AS_LIKELY * float(np.median(way.share[start:end])):
            for mine, theirs in zip(way.columns(), fine.columns(), strict=True):
                mine[start:end] = theirs


def _candidates(path: Path, times: NDArray[np.float64]) -> NDArray[np.float64]:
    """The path's pitch at each time and shortly before and after it, in Hz, shape (n, 3).

    The network's window is long, so around a hammered note the true pitch is often one of its neighbours'.
    """
    known = np.isfinite(path.cents)
    if not known.any():
        return np.zeros((len(times), 3))
    cents = np.interp(path.times, path.times[known], path.cents[known])
    columns = []
    for shift in (0.0, -_AROUND, _AROUND):
        at = np.clip(times + shift, path.times[0], path.times[-1])
        right = np.clip(np.searchsorted(path.times, at), 1, len(path.times) - 1)
        a, b = cents[right - 1], cents[right]
        x = (at - path.times[right - 1]) / (path.times[right] - path.times[right - 1])
        smooth = np.where(np.abs(b - a) < 60, (1 - x) * a + x * b, np.where(x < 0.5, a, b))
        columns.append(440.0 * 2.0 ** ((smooth - 6900.0) / 1200.0))
    return np.stack(columns, axis=1)


def _refine(
    s: Spectra, candidates: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The best candidate of each frame, made fine: Hz, the energy of its partials in dB, their share of all above
    _LOWEST_BIN_HZ, and how far the first of them lie over the following ones, dB; each shape (n,)."""
    salience = np.stack([_salience(s, candidates[:, k]) for k in range(candidates.shape[1])], axis=1)
    salience[:, 0] *= 1.05
    best = candidates[np.arange(len(candidates)), np.argmax(salience, axis=1)]
    hz, weight = _partial_pitches(s, best)
    fine = _weighted_median(hz, weight)
    # Once more around the finer pitch: the high partials of a bending note lie outside the first search.
    hz, weight = _partial_pitches(s, fine)
    fine = _weighted_median(hz, weight)
    close = np.abs(1200 * np.log2(np.maximum(hz, 1.0) / np.maximum(fine, 1.0)[:, None])) < 12
    kept = weight * close
    total = kept.sum(axis=1)
    fine = np.where(total > 0, (hz * kept).sum(axis=1) / np.maximum(total, 1e-12), fine)
    power = (weight**2).sum(axis=1)
    # A Hann window spreads a partial's power over three bins, half as much again as its peak.
    share = 1.5 * power / ((s.magnitude[:, round(_LOWEST_BIN_HZ / s.bin_hz) :] ** 2).sum(axis=1) + 1e-9)
    first = (weight[:, :_BODY_PARTIALS] ** 2).sum(axis=1)
    body = 10 * np.log10((first + 1e-12) / (power - first + 1e-12))
    return fine, 10 * np.log10(power + 1e-12), share, body


def _salience(s: Spectra, f0: NDArray[np.float64]) -> NDArray[np.float64]:
    rows = np.arange(len(f0))
    total = np.zeros(len(f0))
    for k in range(1, _PARTIALS + 1):
        at = np.round(f0 * k / s.bin_hz).astype(int)
        inside = at < s.magnitude.shape[1] - 1
        total += np.where(inside, np.sqrt(s.magnitude[rows, np.minimum(at, s.magnitude.shape[1] - 1)]) / k**0.3, 0.0)
    return total


def _partial_pitches(s: Spectra, f0: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What each partial says the fundamental is, in Hz, and how loud it is; each shape (n, _PARTIALS)."""
    rows = np.arange(len(f0))
    last = s.magnitude.shape[1] - 2
    hz, weight = np.zeros((len(f0), _PARTIALS)), np.zeros((len(f0), _PARTIALS))
    for k in range(1, _PARTIALS + 1):
        centre = np.round(f0 * k / s.bin_hz).astype(int)
        inside = (centre > 1) & (centre < last)
        centre = np.clip(centre, 1, last)
        around = np.stack([s.magnitude[rows, centre + d] for d in (-1, 0, 1)], axis=1)
        peak = centre + np.argmax(around, axis=1) - 1
        said = s.hz[rows, peak] / k
        sane = inside & (np.abs(1200 * np.log2(np.maximum(said, 1.0) / np.maximum(f0, 1.0))) < 90)
        hz[:, k - 1] = np.where(sane, said, f0)
        weight[:, k - 1] = np.where(sane, s.magnitude[rows, peak], 0.0)
    return hz, weight


def _weighted_median(values: NDArray[np.float64], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    order = np.argsort(values, axis=1)
    sorted_values = np.take_along_axis(values, order, axis=1)
    summed = np.cumsum(np.take_along_axis(weights, order, axis=1) + 1e-12, axis=1)
    pick = np.argmax(summed >= summed[:, -1:] / 2, axis=1)
    return np.asarray(sorted_values[np.arange(len(values)), pick], dtype=np.float64)


def _without_blips(cents: NDArray[np.float64], shortest: int = 4) -> NDArray[np.float64]:
    """Closes gaps of up to two frames and drops runs shorter than `shortest` frames."""
    out = cents.copy()
    for start, end in runs(~np.isfinite(out)):
        if start > 0 and end < len(out) and end - start <= 2 and abs(out[start - 1] - out[end]) < 60:
            out[start:end] = np.interp(np.arange(start, end), [start - 1, end], [out[start - 1], out[end]])
    for start, end in runs(np.isfinite(out)):
        if end - start < shortest:
            out[start:end] = np.nan
    return out


def runs(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(start, end) of each run of True, end not included. flags: shape (n,)."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(np.int8), [0]))))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2], strict=True)]
