"""What is asked of a beat to name its chord: which tones sound in the bass and above it.

The notes under the partials are found as in Mauch and Dixon 2010, "Approximate note transcription for the improved
identification of difficult chords": by non-negative least squares against notes whose partials fall off geometrically.
"""

import functools

import numpy as np
from numpy.typing import NDArray

from notcher.harmony.spectrum import MIDI, N_BINS, PER_OCTAVE, Levels

# MIDI pitches that are looked for, each with so many partials, each so much weaker than the one before and as wide.
_NOTES = np.arange(26, 94)
_PARTIALS, _FALL, _WIDTH = 12, 0.7, 0.28
# How far a note counts as bass, and as lying above it, by its pitch.
_BASS = np.interp(_NOTES, [26, 30, 48, 55], [0.6, 1, 1, 0])
_ABOVE = np.interp(_NOTES, [43, 55, 80, 94], [0, 1, 1, 0.3])
# Semitones that count for the plain chroma, and how much of it.
_PLAIN, _PLAIN_SHARE = (40, 90), 0.3
# Bins (two thirds of an octave) over which the recording's own colour is taken out.
_COLOUR_BINS = 24
# A beat softer than so much of the usual is not lifted any further.
_SOFT = 0.15
SIZE = 37
"""Of each root: 12 tones of the bass, 12 above it, 12 of the plain chroma, from it up, and how loud it is."""


@functools.cache
def _notes() -> NDArray[np.float64]:
    """The spectrum of each note, shape (N_BINS, len(_NOTES))."""
    out = np.zeros((N_BINS, len(_NOTES)))
    for k, note in enumerate(_NOTES):
        for partial in range(1, _PARTIALS + 1):
            pitch = note + 12 * np.log2(partial)
            out[:, k] += _FALL ** (partial - 1) * np.exp(-0.5 * ((MIDI - pitch) / _WIDTH) ** 2)
        out[:, k] /= np.linalg.norm(out[:, k])
    return out


def tones(levels: Levels) -> Levels:
    """How strongly each tone sounds in each beat: bass, above it, plain chroma, each C to B; shape (n, 36).

    levels: shape (n, N_BINS).
    """
    from scipy.ndimage import gaussian_filter1d
    from scipy.optimize import nnls

    colour = gaussian_filter1d(np.sqrt((levels**2).mean(axis=0)), _COLOUR_BINS) + 1e-9
    flat = levels / colour
    loud = np.linalg.norm(flat, axis=1, keepdims=True)
    flat = flat / np.maximum(loud, max(_SOFT * float(np.median(loud)), 1e-9))
    out = np.zeros((len(levels), 36))
    for k, beat in enumerate(flat):
        sounding, _ = nnls(_notes(), beat)
        np.add.at(out[k], _NOTES % 12, _BASS * sounding)
        np.add.at(out[k], 12 + _NOTES % 12, _ABOVE * sounding)
    on_key = (np.abs(MIDI - np.round(MIDI)) < 6.0 / PER_OCTAVE) & (_PLAIN[0] <= MIDI) & (_PLAIN[1] >= MIDI)
    for b in np.flatnonzero(on_key).tolist():
        out[:, 24 + round(MIDI[b]) % 12] += _PLAIN_SHARE * flat[:, b]
    return out


def loudness(levels: Levels) -> Levels:
    """Of each beat against the usual one, 1 at most; shape (n,)."""
    whole = levels.sum(axis=1)
    return np.asarray(np.minimum(whole / max(float(np.median(whole)), 1e-9), 1.0))


def by_root(found: Levels, loud: Levels) -> NDArray[np.float64]:
    """The tones as seen from each root, shape (n, 12, SIZE). found: as tones() says."""
    rooted = np.sqrt(np.maximum(found, 0.0))
    out = np.zeros((len(found), 12, SIZE))
    for root in range(12):
        out[:, root, :36] = np.concatenate([np.roll(rooted[:, a : a + 12], -root, axis=1) for a in (0, 12, 24)], axis=1)
    out[:, :, 36] = loud[:, None]
    return out
