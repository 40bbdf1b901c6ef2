"""Fits the weights of listen/decide/lead_presence.py and writes src/notcher/data/lead_signs.json.

Run: python -m benchmarks.fit_lead (needs what benchmarks/development.py needs). Leads are the development phrases over
backings and over recorded bands, down to 6 dB below them; their own backings, those of further sets that are used for
nothing else, and recorded bands alone hold none. Some bands have a melody of their own: each counts less.
"""

import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.preprocessing import StandardScaler

from benchmarks.development import NO_LEAD, Job, frames_of, phrases, without_lead
from benchmarks.truth import ROOT
from notcher.audio.recording import AudioError
from notcher.listen.decide.lead_presence import SIGNS, signs_of
from notcher.listen.listener import read_frames

OUT = ROOT / "src/notcher/data/lead_signs.json"
# How far weights may go from nought (scikit-learn's C): small, as the material has one generator.
_FREEDOM = 0.1
# How many of those nearest to the limit are told.
_TOLD = 12
# What a band alone counts, as it may hold a melody.
_BAND = 0.5


def signs_in(job: Job) -> tuple[float, ...] | None:
    """The signs of a phrase under a condition, or of what accompanies it alone."""
    frames = frames_of(job)
    try:
        heard = read_frames(frames)
    except AudioError:
        return None
    return signs_of(heard.trace, frames.energy, frames.ear, heard.notes, heard.offset.spread)


def main() -> None:
    """Fit and write."""
    jobs = [job for job in phrases() if job.condition != "alone" and job.source != "varied"] + without_lead()
    with ProcessPoolExecutor(2) as pool:
        found = [(job, signs) for job, signs in zip(jobs, pool.map(signs_in, jobs), strict=True) if signs]
    leads = np.array([job.condition != NO_LEAD for job, _ in found])
    weights = np.array([_BAND if job.source == "band" else 1.0 for job, _ in found])
    write(np.array([signs for _, signs in found]), leads, weights, OUT)


def write(signs: np.ndarray, leads: np.ndarray, weights: np.ndarray, out: Path) -> None:
    """Fit on signs, shape (n, len(SIGNS)), whether each has a lead and what each counts, both of shape (n,)."""
    scaler = StandardScaler().fit(signs)
    fitted = LogisticRegression(C=_FREEDOM).fit(scaler.transform(signs), leads, sample_weight=weights)
    columns = {"mean": scaler.mean_, "scale": scaler.scale_, "weight": fitted.coef_[0]}
    kept = {name: dict(zip(SIGNS, np.round(v, 4).tolist(), strict=True)) for name, v in columns.items()}
    text = json.dumps(kept | {"bias": round(float(fitted.intercept_[0]), 4)}, indent=1)
    out.write_text(text + "\n")
    print(f"{len(leads)} recordings, {int(leads.sum())} of them with a lead; wrote {out.name}")
    chance = fitted.predict_proba(scaler.transform(signs))[:, 1]
    print("least likely leads", np.round(np.sort(chance[leads])[:_TOLD], 2).tolist())
    print("likeliest of the rest", np.round(np.sort(chance[~leads])[::-1][:_TOLD], 2).tolist())


if __name__ == "__main__":
    main()
