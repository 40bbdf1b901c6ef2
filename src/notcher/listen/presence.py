"""Whether what was heard in a mix is a lead at all, or only the clearest of what accompanies none.

A lead keeps one pitch while a note lasts, keeps to the frets of one tuning, moves by small steps, dies away in its
notes, is shaken now and then, and is what the network is sure of most of the time; what is pieced together from chords,
pads and drums wanders, leaps and stops. No one sign decides: a logistic regression (Cox 1958, "The regression analysis
of binary sequences") of the eight weighs them, fitted by benchmarks/fit.py and kept in data/lead_signs.json.
"""

import functools
import json
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.listen.contour import Trace
from notcher.listen.notes import HeardNote
from notcher.listen.spectrum import HOP

SIGNS = ("wander", "share", "share_of_notes", "spread", "rests", "decay", "step", "vibrato")
# To take a lead for none costs the person more than the other way round.
LEAST_LIKELIHOOD = 0.28
# Notes: of fewer the signs say nothing.
_FEWEST_NOTES = 12
# dB under the loudest at which a frame still sounds, and seconds from which a gap is a rest.
_SOUNDS_DB = 40.0
_REST_S = 0.25


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
    trace: Trace, energy: NDArray[np.float64], notes: Sequence[HeardNote], spread_cents: float
) -> tuple[float, ...] | None:
    """The signs in the order of SIGNS; None where too few notes were heard to say.

    trace: where something sounds its pitch; energy: of the lead in dB, shape (n_frames,); spread_cents: of the tuning
    offset.
    """
    sounds = np.isfinite(trace.cents)
    if len(notes) < _FEWEST_NOTES or not sounds.any():
        return None
    audible = energy > np.percentile(energy[sounds], 95) - _SOUNDS_DB
    pitches, onsets, ends = (np.array([getattr(n, name) for n in notes]) for name in ("pitch", "onset", "end"))
    first = np.minimum(np.round(onsets / HOP).astype(int) + 8, len(trace) - 1)
    last = np.clip(np.round(ends / HOP).astype(int) - 4, 0, len(trace) - 1)
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
    )


def is_a_lead(trace: Trace, energy: NDArray[np.float64], notes: Sequence[HeardNote], spread_cents: float) -> bool:
    """Whether a lead plays here; so it is said of too few notes to tell. Takes what signs_of takes."""
    signs = signs_of(trace, energy, notes, spread_cents)
    return signs is None or _weights().likelihood(signs) >= LEAST_LIKELIHOOD
