"""How likely each note that was heard is one, and which to keep.

What speaks for a note is gathered in numbers: what the ear heard, how sure the contour is, how it began, what sounds
around it. Forests weigh them (fitted by benchmarks/fit_belief.py), each answer brought to a chance by what was so of
the notes it was given for (isotonic regression; Niculescu-Mizil and Caruana 2005, "Predicting good probabilities with
supervised learning").
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.missed import Candidate, starting_pitch
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import difference_of, most_near
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.models.forest import Forest, weighed
from notcher.score.measured import Weighed
from notcher.score.note import LEGATO, Attack

FEATURES = (
    "struck", "fingered", "begun away", "sounds at once", "sounds on", "sounded before", "octave below",
    "octave above", "twelfth below", "loudest other", "other's steps", "sure", "sure at first", "share", "purity",
    "level", "flux", "dip", "jump", "glide", "seconds", "seconds before", "base error", "alone", "beside",
    "together", "again", "bent", "bend's cents", "raised", "picked", "slid", "pitch", "off the usual", "density",
    "on the contour", "likely begun", "cuts", "difference",
)  # fmt: skip
"""What is gathered of each note, in order."""
QUESTIONS = NOTE, ONSET, PITCH, ATTACK, BEND = ("note", "onset", "pitch", "attack", "bend")
"""What is asked of each: whether onset and pitch are right, and apart of each part of it."""
KEPT = 0.4
"""Chance from which what was heard is a note."""
# Things that are told of what decided.
_TOLD = 4
# Seconds around an onset in which a beginning is the note's, before which it may have sounded, and over which notes
# are counted.
_NEAR_S, _BEFORE_S, _AROUND_S = 0.05, (0.09, 0.03), 1.0
_TOGETHER_S = 0.03
# Stands for what is unknown.
_FAR = 3.0


@dataclass(frozen=True, slots=True)
class _Scene:
    """What all notes are seen against. onsets: of all, seconds, sorted; usual: pitch and level."""

    onsets: NDArray[np.float64]
    pitch: float
    level: float


@dataclass(frozen=True, slots=True)
class Belief:
    """Chances, 0 to 1: that onset (within 50 ms) and pitch are right, and apart that the pitch, the onset, how it is
    reached, and its bend are."""

    note: float
    onset: float
    pitch: float
    attack: float
    bend: float


@dataclass(frozen=True, eq=False)
class _Judge:
    """A forest, and what chance each of its answers stands for: knots of a line that only rises."""

    forest: Forest
    answers: NDArray[np.float64]
    chances: NDArray[np.float64]


@functools.cache
def _judges() -> dict[str, _Judge]:
    with resources.files("notcher").joinpath("data/belief.npz").open("rb") as f, np.load(f) as kept:
        return {
            name: _Judge(Forest.of(kept, name), kept[f"{name}_answers"], kept[f"{name}_chances"]) for name in QUESTIONS
        }


def because(row: NDArray[np.float32], *, kept: bool) -> tuple[Weighed, ...]:
    """What decided most whether a row of numbers is a note."""
    return weighed(_judges()[NOTE].forest, FEATURES, row, yes=kept, most=_TOLD)


def believed(features: NDArray[np.float32]) -> list[Belief]:
    """What to think of each row of numbers, shape (n, len(FEATURES))."""
    if not len(features):
        return []
    columns = []
    for name in QUESTIONS:
        judge = _judges()[name]
        columns.append(np.interp(judge.forest.likelihoods(features), judge.answers, judge.chances))
    return [Belief(*(round(float(v), 3) for v in row)) for row in np.array(columns).T]


def feature_vectors(
    frames: Frames, trace: Trace, candidates: Sequence[Candidate], offset_cents: float
) -> NDArray[np.float32]:
    """The numbers of each candidate, shape (n, len(FEATURES))."""
    onsets = np.array([c.note.onset for c in candidates])
    spans = [slice(round(c.note.onset / HOP), max(round(c.note.onset / HOP) + 2, round(c.note.end / HOP)))
             for c in candidates]  # fmt: skip
    levels = [float(np.median(trace.level[s])) if len(trace.level[s]) else -120.0 for s in spans]
    usual = float(np.percentile(levels, 75)) if levels else -120.0
    scene = _Scene(np.sort(onsets), float(np.median([c.note.pitch for c in candidates])) if candidates else 0.0, usual)
    rows = [
        _feature_vector(frames, trace, candidates, i, spans[i], levels[i], scene, offset_cents)
        for i in range(len(candidates))
    ]
    return np.array(rows, np.float32).reshape(-1, len(FEATURES))


def _feature_vector(
    frames: Frames, trace: Trace, candidates: Sequence[Candidate], i: int, span: slice, level: float, scene: _Scene,
    offset_cents: float,
) -> list[float]:  # fmt: skip
    c, n, ear = candidates[i], candidates[i].note, frames.ear
    at, lasts = n.onset, n.end - n.onset
    midi = starting_pitch(n) + offset_cents / 100.0
    struck = most_near(ear.struck, at, midi, before=_NEAR_S, after=_NEAR_S)
    fingered = most_near(ear.fingered, at, midi, before=_NEAR_S, after=_NEAR_S)
    early = at + 0.05
    others = [o for o in candidates if o is not c and abs(o.note.onset - at) <= _NEAR_S]
    rival = max(others, key=lambda o: o.begun.likely if o.begun else 0.0, default=None)
    again = max((o.note.onset for o in candidates[max(0, i - 12) : i]
                 if abs(o.note.pitch - n.pitch) <= 1 and o.note.onset < at - 0.01), default=-_FAR)  # fmt: skip
    k = int(np.searchsorted(scene.onsets, at - 0.02))
    before = at - float(scene.onsets[k - 1]) if k else _FAR
    near = int(np.searchsorted(scene.onsets, at + _AROUND_S) - np.searchsorted(scene.onsets, at - _AROUND_S))
    bend = n.bend
    main = trace.cents[span]
    sounding = main[np.isfinite(main)]
    own = np.abs(sounding - offset_cents - 100 * n.pitch) < (650 if bend else 80)
    return [
        struck, fingered, abs(c.begun.time - at) if c.begun else 0.1,
        most_near(ear.sounds, early, midi, before=0.03, after=0.04, wide=0.6),
        most_near(ear.sounds, at + min(lasts, 1.0) * 0.6, midi, before=0.03, after=0.03, wide=2.5 if bend else 0.8),
        most_near(ear.sounds, at - sum(_BEFORE_S) / 2, midi, before=0.03, after=0.03),
        most_near(ear.sounds, early, midi - 12), most_near(ear.sounds, early, midi + 12),
        most_near(ear.sounds, early, midi - 19),
        rival.begun.likely if rival is not None and rival.begun else 0.0,
        float(rival.note.pitch - n.pitch) if rival is not None else 0.0,
        float(np.mean(trace.confidence[span])), float(np.mean(trace.confidence[span][:20])),
        float(np.mean(trace.share[span])), float(np.mean(trace.purity[span])), level - scene.level,
        n.evidence.flux, n.evidence.dip_db, float(np.clip(n.evidence.jump_cents, -1500, 1500)), n.evidence.glide_s,
        min(lasts, _FAR), min(before, _FAR), abs(n.evidence.base_error_cents), float(frames.alone),
        float(n.evidence.other is not None), float(sum(abs(o.note.onset - at) <= _TOGETHER_S for o in others)),
        min(at - again, _FAR), float(bend is not None), float(bend.target_cents) if bend else 0.0,
        float(bend is not None and bend.starts_raised), float(n.attack is Attack.PICK),
        float(n.attack is Attack.SLIDE) + 0.5 * float(n.attack in LEGATO), float(n.pitch), n.pitch - scene.pitch,
        float(near), float(np.mean(own)) if len(own) else 0.0, c.begun.likely if c.begun else 0.0,
        float(c.cuts is not None), difference_of(ear, early + 0.03, midi),
    ]  # fmt: skip
