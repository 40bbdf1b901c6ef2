"""Key and chords of a recording: what sounds beside the lead, asked beat by beat, and read as a row of chords."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio.recording import Audio
from notcher.audio.wiener import Lines
from notcher.harmony.chord_ear import N_CHORDS, NONE, log_likelihoods
from notcher.harmony.features import tones
from notcher.harmony.grid import Grid, grid
from notcher.harmony.key_ear import Heard, hear_keys
from notcher.harmony.path import chances, chances_of_change, likeliest
from notcher.harmony.spectrum import Levels, beneath
from notcher.score.chord import HEARD, KINDS, Chord, ChordAt
from notcher.score.isolation import FIND_OUT, Isolation
from notcher.score.key import Key, KeyAt
from notcher.score.spelling import Tone, within
from notcher.score.tempo import TempoMap
from notcher.stopping import apart

TRUST = 1.2
"""How far the ear's log-likelihoods count against what usually follows."""
# The bass says so: a tone of the chord this much stronger in the bass than its root, which is the strongest there in no
# more than this share of its stretches (a bass that walks comes by the root, one under another bass does not).
_OTHER_BASS, _ROOTS = 1.3, 0.1
# The names of the twelve tones where no key is known: from E flat to G sharp.
_FIRST_NAME = -3
_OFFERS = 2
# What the path says counts each beat as news, and is far too sure: its odds as they are among development songs, each
# read by a network fitted on the others (benchmarks/fit_chords.py), which is logistic (Platt 1999, "Probabilistic
# outputs for support vector machines"). On songs of the evaluation 0.81 said, 0.89 right.
_CALIBRATION, _LEAST_SAID = (-0.61, 0.37), 1e-4
# Share of the sound that the lead's partials leave, under which nothing plays beside it: of leads alone at most 0.19,
# of bands under a lead 0.51 at least. And how far the tones above the bass differ in strength, under which none sounds:
# 0.13 in noise, 0.51 at least in bands.
_LEFT, _CONTRAST = 0.3, 0.3
# Beats softer than so much of the usual say nothing.
_SOFT = 0.2


@dataclass(frozen=True, slots=True)
class Harmony:
    """What was heard. Both are empty where nothing is to be said."""

    chords: tuple[ChordAt, ...]
    keys: tuple[KeyAt, ...]


def hear(
    audio: Audio,
    lines: Lines,
    lead: Sequence[tuple[float, float, int]],
    tempo: TempoMap | None,
    *,
    isolation: Isolation = FIND_OUT,
    offset_cents: float = 0.0,
) -> Harmony:
    """Key and chords of a recording. lines: what the lead plays, which is left out; lead: onset, end and pitch of its
    notes, for the key; isolation: where it sits; offset_cents: how far the recording sits from A = 440.

    Raises CancelledError when asked to stop.
    """
    beats = grid(tempo, audio.duration)
    under = beneath(audio, lines, beats.edges, lead=isolation, offset_cents=offset_cents)
    return apart(lambda: read(beats, under.levels, under.left, tones(under.levels), lead))


def read(beats: Grid, levels: Levels, left: Levels, found: Levels, lead: Sequence[tuple[float, float, int]]) -> Harmony:
    """Key and chords from what sounds in each stretch. left: share of the sound that is not the lead's, shape (n,);
    found: as tones() says; lead: as hear() says."""
    if not _something_plays(levels, left, found):
        return Harmony((), hear_keys(Heard(beats, np.zeros((len(left), N_CHORDS + 1)), lead)))
    said = TRUST * log_likelihoods(found, levels)
    change = chances_of_change(beats.places)
    prior = np.full(N_CHORDS + 1, -np.log(N_CHORDS + 1))
    chance = chances(said, change, prior)
    keys = hear_keys(Heard(beats, chance, lead))
    return Harmony(_named(beats, likeliest(said, change, prior), chance, found, keys), keys)


def _something_plays(levels: Levels, left: Levels, found: Levels) -> bool:
    """Whether tones sound beside the lead."""
    loud = levels.sum(axis=1)
    here = (loud > _SOFT * float(np.median(loud))) & (loud > 0)
    if not here.any() or float(np.median(left[here])) < _LEFT:
        return False
    above = found[here, 12:24]
    return float(np.median(above.std(axis=1) / (above.mean(axis=1) + 1e-9))) >= _CONTRAST


def _named(
    beats: Grid, numbers: NDArray[np.intp], chance: NDArray[np.float64], found: Levels, keys: Sequence[KeyAt]
) -> tuple[ChordAt, ...]:
    starts = [0, *(k for k in range(1, len(numbers)) if numbers[k] != numbers[k - 1])]
    out = []
    for first, last in zip(starts, [*starts[1:], len(numbers)], strict=True):
        here, start, number = chance[first:last].mean(axis=0), float(beats.edges[first]), int(numbers[first])
        key = next((k.key for k in reversed(keys) if k.start <= start), None)
        bass = found[first:last, :12]
        best = [k for k in np.argsort(-here).tolist() if k not in (number, NONE)][:_OFFERS]
        out.append(
            ChordAt(
                round(start, 4), None if number == NONE else _chord(number, bass, key), round(_sure(here, number), 3),
                tuple(_chord(k, bass, key) for k in best),
            )
        )  # fmt: skip
    return tuple(out)


def _chord(number: int, bass: NDArray[np.float64], key: Key | None) -> Chord:
    """The chord of a number, spelled as its key has it. bass: how strongly each tone sounds there in each stretch,
    shape (n, 12)."""
    root, kind = divmod(number, len(HEARD))
    others = [(root + s) % 12 for s in KINDS[HEARD[kind]].semitones[1:]]
    mean = bass.mean(axis=0)
    loudest = max(others, key=lambda tone: float(mean[tone]))
    chord = Chord(_spelled(root, key), HEARD[kind])
    roots = float((bass.argmax(axis=1) == root).mean())
    if mean[loudest] <= _OTHER_BASS * mean[root] or roots > _ROOTS:
        return chord
    return Chord(chord.root, chord.kind, chord.tone(loudest))


def _spelled(pitch_class: int, key: Key | None) -> Tone:
    return key.tone(pitch_class) if key else within(pitch_class, _FIRST_NAME)


def _sure(chance: NDArray[np.float64], number: int) -> float:
    """The chance that root and third are right, from what the path says of all kinds on that root with that third."""
    said = min(max(said_of(chance, number), _LEAST_SAID), 1.0 - _LEAST_SAID)
    odds = _CALIBRATION[0] + _CALIBRATION[1] * math.log(said / (1.0 - said))
    return 1.0 / (1.0 + math.exp(-odds))


def said_of(chance: NDArray[np.float64], number: int) -> float:
    """What the path says of a chord's root and third. chance: of each chord and of none, shape (N_CHORDS + 1,)."""
    if number == NONE:
        return float(chance[NONE])
    root, kind = divmod(number, len(HEARD))
    alike = [k for k, name in enumerate(HEARD) if third_of(name) == third_of(HEARD[kind])]
    return float(sum(chance[root * len(HEARD) + k] for k in alike))


def third_of(kind: str) -> str:
    """The degree of its third, empty where it has none."""
    return next((d for d in ("3", "b3") if d in KINDS[kind].degrees), "")
