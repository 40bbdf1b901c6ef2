"""Whether what was heard in a mix is a lead at all, or only the clearest of what accompanies none.

A lead keeps one pitch while a note lasts, keeps to the frets of one tuning, moves by small steps, dies away in its
notes, is shaken now and then, and is what the network is sure of most of the time; what is pieced together from chords,
pads and drums wanders, leaps and stops. No one sign decides: a logistic regression (Cox 1958, "The regression analysis
of binary sequences") of all of them weighs them, fitted by benchmarks/fit_lead.py and kept in data/lead_signs.json.
"""

import functools
import json
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.bands import STEP as EAR_STEP
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import Ear
from notcher.listen.frames.spectrum import HOP

SIGNS = ("wander", "share", "share_of_notes", "spread", "rests", "decay", "step", "vibrato", "sure", "heard", "left")
# Of 159 development leads, over backings and over recorded bands down to 6 dB below them, one lies under it; of what
# accompanies none, backings and recorded bands alone (some with a melody of their own), the likeliest has 0.94.
LEAST_LIKELIHOOD = 0.42
# Notes: of fewer the signs say nothing. How sure they must be on average in more than so many seconds of sound: what is
# heard in 42 backings without a lead is 0.80 sure at most.
_FEWEST_NOTES, _SURE, _LONG_S = 12, 0.81, 8.0
# dB under the loudest at which a frame still sounds, and seconds from which a gap is a rest.
_SOUNDS_DB = 40.0
_REST_S = 0.25
# Likelihood (of 255) from which the ear hears a string.
_HEARD = 128


@dataclass(frozen=True, slots=True)
class Weights:
    """Of each sign: its mean and spread over the material, and its weight; and what all start from."""

    mean: tuple[float, ...]
    scale: tuple[float, ...]
    weight: tuple[float, ...]
    bias: float

    def likelihood(self, signs: Sequence[float]) -> float:
        """That a lead plays, 0 to 1."""
        x = (np.asarray(signs) - self.mean) / self.scale
        return float(1.0 / (1.0 + np.exp(-(x @ np.asarray(self.weight) + self.bias))))


@functools.cache
def _weights() -> Weights:
    kept = json.loads(resources.files("notcher").joinpath("data/lead_signs.json").read_text())
    mean, scale, weight = (tuple(kept[name][s] for s in SIGNS) for name in ("mean", "scale", "weight"))
    return Weights(mean, scale, weight, kept["bias"])


def signs_of(
    trace: Trace, energy: NDArray[np.float64], ear: Ear, notes: Sequence[HeardNote], spread_cents: float
) -> tuple[float, ...] | None:
    """The signs in the order of SIGNS; None where too few notes were heard to say.

    trace: where something sounds its pitch; energy: of the lead in dB, shape (n_frames,); ear: what it heard;
    spread_cents: of the tuning offset.
    """
    sounds = np.isfinite(trace.cents)
    if len(notes) < _FEWEST_NOTES or not sounds.any():
        return None
    audible = energy > np.percentile(energy[sounds], 95) - _SOUNDS_DB
    pitches, onsets, ends = (np.array([getattr(n, name) for n in notes]) for name in ("pitch", "onset", "end"))
    first = np.minimum(np.round(onsets / HOP).astype(int) + 8, len(trace) - 1)
    last = np.clip(np.round(ends / HOP).astype(int) - 4, 0, len(trace) - 1)
    loudest = ear.sounds.max(axis=1)
    moved = np.abs(np.diff(trace.cents[sounds]))
    return (
        float(np.log(np.median(moved) + 0.1)),
        float(np.mean(trace.share[audible])),
        float(np.mean(trace.share[sounds])),
        float(np.log(spread_cents + 0.1)),
        float(np.mean(onsets[1:] - ends[:-1] > _REST_S)),
        float(np.median(trace.level[first] - trace.level[last])),
        float(np.median(np.abs(np.diff(pitches)))),
        float(np.mean([n.vibrato is not None for n in notes])),
        float(np.mean([n.confidence for n in notes])),
        float(np.mean(loudest > _HEARD)),
        float(np.log((np.sum((loudest > _HEARD)) * EAR_STEP + 0.1) / (np.sum(ends - onsets) + 0.1))),
    )


def is_a_lead(
    trace: Trace, energy: NDArray[np.float64], ear: Ear, notes: Sequence[HeardNote], spread_cents: float
) -> bool:
    """Whether a lead plays here. Takes what signs_of takes. A few notes are one where they are sure, or are all there
    is. energy: dB, shape (n_frames,)."""
    signs = signs_of(trace, energy, ear, notes, spread_cents)
    if signs is not None:
        return _weights().likelihood(signs) >= LEAST_LIKELIHOOD
    sure = float(np.mean([n.confidence for n in notes])) if notes else 0.0
    loudest = float(np.max(energy, initial=-100.0))
    long = float(np.sum(energy > loudest - _SOUNDS_DB)) * HOP > _LONG_S
    return sure >= _SURE or not long
