"""A simulated player: plays a phrase from its tab as a learner might, so that takes can be tried where nothing is
plugged in. Its faults are set, so that what is said of the take can be checked against them."""

import random
from dataclasses import dataclass, replace

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.audio.tone import render
from notcher.score.note import Bend, Note, Vibrato
from notcher.score.project import Phrase, Project
from notcher.teach.take import notes_to_play

# Seconds before the first note and after the last.
BEFORE_S, _AFTER_S = 0.5, 0.8
_LEAST_LENGTH_S = 0.03


@dataclass(frozen=True, slots=True)
class Manner:
    """How it plays. pace: percent of the recording's; late_ms: by which every third note comes late, in the recording's
    time; unsteady_ms: standard deviation of all; missed: how many notes are left out; short_cents: by which bends stop
    short; shift: half steps by which all is moved; seed: of chance."""

    pace: float = 60.0
    late_ms: float = 0.0
    unsteady_ms: float = 4.0
    missed: int = 0
    short_cents: float = 0.0
    shift: int = 0
    seed: int = 1


def performed(project: Project, phrase: Phrase | None, manner: Manner) -> FloatArray:
    """The sound of a take, shape (n,), from BEFORE_S seconds before the first note. Raises ScoreError where there is
    nothing to play."""
    notes = notes_to_play(project, phrase)
    dice = random.Random(manner.seed)
    stretch = 100.0 / manner.pace
    inner = [n.id for n in notes[1:-1] if n.bend is None]
    left_out = set(dice.sample(inner, min(manner.missed, len(inner))))
    begin = notes[0].onset
    played = []
    for k, n in enumerate(notes):
        late = (manner.late_ms if k % 3 == 2 else 0.0) + dice.gauss(0.0, manner.unsteady_ms)
        if n.id not in left_out:
            played.append(_played(n, BEFORE_S + stretch * (n.onset - begin + late / 1000.0), stretch, manner))
    end = max(n.end for n in played) + _AFTER_S
    solo = replace(project, offset_cents=project.offset_cents + 100.0 * manner.shift, phrases=()).with_notes(played)
    sound = render(solo, 0.0, end)
    return np.asarray(sound[: round(end * RATE)], np.float32)


def _played(n: Note, onset: float, stretch: float, manner: Manner) -> Note:
    bend = None
    if n.bend is not None:
        shape = n.bend.written_shape(n.duration)
        top = max(c for _, c in shape) or 1.0
        goal = max(0.0, n.bend.target_cents - manner.short_cents)
        bend = Bend(n.bend.kind, n.bend.target_cents, tuple((t * stretch, c * goal / top) for t, c in shape))
    vibrato = None
    if n.vibrato is not None:
        vibrato = Vibrato(n.vibrato.rate_hz, n.vibrato.extent_cents, n.vibrato.start * stretch)
    onset = max(0.01, onset)
    return replace(n, onset=onset, end=onset + max(_LEAST_LENGTH_S, n.duration * stretch), bend=bend, vibrato=vibrato)
