"""The first guess of beats and bars in a recording; the person corrects it (score/beats.py).

The beats are librosa's dynamic programming tracker (Ellis 2007, "Beat tracking by dynamic programming"), each moved to
the sharpest rise of sound close to it. A bar begins where the low drums and the bass most often strike.
"""

import itertools

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.lead import mixed_down
from notcher.audio.recording import Audio, FloatArray
from notcher.listen.libraries import beat_tracker, onset_tools, tempo_tools
from notcher.score.tempo import TempoMap
from notcher.stopping import apart, look_for_stop

# Samples a second, librosa's own for beats; frames of the same step and window as there.
_LOW_RATE = 22050
_HOP = 256
_WINDOW = 2048
# Frames measured at a time, so that memory stays bounded: 48 s.
_PIECE = 4096
# Seconds that tell a tempo, as in librosa's tracker.
_TEMPO_S = 8.0
# Seconds around a beat in which its rise is looked for: the tracker's frames and its smoothing lie so far off.
_NEAR_S = 0.045
# Seconds, beats and clearness (strength at the beats against the mean) from which a beat is one: less is chance.
_LEAST_S = 4.0
_LEAST_BEATS = 8
_LEAST_CLEARNESS = 1.25
# In the units of librosa's onset strength: decibels of rise, averaged over its bands.
_LEAST_STRENGTH = 0.5
# Hz under which bass and kick drum lie, which tell the bar (common practice, no source).
_LOW_HZ = 130.0
# Beats in a bar that are tried; others are said by the person.
_SIZES = (4, 3)
# A bar of three must be this much clearer than one of four, which is far more common.
_THREE_MUST_WIN_BY = 1.25


def guess_beats(audio: Audio) -> TempoMap | None:
    """Beats and bars of a recording, or None where no steady beat is to be heard.

    Raises CancelledError when asked to stop.
    """
    if audio.duration < _LEAST_S:
        return None
    # Loaded only for what has a beat: it takes seconds.
    beat_track = beat_tracker()
    mono = _low(audio)
    strength = _strength(mono)
    bpm = _usual_tempo(strength)
    _, frames = apart(lambda: beat_track(onset_envelope=strength, sr=_LOW_RATE, hop_length=_HOP, trim=False, bpm=bpm))
    look_for_stop()
    if len(frames) < _LEAST_BEATS or float(np.max(strength)) < _LEAST_STRENGTH:
        return None
    if float(np.mean(strength[frames])) < _LEAST_STRENGTH or _clearness(strength, frames) < _LEAST_CLEARNESS:
        return None
    times = _moved_to_rises(np.asarray(frames) * _HOP / _LOW_RATE, strength)
    size, first = _bars(mono, times)
    return TempoMap(tuple(float(round(t, 4)) for t in times), size, first)


def _low(audio: Audio) -> FloatArray:
    """All channels as one at _LOW_RATE, shape (n,)."""
    import soxr

    stream, out = soxr.ResampleStream(RATE, _LOW_RATE, 1), []
    for piece in audio.pieces():
        look_for_stop()
        out.append(stream.resample_chunk(mixed_down(piece)))
    out.append(stream.resample_chunk(np.zeros(0, np.float32), last=True))
    return np.concatenate(out)


def _strength(mono: FloatArray) -> NDArray[np.floating]:
    """librosa's onset strength each _HOP, its bands measured piece by piece so that memory stays bounded."""
    power_to_db, melspectrogram, onset_strength = onset_tools()

    padded, bands = np.pad(mono, _WINDOW // 2), []
    for first in range(0, len(mono) // _HOP + 1, _PIECE):
        look_for_stop()
        frames = min(_PIECE, len(mono) // _HOP + 1 - first)
        part = padded[first * _HOP : (first + frames - 1) * _HOP + _WINDOW]
        bands.append(melspectrogram(y=part, sr=_LOW_RATE, n_fft=_WINDOW, hop_length=_HOP, center=False))
    return np.asarray(onset_strength(S=power_to_db(np.concatenate(bands, axis=1)), sr=_LOW_RATE, hop_length=_HOP))


def _usual_tempo(strength: NDArray[np.floating]) -> float:
    """The tempo that librosa's tracker would take (its mean tempogram under its prior), measured piece by piece: by
    itself it holds the spectra of all frames at once, four gigabytes for twenty minutes."""
    tempogram, tempo = tempo_tools()
    window = int(_TEMPO_S * _LOW_RATE / _HOP)
    whole: NDArray[np.float64] = np.zeros(window)
    for first in range(0, len(strength), _PIECE):
        look_for_stop()
        last = min(len(strength), first + _PIECE)
        low = max(0, first - window)
        part = strength[low : last + window]
        found = tempogram(onset_envelope=part, sr=_LOW_RATE, hop_length=_HOP, win_length=window)
        whole += found[:, first - low : last - low].sum(axis=1)
    found = tempo(tg=(whole / len(strength))[:, None], sr=_LOW_RATE, hop_length=_HOP)
    return float(np.atleast_1d(found)[0])


def _clearness(strength: NDArray[np.floating], frames: NDArray[np.integer]) -> float:
    """How much stronger onsets are at the beats than at places between them."""
    on = np.array([float(np.max(strength[max(0, f - 2) : f + 3])) for f in frames])
    off = []
    for a, b in itertools.pairwise(frames):
        for share in (0.3, 0.4, 0.6, 0.7):
            f = int(a + share * (b - a))
            off.append(float(np.max(strength[max(0, f - 2) : f + 3])))
    return float(np.mean(on)) / (float(np.mean(off)) + 1e-9)


def _moved_to_rises(times: NDArray[np.float64], strength: NDArray[np.floating]) -> NDArray[np.float64]:
    """Each beat moved to the strongest onset within some 45 ms, where it still follows the one before."""
    out = times.copy()
    near = round(_NEAR_S * _LOW_RATE / _HOP)
    floor = float(np.median(strength))
    for k, t in enumerate(times):
        f = round(t * _LOW_RATE / _HOP)
        low = max(0, f - near)
        part = strength[low : f + near + 1]
        if len(part) and float(np.max(part)) > 2.0 * floor:
            out[k] = (low + int(np.argmax(part))) * _HOP / _LOW_RATE
    for k in range(1, len(out)):
        if out[k] - out[k - 1] < 0.12:
            out[k] = max(times[k], out[k - 1] + 0.12)
    return out


def _bars(mono: FloatArray, times: NDArray[np.float64]) -> tuple[int, int]:
    """Beats in a bar, and which beat begins bar 1: where the low end strikes hardest."""
    from scipy import signal

    low = signal.sosfilt(signal.butter(4, _LOW_HZ, fs=_LOW_RATE, output="sos"), mono)
    squared = np.concatenate(([0.0], np.cumsum(np.asarray(low, dtype=np.float64) ** 2)))

    def energy(a: float, b: float) -> float:
        i, j = (int(np.clip(round(t * _LOW_RATE), 0, len(low))) for t in (a, b))
        return float(squared[j] - squared[i]) / max(1, j - i)

    rise = np.array([np.sqrt(energy(t - 0.01, t + 0.12)) - np.sqrt(energy(t - 0.13, t - 0.01)) for t in times])
    rise = np.maximum(rise, 0.0)
    best: dict[int, tuple[float, int]] = {}
    for size in _SIZES:
        sums = [float(np.mean(rise[k::size])) if len(rise[k::size]) else 0.0 for k in range(size)]
        k = int(np.argmax(sums))
        others = (sum(sums) - sums[k]) / (size - 1)
        best[size] = (sums[k] / (others + 1e-9), k)
    size = 3 if best[3][0] > _THREE_MUST_WIN_BY * best[4][0] else 4
    return size, best[size][1]
