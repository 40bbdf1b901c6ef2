"""Fits what each sign of a metre counts (beat/metre.py) on the development bands. Run: python -m benchmarks.fit_metre"""

import json
from collections.abc import Sequence
from pathlib import Path

import mir_eval
import numpy as np
from scipy.optimize import minimize

from benchmarks.bands import DEVELOPMENT as SONGS
from benchmarks.bands import Recorded
from benchmarks.beats import DEVELOPMENT, METRES, Groove
from notcher.audio.recording import Audio
from notcher.beat.metre import NAMES, Reading, readings
from notcher.beat.rises import rises

OUT = Path(__file__).resolve().parent.parent / "src/notcher/data/metre.json"
_RIDGE = 0.0002


def examples() -> list[tuple[list[Reading], list[bool]]]:
    """The readings of each development recording, and whether each is right."""
    out = []
    for seed in DEVELOPMENT:
        groove = Groove(seed)
        size, parts, *_ = METRES[groove.metre]
        out.append(example(groove.audio, groove.beats, size, parts))
    for seed in SONGS[::2]:
        recorded = Recorded(seed)
        song = recorded.song
        truth = np.array([recorded.take.seconds(beat) for beat in range(song.length)])
        out.append(example(recorded.audio, truth, song.beats, 2))
    return out


def example(audio: Audio, truth: np.ndarray, size: int, parts: int) -> tuple[list[Reading], list[bool]]:
    """The readings of a recording with known beats, bars from its first, and whether each is right."""
    found = readings(rises(audio))
    return found, [is_right(r, truth, size, parts) for r in found]


def is_right(reading: Reading, truth: np.ndarray, size: int, parts: int) -> bool:
    """Whether beats, their parts and the bars are those that were played."""
    if (reading.parts, reading.size) != (parts, size):
        return False
    inside = reading.beats[(reading.beats > truth[0] - 0.3) & (reading.beats < truth[-1] + 0.3)]
    if len(inside) < 4 or mir_eval.beat.f_measure(truth, inside) < 0.85:
        return False
    firsts = reading.beats[reading.first :: size]
    firsts = firsts[(firsts > truth[0] - 0.1) & (firsts < truth[-1] + 0.1)]
    return len(firsts) > 0 and float(np.mean(np.min(np.abs(firsts[:, None] - truth[::size]), axis=1) < 0.1)) > 0.8


def fitted(given: Sequence[tuple[list[Reading], list[bool]]]) -> np.ndarray:
    """The weights of a conditional logit, all right readings of a recording taken together."""
    rows = [(np.array([r.features for r in found]), np.array(right)) for found, right in given if any(right)]

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        total, slope = _RIDGE * float(w @ w) * len(rows) / 2, _RIDGE * w * len(rows)
        for x, right in rows:
            worth = x @ w
            worth -= worth.max()
            p = np.exp(worth)
            of_right = p * right
            total += float(np.log(p.sum()) - np.log(of_right.sum() + 1e-300))
            slope = slope + (p / p.sum() - of_right / (of_right.sum() + 1e-300)) @ x
        return total / len(rows), slope / len(rows)

    return np.asarray(minimize(loss, np.zeros(len(NAMES)), jac=True, method="L-BFGS-B", options={"maxiter": 2000}).x)


def main() -> None:
    """Fit and write."""
    w = fitted(examples())
    OUT.write_text(json.dumps({n: round(float(x), 4) for n, x in zip(NAMES, w, strict=True)}, indent=1) + "\n")


if __name__ == "__main__":
    main()
