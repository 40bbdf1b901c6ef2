"""Fits the weights of listen/decide/lead_presence.py and writes src/notcher/data/lead_signs.json.

Run: python -m benchmarks.fit_lead (needs what benchmarks.fit needs). Leads are the development phrases over backings;
their own backings, and those of further sets that are used for nothing else, hold none.
"""

import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

from benchmarks.fit import frames_of, measured_frames
from benchmarks.material import BACKING_SETS, DEVELOPMENT_SETS, WIDE_DEVELOPMENT, cases
from benchmarks.truth import ROOT
from notcher.audio.recording import AudioError
from notcher.listen.decide.lead_presence import SIGNS, signs_of
from notcher.listen.frames.measure import Frames
from notcher.listen.listener import read_frames

OUT = ROOT / "src/notcher/data/lead_signs.json"
CONDITIONS = ("+6 dB", "0 dB")
# How far weights may go from nought (scikit-learn's C): small, as the material has one generator.
_FREEDOM = 0.1
LEADS = (*DEVELOPMENT_SETS, *WIDE_DEVELOPMENT)
BACKINGS = BACKING_SETS[:3] + BACKING_SETS[4:7]
Job = tuple[int, int, str | None]


def signs_in(job: Job) -> tuple[float, ...] | None:
    """The signs of a development phrase under a condition, or of its backing alone (None)."""
    which, number, condition = job
    frames: Frames
    if condition is None:
        frames = measured_frames(cases(which)[number].without_lead())
    else:
        frames = frames_of(which, number, condition)
    try:
        heard = read_frames(frames)
    except AudioError:
        return None
    return signs_of(heard.trace, frames.energy, frames.ear, heard.notes, heard.offset.spread)


def main() -> None:
    """Fit and write."""
    jobs: list[Job] = [(w, k, c) for w in LEADS for k in range(len(cases(w))) for c in CONDITIONS]
    jobs += [(w, k, None) for w in BACKINGS for k in range(len(cases(w)))]
    with ProcessPoolExecutor(2) as pool:
        found = [
            (job[2] is not None, signs) for job, signs in zip(jobs, pool.map(signs_in, jobs), strict=True) if signs
        ]
    write(np.array([signs for _, signs in found]), np.array([lead for lead, _ in found]), OUT)


def write(signs: np.ndarray, leads: np.ndarray, out: Path) -> None:
    """Fit on signs, shape (n, len(SIGNS)), and whether each has a lead, shape (n,)."""
    scaler = StandardScaler().fit(signs)
    fitted = LogisticRegression(C=_FREEDOM).fit(scaler.transform(signs), leads)
    columns = {"mean": scaler.mean_, "scale": scaler.scale_, "weight": fitted.coef_[0]}
    kept = {name: dict(zip(SIGNS, np.round(v, 4).tolist(), strict=True)) for name, v in columns.items()}
    text = json.dumps(kept | {"bias": round(float(fitted.intercept_[0]), 4)}, indent=1)
    out.write_text(text + "\n")
    print(f"{len(leads)} recordings, {int(leads.sum())} of them with a lead; wrote {out.name}")


if __name__ == "__main__":
    main()
