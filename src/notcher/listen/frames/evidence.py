"""Why a note was heard as it was: the spectrum around it, the contour at its finest, and the pitches that were
weighed."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.faster import faster
from notcher.audio.lead import views
from notcher.audio.recording import Audio, FloatArray
from notcher.listen.frames.contour import trace_pitch
from notcher.listen.frames.ear import hear
from notcher.listen.frames.network import STEP, score_pitches
from notcher.listen.frames.onsets import onset_strength
from notcher.listen.frames.pitch_path import candidates
from notcher.listen.frames.raised import USUAL_LOWEST, raised_for
from notcher.listen.frames.spectrum import HOP, LOW_RATE
from notcher.score.isolation import Isolation, StereoPosition

# Seconds around a note that are shown with it: what led to it, and what follows.
BEFORE_S, AFTER_S = 0.25, 0.2
LONGEST_S = 8.0
"""Of a longer note only this much is listened to: a minute of frames takes half a gigabyte, and what decides how a note
was heard is at its beginning."""
# MIDI: from the E below a seventh string to the highest partial worth seeing.
LOWEST, HIGHEST = 40.0, 101.0
# A third of a semitone shows a bend's way.
BANDS_PER_SEMITONE = 3
# Seconds more that are listened to, so that the search for the contour has a way into the note.
_CONTEXT_S = 0.8
# Samples at LOW_RATE: 93 ms, long enough to part the strings of a chord.
_WINDOW = 2048
# dB from the loudest to nothing: about what a recording's noise leaves.
_RANGE_DB = 55.0
# Hz and cents (A4 = 6900) within which pitches are weighed: those of the contour, and partials above.
_LOWEST_HZ, _HIGHEST_CENTS = 60.0, 9500.0
# Pitches that are told: more than a chord's strings would be noise.
_MOST = 5


@dataclass(frozen=True, slots=True)
class Weighed:
    """A pitch that was weighed: cents above MIDI 0, and its share of the likelihood, 0 to 1."""

    cents: float
    share: float


@dataclass(frozen=True, eq=False)
class Evidence:
    """start: seconds of the first frame; frames are HOP apart. picture: how loud each band is at each frame, 0 to 1,
    shape (n_frames, n_bands), bands from `lowest` (MIDI) upwards, BANDS_PER_SEMITONE to a semitone. cents: the contour,
    NaN where nothing sounds, and flux: the onset strength; both shape (n_frames,). weighed: the likeliest first."""

    start: float
    picture: NDArray[np.float32]
    cents: NDArray[np.float64]
    flux: NDArray[np.float64]
    weighed: tuple[Weighed, ...]
    lowest: float = LOWEST


def explain(audio: Audio, lead: Isolation, onset: float, end: float, *, lowest: int = USUAL_LOWEST) -> Evidence:
    """Listen once more to one note, LONGEST_S of it at most, and what is around it. lead: how the lead is taken out;
    times in seconds; lowest: MIDI pitch of the guitar's lowest open string."""
    if raised := raised_for(lowest):
        return _put_back(audio, lead, onset, end, raised)
    end = min(end, onset + LONGEST_S)
    if lead.stereo_position is StereoPosition.AUTO:
        lead = Isolation(StereoPosition.MIX)
    start, stop = max(0.0, onset - BEFORE_S), min(audio.duration, end + AFTER_S)
    low, high = max(0.0, start - _CONTEXT_S), min(audio.duration, stop + _CONTEXT_S)
    sounds = views(audio.between(low, high), lead)
    trace = trace_pitch(sounds, None, hear(sounds[0]), lowest_hz=_LOWEST_HZ).sounding()
    skip, count = round((start - low) / HOP), max(1, round((stop - start) / HOP))
    rows = slice(skip, skip + count)
    flux = onset_strength(sounds[0])
    return Evidence(
        start, _picture(sounds[0], start - low, count), trace.cents[rows], flux[rows],
        _weighed(sounds[0], onset - low, end - low),
    )  # fmt: skip


def _put_back(audio: Audio, lead: Isolation, onset: float, end: float, raised: int) -> Evidence:
    """What is heard of it so many half steps higher (listen/decide/put_back.py), as it was played."""
    f = float(2.0 ** (raised / 12))
    e = explain(faster(audio, f), lead, onset / f, min(end, onset + LONGEST_S) / f)
    at = np.clip(np.round(np.arange(round(len(e.cents) * f)) / f).astype(int), 0, len(e.cents) - 1)
    down = 100.0 * raised
    weighed = tuple(Weighed(w.cents - down, w.share) for w in e.weighed)
    return Evidence(e.start * f, e.picture[at], e.cents[at] - down, e.flux[at], weighed, e.lowest - raised)


def _picture(mono: FloatArray, start: float, count: int) -> NDArray[np.float32]:
    import soxr
    from scipy import fft

    sound = np.pad(soxr.resample(mono, RATE, LOW_RATE), (_WINDOW, _WINDOW))
    centres = np.round((start + np.arange(count) * HOP) * LOW_RATE).astype(int) + _WINDOW
    frames = np.lib.stride_tricks.sliding_window_view(sound, _WINDOW)
    at = np.clip(centres - _WINDOW // 2, 0, len(frames) - 1)
    magnitude = np.abs(fft.rfft(frames[at] * np.hanning(_WINDOW), 2 * _WINDOW, axis=1))
    bands = np.arange(LOWEST, HIGHEST, 1 / BANDS_PER_SEMITONE)
    bins = 440.0 * 2 ** ((bands - 69) / 12) / (LOW_RATE / (2 * _WINDOW))
    upper = np.clip(np.ceil(bins).astype(int), 1, magnitude.shape[1] - 1)
    loud = np.maximum(magnitude[:, upper], magnitude[:, upper - 1])
    db = 20 * np.log10(loud + 1e-9)
    return np.asarray(np.clip((db - np.max(db)) / _RANGE_DB + 1.0, 0.0, 1.0), dtype=np.float32)


def _weighed(mono: FloatArray, onset: float, end: float) -> tuple[Weighed, ...]:
    """The network's candidates over the note's first half second, those within 40 cents taken together."""
    scores = score_pitches(mono)
    if not len(scores.log_p):
        return ()
    found = candidates(scores, lowest=2000.0, highest=_HIGHEST_CENTS)
    first = round((onset + 0.02) / STEP)
    last = max(first + 1, round(min(end, onset + 0.5) / STEP))
    groups: list[list[float]] = []
    for cents, log_p in zip(found.cents[first:last].ravel(), found.log_p[first:last].ravel(), strict=True):
        if not np.isfinite(cents):
            continue
        near = next((g for g in groups if abs(g[0] / g[1] - cents) < 40), None)
        p = float(np.exp(log_p))
        if near is None:
            groups.append([cents * p, p])
        else:
            near[0] += cents * p
            near[1] += p
    total = sum(g[1] for g in groups) or 1.0
    ordered = sorted(groups, key=lambda g: -g[1])[:_MOST]
    return tuple(Weighed(g[0] / g[1], g[1] / total) for g in ordered)
