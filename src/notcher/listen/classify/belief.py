"""How likely each note that was heard is one, and which to keep.

What speaks for a note is gathered in numbers: what the ear heard, how sure the contour is, how it began, what sounds
around it. Forests weigh them (fitted by benchmarks/fit_belief.py), each answer brought to a chance by what was so of
the notes it was given for (isotonic regression; Niculescu-Mizil and Caruana 2005, "Predicting good probabilities with
supervised learning").
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate, starting_pitch
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import difference_of, most_near
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.models.classifier import FeatureTable, classifier
from notcher.score.note import LEGATO, Attack

QUESTIONS = NOTE, ONSET, PITCH, ATTACK, BEND, VIBRATO = ("note", "onset", "pitch", "attack", "bend", "vibrato")
"""What is asked of each: whether onset and pitch are right, and apart of each part of it."""
KEPT = 0.4
"""Chance from which what was heard is a note."""
# Seconds around an onset in which a beginning is the note's, before which it may have sounded, and over which notes
# are counted.
_NEAR_S, _BEFORE_S, _AROUND_S = 0.05, (0.09, 0.03), 1.0
_TOGETHER_S = 0.03
# Cents from its pitch within which the contour is the note's, and where it is bent (the widest bends, and a half step).
_OWN_CENTS, _WIDE_CENTS = 80.0, 650.0
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
    reached, its bend, and where one was read its vibrato are."""

    note: float
    onset: float
    pitch: float
    attack: float
    bend: float
    vibrato: float = 1.0


def believed(features: FeatureTable) -> list[Belief]:
    """What to think of each candidate, from what was measured of it (feature_vectors)."""
    if not len(features):
        return []
    columns = [classifier(question).chances_of(features) for question in QUESTIONS]
    return [Belief(*(round(float(v), 3) for v in row)) for row in np.array(columns).T]


def feature_vectors(frames: Frames, trace: Trace, candidates: Sequence[Candidate], offset_cents: float) -> FeatureTable:
    """What is measured of each candidate."""
    onsets = np.array([c.note.onset for c in candidates])
    spans = [slice(round(c.note.onset / HOP), max(round(c.note.onset / HOP) + 2, round(c.note.end / HOP)))
             for c in candidates]  # fmt: skip
    levels = [float(np.median(trace.level[s])) if len(trace.level[s]) else -120.0 for s in spans]
    usual = float(np.percentile(levels, 75)) if levels else -120.0
    scene = _Scene(np.sort(onsets), float(np.median([c.note.pitch for c in candidates])) if candidates else 0.0, usual)
    return FeatureTable.of([
        _of_the_contour(frames, trace, candidates[i].note, spans[i], levels[i], scene, offset_cents)
        | _of_the_ear(frames, candidates, i, offset_cents)
        | _of_its_neighbours(candidates, i, scene)
        | _of_its_reading(candidates[i], scene)
        for i in range(len(candidates))
    ])  # fmt: skip


def _of_the_ear(frames: Frames, candidates: Sequence[Candidate], i: int, offset_cents: float) -> dict[str, float]:
    """What the ear heard begin and sound, of the note and of what is easily taken for it."""
    c, n, ear = candidates[i], candidates[i].note, frames.ear
    at, lasts = n.onset, n.end - n.onset
    midi = starting_pitch(n) + offset_cents / 100.0
    early = at + 0.05
    return {
        "struck": most_near(ear.struck, at, midi, before=_NEAR_S, after=_NEAR_S),
        "fingered": most_near(ear.fingered, at, midi, before=_NEAR_S, after=_NEAR_S),
        "begun away": abs(c.begun.time - at) if c.begun else 0.1, "likely begun": c.begun.likely if c.begun else 0.0,
        "sounds at once": most_near(ear.sounds, early, midi, before=0.03, after=0.04, wide=0.6),
        "sounds on": most_near(
            ear.sounds, at + min(lasts, 1.0) * 0.6, midi, before=0.03, after=0.03, wide=2.5 if n.bend else 0.8
        ),
        "sounded before": most_near(ear.sounds, at - sum(_BEFORE_S) / 2, midi, before=0.03, after=0.03),
        "octave below": most_near(ear.sounds, early, midi - 12),
        "octave above": most_near(ear.sounds, early, midi + 12),
        "twelfth below": most_near(ear.sounds, early, midi - 19),
        "difference": difference_of(ear, early + 0.03, midi),
    }  # fmt: skip


def _of_the_contour(
    frames: Frames, trace: Trace, n: HeardNote, span: slice, level: float, scene: _Scene, offset_cents: float
) -> dict[str, float]:
    """How sure the contour is of the note, and how far it lies there. span: the note's frames; level: dB."""
    main = trace.cents[span]
    sounding = main[np.isfinite(main)]
    own = np.abs(sounding - offset_cents - 100 * n.pitch) < (_WIDE_CENTS if n.bend else _OWN_CENTS)
    return {
        "sure": float(np.mean(trace.confidence[span])), "sure at first": float(np.mean(trace.confidence[span][:20])),
        "share": float(np.mean(trace.share[span])), "purity": float(np.mean(trace.purity[span])),
        "level": level - scene.level, "on the contour": float(np.mean(own)) if len(own) else 0.0,
        "alone": float(frames.alone),
    }  # fmt: skip


def _of_its_neighbours(candidates: Sequence[Candidate], i: int, scene: _Scene) -> dict[str, float]:
    """What else begins around it."""
    c, n = candidates[i], candidates[i].note
    at = n.onset
    others = [o for o in candidates if o is not c and abs(o.note.onset - at) <= _NEAR_S]
    rival = max(others, key=lambda o: o.begun.likely if o.begun else 0.0, default=None)
    again = max((o.note.onset for o in candidates[max(0, i - 12) : i]
                 if abs(o.note.pitch - n.pitch) <= 1 and o.note.onset < at - 0.01), default=-_FAR)  # fmt: skip
    k = int(np.searchsorted(scene.onsets, at - 0.02))
    before = at - float(scene.onsets[k - 1]) if k else _FAR
    near = int(np.searchsorted(scene.onsets, at + _AROUND_S) - np.searchsorted(scene.onsets, at - _AROUND_S))
    return {
        "loudest other": rival.begun.likely if rival is not None and rival.begun else 0.0,
        "other's steps": float(rival.note.pitch - n.pitch) if rival is not None else 0.0,
        "seconds before": min(before, _FAR), "again": min(at - again, _FAR), "density": float(near),
        "together": float(sum(abs(o.note.onset - at) <= _TOGETHER_S for o in others)),
    }  # fmt: skip


def _of_its_reading(c: Candidate, scene: _Scene) -> dict[str, float]:
    """What was read of it when it became a candidate."""
    n = c.note
    return {
        "flux": n.evidence.flux, "dip": n.evidence.dip_db, "glide": n.evidence.glide_s,
        "jump": float(np.clip(n.evidence.jump_cents, -1500, 1500)), "seconds": min(n.end - n.onset, _FAR),
        "base error": abs(n.evidence.base_error_cents), "beside": float(n.evidence.other is not None),
        "bent": float(n.bend is not None), "bend's cents": float(n.bend.target_cents) if n.bend else 0.0,
        "raised": float(n.bend is not None and n.bend.starts_raised), "picked": float(n.attack is Attack.PICK),
        "slid": float(n.attack is Attack.SLIDE) + 0.5 * float(n.attack in LEGATO), "pitch": float(n.pitch),
        "vibrato's cents": n.vibrato.extent_cents if n.vibrato else 0.0,
        "vibrato's rate": n.vibrato.rate_hz if n.vibrato else 0.0,
        "vibrato's start": min(n.vibrato.start, _FAR) if n.vibrato else 0.0,
        "off the usual": n.pitch - scene.pitch, "cuts": float(c.cuts is not None),
    }  # fmt: skip
