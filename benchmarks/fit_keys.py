"""Fits what harmony/ hears keys by, on invented songs that are never played: their chords are smeared as the ear's are.

Run: python -m benchmarks.fit_keys (a minute).
"""

import random
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.fit_chords import number
from benchmarks.songs import Song, song, wandering
from benchmarks.truth import ROOT
from notcher.harmony.chord_ear import N_CHORDS
from notcher.harmony.key_ear import N_SIGNS, signs
from notcher.score.chord import HEARD, KINDS

OUT = ROOT / "src/notcher/data/keys.npz"
_SEEDS = range(60000, 66000)
_DECAY, _ROUNDS = 3e-5, 500
# Of chords another is heard in place of the one that is played; how sure the ear is of the one it hears.
_WRONG, _SURE = 0.1, (0.6, 1.0)
# Shares of songs of which only eight bars, no chords, or no lead is heard.
_PART, _NO_CHORDS, _NO_LEAD = 0.4, 0.15, 0.1
# Share of songs whose chords follow one another by chance.
_WANDERING = 0.25
_OPEN = (64, 59, 55, 50, 45, 40)
_TONES = [{(root + s) % 12 for s in KINDS[kind].semitones} for root in range(12) for kind in HEARD]
_ALIKE = [[k for k in range(N_CHORDS) if k != n and len(_TONES[k] & _TONES[n]) >= 2] for n in range(N_CHORDS)]


def smeared(dice: random.Random, played: Song) -> NDArray[np.float64]:
    """Chances of each root and kind in each beat, as the ear might hear them, shape (n, 12, kinds)."""
    out = np.zeros((played.length, N_CHORDS))
    for placed in played.chords:
        if placed.chord is None:
            continue
        here = slice(round(placed.beat), round(placed.beat + placed.length))
        heard = number(placed.chord)
        near, nearer = dice.choice(_ALIKE[heard]), dice.choice(_ALIKE[heard])
        sure = dice.uniform(*_SURE)
        if dice.random() < _WRONG:
            heard, near = near, heard
        for chord, share in ((heard, sure), (near, 0.6 * (1 - sure)), (nearer, 0.4 * (1 - sure))):
            out[here, chord] += share
    return out.reshape(played.length, 12, len(HEARD))


def asked(seed: int) -> tuple[NDArray[np.float64], int]:
    """What is asked of one song, and its key: twice its tonic, and one more for a small third."""
    dice = random.Random(seed)
    played = song(dice)
    if dice.random() < _WANDERING:
        played = replace(played, chords=wandering(dice, played))
    chance = smeared(dice, played)
    dwelling = np.zeros(12)
    for note in played.lead:
        pitch = note.fret + _OPEN[note.string - 1] + note.target // 100
        dwelling[pitch % 12] += min(note.length * 60 / played.bpm, 1.5)
    opening = (np.arange(played.length) // played.beats - dice.choice((0, 0, 0, 0, 1, 2, 3))) % 4 == 0
    low, high = 0, played.length
    if played.bars > 8 and dice.random() < _PART:
        low = dice.randrange(played.bars - 7) * played.beats
        high = low + 8 * played.beats
    kind = dice.random()
    if kind < _NO_CHORDS:
        chance = chance * 0
    elif kind < _NO_CHORDS + _NO_LEAD:
        dwelling = dwelling * 0
    found = signs(chance[low:high], np.ones(high - low), opening[low:high], dwelling / (dwelling.sum() + 1e-9))
    return found, 2 * played.key.tonic.pitch_class + int(played.key.minor)


def main() -> None:
    """Fit and keep."""
    from scipy.optimize import minimize

    rows = [asked(seed) for seed in _SEEDS]
    x, y = np.array([r[0] for r in rows]), np.array([r[1] for r in rows])
    n = len(x)

    def loss(packed: NDArray[np.float64]) -> tuple[float, NDArray[np.float64]]:
        weights, bias = packed[:-2].reshape(N_SIGNS, 2), packed[-2:]
        logits = (x @ weights + bias).reshape(n, 24)
        logits -= logits.max(axis=1, keepdims=True)
        share = np.exp(logits)
        share /= share.sum(axis=1, keepdims=True)
        cost = -float(np.log(share[np.arange(n), y] + 1e-12).mean()) + _DECAY * float(packed @ packed)
        share[np.arange(n), y] -= 1
        back = share.reshape(n, 12, 2) / n
        slope = np.concatenate([np.einsum("ntd,ntk->dk", x, back).ravel(), back.sum((0, 1))])
        return cost, slope + 2 * _DECAY * packed

    found: Any = minimize(loss, np.zeros(2 * N_SIGNS + 2), jac=True, method="L-BFGS-B", options={"maxiter": _ROUNDS})
    np.savez_compressed(
        OUT, weights=found.x[:-2].reshape(N_SIGNS, 2).astype(np.float32), bias=found.x[-2:].astype(np.float32)
    )
    print(OUT, found.fun)


if __name__ == "__main__":
    main()
