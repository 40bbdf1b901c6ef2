"""What a note sounds like besides its pitch, and the techniques that says: muted by the palm, dead, squealing, swelled
in, raked into.

Each note's partials are measured at a few moments after its onset, against what is usual in the recording; a forest a
technique (fitted by benchmarks/fit_timbre.py) weighs them.
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.listen.forest import Forest
from notcher.listen.frames import Frames
from notcher.listen.notes import HeardNote
from notcher.listen.spectrum import HOP, LOW_RATE
from notcher.score.note import Attack, Mark

# Seconds after the onset at which a note is looked at, and samples at LOW_RATE that are looked at: 46 ms.
_MOMENTS_S, _WINDOW = (0.02, 0.06, 0.12, 0.2, 0.35), 1024
_PARTIALS = 8
# Seconds at which its level is taken, from just before the onset on.
_LEVELS_S = (-0.02, 0.0, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32)
# Seconds before an onset in which dead strings may be swept over, and the flux of one of them.
_RAKE_S, _SWEPT = (0.14, 0.018), 0.25
_FLOOR = 1e-4
_LONGEST = 2.0
FEATURES = (
    *(f"level {k}" for k in range(len(_MOMENTS_S))), *(f"bright {k}" for k in range(len(_MOMENTS_S))),
    "bright against usual", "first partial", "odd", "falls", "falls against usual",
    *(f"energy {k}" for k in range(len(_LEVELS_S))), "loud against usual", "purity at first", "purity", "sure",
    "flux", "dip", "seconds", "seconds before", "seconds after", "strokes before", "flux before", "noise before",
    "pitch", "steps before", "steps after", "base error", "bent", "shaken", "slid", "alone", "likely",
)  # fmt: skip
"""What is gathered of each note, in order."""


@dataclass(frozen=True, slots=True)
class Technique:
    """One that a forest tells: its name among the kept ones, and what is written at the note."""

    name: str
    mark: Mark | None = None
    attack: Attack | None = None


TECHNIQUES = (
    Technique("palm-mute", Mark.PALM_MUTE),
    Technique("dead", Mark.DEAD),
    Technique("pinch-harmonic", Mark.PINCH_HARMONIC),
    Technique("swell", Mark.SWELL),
    Technique("rake", attack=Attack.RAKE),
)


def gathered(frames: Frames, notes: Sequence[HeardNote], offset_cents: float) -> NDArray[np.float32]:
    """The numbers of each note, shape (n, len(FEATURES)). notes: in time order."""
    rows = [_numbers(frames, notes, i, offset_cents) for i in range(len(notes))]
    table = np.array(rows, np.float32).reshape(-1, len(FEATURES))
    # What an amplifier and a room make of every note says nothing of one.
    for against, own in (("bright against usual", "bright 1"), ("falls against usual", "falls")):
        if len(table):
            column = table[:, FEATURES.index(own)]
            table[:, FEATURES.index(against)] = column - np.median(column)
    if len(table):
        loud = table[:, FEATURES.index("loud against usual")]
        table[:, FEATURES.index("loud against usual")] = loud - np.percentile(loud, 75)
    return table


def _numbers(frames: Frames, notes: Sequence[HeardNote], i: int, offset_cents: float) -> list[float]:
    n = notes[i]
    before = notes[i - 1] if i else None
    after = next((m for m in notes[i + 1 : i + 6] if m.onset > n.onset + 0.03), None)
    partials = np.stack([_partials(frames, n, at, offset_cents) for at in _MOMENTS_S])
    total = 10 * np.log10((partials**2).sum(axis=1) + _FLOOR**2)
    bright = 10 * np.log10(
        ((partials[:, 3:] ** 2).sum(axis=1) + _FLOOR**2) / ((partials[:, :3] ** 2).sum(axis=1) + _FLOOR**2)
    )
    at_first = partials[1] ** 2 + _FLOOR**2
    at = round(n.onset / HOP)
    energy = np.array([_level(frames.energy, at + round(s / HOP)) for s in _LEVELS_S])
    loudest = float(np.max(frames.energy[at : at + 80], initial=-100.0))
    early = slice(max(0, at - round(_RAKE_S[0] / HOP)), max(0, at - round(_RAKE_S[1] / HOP)))
    flux = frames.flux[early]
    strokes = (
        int(np.sum((flux[1:-1] > _SWEPT) & (flux[1:-1] >= flux[:-2]) & (flux[1:-1] > flux[2:]))) if len(flux) > 2 else 0
    )
    span = slice(at, max(at + 2, round(n.end / HOP)))
    return [
        *(total - np.max(total)), *bright, 0.0, float(10 * np.log10(at_first[0] / at_first.sum())),
        float(10 * np.log10(at_first[0::2].sum() / at_first[1::2].sum())), float(total[2] - total[0]), 0.0,
        *(energy - loudest), loudest, float(np.mean(frames.trace.purity[at : at + 8])),
        float(np.mean(frames.trace.purity[span])), float(np.mean(frames.trace.confidence[span])), n.evidence.flux,
        n.evidence.dip_db, min(n.end - n.onset, _LONGEST),
        min(n.onset - before.end, _LONGEST) if before is not None else _LONGEST,
        min(after.onset - n.onset, _LONGEST) if after is not None else _LONGEST, float(strokes),
        float(np.max(flux, initial=0.0)), float(1.0 - np.mean(frames.trace.purity[early])) if len(flux) else 0.0,
        float(n.pitch), float(n.pitch - before.pitch) if before is not None else 0.0,
        float(after.pitch - n.pitch) if after is not None else 0.0, n.evidence.base_error_cents,
        float(n.bend is not None), float(n.vibrato is not None), float(n.attack is not Attack.PICK),
        float(frames.alone), n.confidence,
    ]  # fmt: skip


def _level(energy: NDArray[np.float64], at: int) -> float:
    return float(energy[min(max(at, 0), len(energy) - 1)])


def _partials(frames: Frames, n: HeardNote, since: float, offset_cents: float) -> NDArray[np.float64]:
    """Levels of the first partials some time after the onset, shape (_PARTIALS,)."""
    from scipy import fft

    half = _WINDOW / LOW_RATE / 2
    sound = frames.lead_between(n.onset + since - half, n.onset + since + half)[:_WINDOW]
    spectrum = np.abs(fft.rfft(sound * np.hanning(len(sound)), 2 * _WINDOW)) / _WINDOW
    cents = 0.0
    if n.bend is not None and n.bend.points:
        cents = float(np.interp(since, [p[0] for p in n.bend.points], [p[1] for p in n.bend.points]))
    hz = 440.0 * 2 ** ((n.pitch - 69 + (cents + offset_cents) / 100) / 12)
    bins = hz * np.arange(1, _PARTIALS + 1) / (LOW_RATE / (2 * _WINDOW))
    at = np.round(bins[:, None] * np.array([0.985, 0.993, 1.0, 1.007, 1.015])[None, :]).astype(int)
    return np.asarray(spectrum[np.minimum(at, len(spectrum) - 1)].max(axis=1), dtype=np.float64)


@functools.cache
def _forests() -> dict[str, tuple[Forest, float]]:
    with resources.files("notcher").joinpath("data/timbre.npz").open("rb") as f, np.load(f) as kept:
        return {t.name: (Forest.of(kept, t.name), float(kept[f"{t.name}_from"])) for t in TECHNIQUES}


def with_techniques(frames: Frames, notes: Sequence[HeardNote], offset_cents: float) -> list[HeardNote]:
    """The notes with the techniques that their sound says."""
    out = list(notes)
    if not out:
        return out
    rows = gathered(frames, out, offset_cents)
    for technique in TECHNIQUES:
        forest, least = _forests()[technique.name]
        for i in np.flatnonzero(forest.likelihoods(rows) >= least).tolist():
            n = out[i]
            if technique.mark is not None:
                out[i] = replace(n, marks=n.marks | {technique.mark})
            elif technique.attack is not None and n.attack is Attack.PICK:
                out[i] = replace(n, attack=technique.attack)
    return out
