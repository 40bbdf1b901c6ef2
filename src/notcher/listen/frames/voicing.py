"""Whether the lead sounds at all, frame by frame: mostly by how loud its own partials are against its usual level.

The network's confidence asks whether one clear pitch sounds, which in a mix is seldom so; the level of the partials
along the path tells the lead from what lies under it.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.listen.frames.spectrum import HOP

# Confidence from which a frame says how loud the lead is.
_SURE = 0.3
# Seconds over which, and in which steps, that level is found: a phrase, and a breath.
_AROUND_S = 10.0
_STEP_S = 1.0
# dB that it may lie under the whole solo's: a quiet phrase, not the rests' hum.
_FALL_DB = 12.0
# Logistic regression on the development phrases (alone, and 6 and 0 dB over backings): the network's confidence, the
# chosen pitch's share, the logarithm of its partials' share of the spectrum, their level in tens of dB against the
# usual one, the same where it is 10 dB or more below, how likely the ear hears a string there and the logarithm of its
# odds; and the constant. (benchmarks/fit_voicing.py)
_WEIGHTS = np.array([1.44, 2.19, -0.95, 3.8, -3.26, -1.72, 1.42])
_CONSTANT = -3.65


def usual_level(level: NDArray[np.float64], weight: NDArray[np.float64]) -> NDArray[np.float64]:
    """The lead's usual level around each frame in dB, shape (n,).

    level: of its partials in dB; weight: how sure the pitch is, 0 to 1; both shape (n,). The median of the louder half
    of the sure frames within 10 s, but at most 12 dB below that of the whole.
    """
    sure = weight > _SURE
    n = len(level)
    if not sure.any():
        return np.full(n, float(np.max(level, initial=-120.0)))
    whole = _upper_median(level[sure])
    out = np.full(n, whole)
    step, around = round(_STEP_S / HOP), round(_AROUND_S / HOP)
    for first in range(0, n, step):
        near = slice(max(0, first - around), min(n, first + step + around))
        known = level[near][sure[near]]
        if len(known) > 100:
            out[first : first + step] = max(_upper_median(known), whole - _FALL_DB)
    return out


def _upper_median(values: NDArray[np.float64]) -> float:
    ordered = np.sort(values)
    return float(np.median(ordered[len(ordered) // 2 :]))


def sounding(
    confidence: NDArray[np.float64],
    share: NDArray[np.float64],
    purity: NDArray[np.float64],
    level: NDArray[np.float64],
    heard: NDArray[np.float64],
) -> NDArray[np.float64]:
    """How likely the lead sounds at each frame, 0 to 1, smoothed over 25 ms; all shape (n,).

    confidence: the network's; share: of the likelihood that lies with the chosen pitch; purity: share of the spectrum
    that its partials make up; level: of these in dB; heard: how likely the ear hears a string on that pitch.
    """
    from scipy import ndimage

    if len(level) == 0:
        return np.zeros(0)
    features = features_of(confidence, share, purity, level, heard)
    smooth = ndimage.uniform_filter1d(features @ _WEIGHTS + _CONSTANT, 5, mode="nearest")
    return np.asarray(1.0 / (1.0 + np.exp(-smooth)))


def features_of(
    confidence: NDArray[np.float64], share: NDArray[np.float64], purity: NDArray[np.float64],
    level: NDArray[np.float64], heard: NDArray[np.float64],
) -> NDArray[np.float64]:  # fmt: skip
    """What the regression weighs of each frame, shape (n, 7); takes what `sounding` takes."""
    away = np.clip(level - usual_level(level, confidence * share), -40.0, 10.0) / 10.0
    likely = np.log((heard + 0.01) / (1.01 - heard))
    return np.stack(
        [confidence, share, np.log(purity + 0.02), away, np.minimum(away, -1.0), heard, likely], axis=1
    )  # fmt: skip
