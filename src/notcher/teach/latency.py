"""How long a sound takes out of the machine and in again: clicks are played, and looked for in what was recorded."""

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.audio.tone import click
from notcher.score.errors import NotcherError

_CLICKS, _APART_S, _BEFORE_S = 6, 0.5, 0.25
LONGEST_S = _APART_S - 0.02
"""No longer delay can be told from the next click."""
LASTS_S = _BEFORE_S + _CLICKS * _APART_S + LONGEST_S
# By how much the answer stands out of what else there is.
_STANDS_OUT = 4.0


def clicks_to_play() -> FloatArray:
    """The clicks, mono, shape (n,)."""
    out = np.zeros(round(LASTS_S * RATE), np.float32)
    one = click(strength=2)
    for k in range(_CLICKS):
        at = round((_BEFORE_S + k * _APART_S) * RATE)
        out[at : at + len(one)] += one
    return out


def latency_of(recorded: FloatArray) -> float:
    """Seconds by which the clicks came late in what was recorded from the same moment on, mono, shape (n,): where they
    agree best with those played (cross-correlation), all of them together. Raises NotcherError where none are heard."""
    from scipy.signal import correlate

    played = clicks_to_play()
    size = min(len(recorded), len(played))
    if size < RATE:
        raise NotcherError("nothing was recorded; choose another input")
    found = np.abs(correlate(recorded[:size].astype(np.float64), played[:size].astype(np.float64), "full", "fft"))
    lags = found[size - 1 : size - 1 + round(LONGEST_S * RATE)]
    # Over the time of one click, as a room turns its phase.
    smooth = np.convolve(lags, np.ones(64) / 64, mode="same")
    best = int(np.argmax(smooth))
    if not smooth[best] > _STANDS_OUT * float(np.median(smooth)) or float(np.max(np.abs(recorded))) < 1e-3:
        raise NotcherError("the clicks were not heard; hold the microphone to the headphones, and turn them up")
    return best / RATE
