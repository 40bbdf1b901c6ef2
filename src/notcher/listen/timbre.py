"""What a note sounds like besides its pitch, and the techniques that says: muted by the palm, dead, a harmonic, a
squeal, swelled in, raked into.

Each note's partials are measured at a few moments after its onset, against what is usual in the recording; a forest a
technique (fitted by benchmarks/fit_timbre.py) weighs them. Strokes that no note explains are weighed as well: what is
struck without a pitch is a dead string.
"""

import functools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from importlib import resources

import numpy as np
from numpy.typing import NDArray

from notcher.listen.belief import KEPT
from notcher.listen.ear import begun_near, most_near
from notcher.listen.forest import Forest
from notcher.listen.frames import Frames
from notcher.listen.missed import starting_pitch
from notcher.listen.notes import HeardNote
from notcher.listen.onsets import peaks
from notcher.listen.repeats import is_repeat
from notcher.listen.segments import dip_db
from notcher.listen.spectrum import HOP
from notcher.listen.tone import loudest, partials_of, spectrum_at
from notcher.score.measured import Measured
from notcher.score.note import Attack, Mark
from notcher.score.sure import Sure

# Seconds after the onset at which a note is looked at.
_MOMENTS_S = (0.02, 0.06, 0.12, 0.2, 0.35, 0.6)
# Seconds at which its level is taken, from just before the onset on.
_LEVELS_S = (-0.02, 0.0, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32, 0.6)
# Seconds before an onset in which dead strings may be swept over, and the flux of one of them.
_RAKE_S, _SWEPT = (0.2, 0.018), 0.25
# Partials of a string that a harmonic on it may be, and seconds after the onset at which the others are looked for.
_ORDERS, _UNDER_S = (2, 3, 4, 5, 6), (0.06, 0.12)
# Flux of a stroke, seconds from it within which a note begins that explains it, and those it lasts where it is none.
_STROKE, _EXPLAINED_S, _THUD_S = 0.3, 0.045, 0.06
_STROKE_LAG = 0.006
_FLOOR = 1e-4
_LONGEST = 2.0
FEATURES = (
    *(f"level {k}" for k in range(len(_MOMENTS_S))), *(f"bright {k}" for k in range(len(_MOMENTS_S))),
    "bright against usual", "first partial", "odd", "falls", "falls against usual",
    *(f"energy {k}" for k in range(len(_LEVELS_S))), "loud against usual", "purity at first", "purity", "sure",
    "flux", "dip", "seconds", "seconds before", "seconds after", "strokes before", "flux before", "noise before",
    "pitch", "steps before", "steps after", "base error", "bent", "shaken", "slid", "alone", "likely",
    "stroke only", "struck", "struck anywhere", "sounds on", "under", "under, order", "swept", "level before",
)  # fmt: skip
"""What is gathered of each note, in order."""


@dataclass(frozen=True, slots=True)
class Technique:
    """One that a forest tells: its name among the kept ones, and what is written at the note."""

    name: str
    mark: Mark | None = None
    attack: Attack | None = None


DEAD = Mark.DEAD.value
TECHNIQUES = (
    Technique("dead", Mark.DEAD),
    Technique("pinch-harmonic", Mark.PINCH_HARMONIC),
    Technique("natural-harmonic", Mark.NATURAL_HARMONIC),
    Technique("palm-mute", Mark.PALM_MUTE),
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
    partials = np.stack([partials_of(frames, n, at, offset_cents) for at in _MOMENTS_S])
    total = 10 * np.log10((partials**2).sum(axis=1) + _FLOOR**2)
    bright = 10 * np.log10(
        ((partials[:, 3:] ** 2).sum(axis=1) + _FLOOR**2) / ((partials[:, :3] ** 2).sum(axis=1) + _FLOOR**2)
    )
    at_first = partials[1] ** 2 + _FLOOR**2
    at = round(n.onset / HOP)
    energy = np.array([_level(frames.energy, at + round(s / HOP)) for s in _LEVELS_S])
    loud = float(np.max(frames.energy[at : at + 80], initial=-100.0))
    early = slice(max(0, at - round(_RAKE_S[0] / HOP)), max(0, at - round(_RAKE_S[1] / HOP)))
    flux = frames.flux[early]
    strokes = (
        int(np.sum((flux[1:-1] > _SWEPT) & (flux[1:-1] >= flux[:-2]) & (flux[1:-1] > flux[2:]))) if len(flux) > 2 else 0
    )
    span = slice(at, max(at + 2, round(n.end / HOP)))
    return [
        *(total - np.max(total)), *bright, 0.0, float(10 * np.log10(at_first[0] / at_first.sum())),
        float(10 * np.log10(at_first[0::2].sum() / at_first[1::2].sum())), float(total[2] - total[0]), 0.0,
        *(energy - loud), loud, float(np.mean(frames.trace.purity[at : at + 8])),
        float(np.mean(frames.trace.purity[span])), float(np.mean(frames.trace.confidence[span])), n.evidence.flux,
        n.evidence.dip_db, min(n.end - n.onset, _LONGEST),
        min(n.onset - before.end, _LONGEST) if before is not None else _LONGEST,
        min(after.onset - n.onset, _LONGEST) if after is not None else _LONGEST, float(strokes),
        float(np.max(flux, initial=0.0)), float(1.0 - np.mean(frames.trace.purity[early])) if len(flux) else 0.0,
        float(n.pitch), float(n.pitch - before.pitch) if before is not None else 0.0,
        float(after.pitch - n.pitch) if after is not None else 0.0, n.evidence.base_error_cents,
        float(n.bend is not None), float(n.vibrato is not None), float(n.attack is not Attack.PICK),
        float(frames.alone), n.confidence, float(n.evidence.stroke), *_heard(frames, n, offset_cents),
        *_strongest_under(frames, n, offset_cents), _swept(flux),
        _level(frames.energy, at - round(0.05 / HOP)) - loud,
    ]  # fmt: skip


def _heard(frames: Frames, n: HeardNote, offset_cents: float) -> tuple[float, float, float]:
    """How likely the ear heard its string struck, any struck, and its pitch sound a little later."""
    midi = starting_pitch(n) + offset_cents / 100.0
    struck, _, anywhere = begun_near(frames.ear, n.onset, midi)
    return struck, anywhere, most_near(frames.ear.sounds, n.onset + 0.08, midi)


def _swept(flux: NDArray[np.float64]) -> float:
    """How evenly strokes follow one another: the sum of them against the strongest."""
    return float(np.sum(flux) / (np.max(flux, initial=0.0) + 0.1)) if len(flux) else 0.0


def _strongest_under(frames: Frames, n: HeardNote, offset_cents: float) -> tuple[float, float]:
    """What sounds of the string under a harmonic: dB against its own first two partials, and which partial of the
    string that makes it."""
    under = _under(frames, n, offset_cents)
    best = int(np.argmax(under))
    return float(under[best]), float(_ORDERS[best])


def _under(frames: Frames, n: HeardNote, offset_cents: float) -> NDArray[np.float64]:
    """For each of _ORDERS, how loud the partials between are of a string of which the note may be that partial, dB
    against the note's first two; shape (len(_ORDERS),)."""
    out = np.zeros(len(_ORDERS))
    for since in _UNDER_S:
        spectrum, hz = spectrum_at(frames, n, since, offset_cents, wide=4)
        own = loudest(spectrum, hz * np.arange(1, 3), wide=4)
        for i, order in enumerate(_ORDERS):
            between = np.array([k for k in range(1, 2 * order) if k % order])
            there = loudest(spectrum, hz / order * between, wide=4)
            out[i] += 10 * np.log10((np.mean(there**2) + _FLOOR**2) / (np.mean(own**2) + _FLOOR**2)) / len(_UNDER_S)
    return out


def _level(energy: NDArray[np.float64], at: int) -> float:
    return float(energy[min(max(at, 0), len(energy) - 1)])


def unexplained(frames: Frames, notes: Sequence[HeardNote], delay: float | None = None) -> list[HeardNote]:
    """Strokes with which no note begins, each as a short note of the pitch that was last heard. notes: in time order;
    delay: seconds after which what was played comes again."""
    onsets = np.array([n.onset for n in notes])
    out: list[HeardNote] = []
    for k in peaks(frames.flux, threshold=_STROKE).tolist():
        at = max(0.0, k * HOP - _STROKE_LAG)
        if np.min(np.abs(onsets - at), initial=9.0) <= _EXPLAINED_S or is_repeat(at, onsets, delay):
            continue
        before = int(np.searchsorted(onsets, at)) - 1
        pitch = notes[max(0, before)].pitch
        measured = Measured(
            flux=round(float(frames.flux[k]), 2), dip_db=round(dip_db(frames.energy, k), 1), stroke=True
        )
        out.append(
            HeardNote(
                round(at, 4), round(at + _THUD_S, 4), pitch, Attack.PICK, None, None, frozenset(), 0.3, measured
            )
        )  # fmt: skip
    return out


@functools.cache
def _forests() -> dict[str, tuple[Forest, tuple[float, float]]]:
    with resources.files("notcher").joinpath("data/timbre.npz").open("rb") as f, np.load(f) as kept:
        return {t.name: (Forest.of(kept, t.name), _pair(kept[f"{t.name}_from"])) for t in TECHNIQUES}


def with_techniques(
    frames: Frames, notes: Sequence[HeardNote], offset_cents: float, delay: float | None = None
) -> list[HeardNote]:
    """The notes with the techniques that their sound says, and the dead strings struck between them. delay: seconds
    after which what was played comes again."""
    if not notes:
        return []
    out = sorted([*notes, *unexplained(frames, notes, delay)], key=lambda n: (n.onset, -n.pitch))
    rows = gathered(frames, out, offset_cents)
    said: list[set[str]] = [set() for _ in out]
    likely: list[float] = [0.0] * len(out)
    for technique in TECHNIQUES:
        forest, limits = _forests()[technique.name]
        answers = forest.likelihoods(rows)
        told = answers >= limits[0 if frames.alone else 1]
        if technique.name == DEAD:
            chances = np.interp(answers, *_chances_of_dead())
            told &= chances >= KEPT
            likely = chances.tolist()
        for i in np.flatnonzero(told).tolist():
            said[i].add(technique.name)
    found = [_told(frames, n, names, p, offset_cents) for n, names, p in zip(out, said, likely, strict=True)]
    return [n for n in found if n is not None]


@functools.cache
def _chances_of_dead() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Answers of the forest, and the chance that a string was dead which each stands for."""
    with resources.files("notcher").joinpath("data/timbre.npz").open("rb") as f, np.load(f) as kept:
        return kept["dead_answers"], kept["dead_chances"]


def _pair(limits: NDArray[np.float64]) -> tuple[float, float]:
    return float(limits[0]), float(limits[1])


def _told(frames: Frames, n: HeardNote, names: set[str], dead: float, offset_cents: float) -> HeardNote | None:
    """A note with what is said of it; None for a stroke that is nothing."""
    if n.evidence.stroke:
        if DEAD not in names:
            return None
        sure = Sure(pitch=1.0, onset=round(dead, 3), attack=1.0, bend=1.0)
        return replace(n, marks=n.marks | {Mark.DEAD}, confidence=round(dead, 3), sure=sure)
    # One string is muted or a harmonic or dead; what is said of it most rarely, and so most surely, stands.
    only = next((t.name for t in _ONE_OF if t.name in names), None)
    for technique in TECHNIQUES:
        if technique.name not in names or (technique in _ONE_OF and technique.name != only):
            continue
        if technique.mark is not None:
            n = replace(n, marks=n.marks | {technique.mark})
        elif technique.attack is not None and n.attack is Attack.PICK:
            n = replace(n, attack=technique.attack)
    if Mark.PINCH_HARMONIC in n.marks:
        under = _under(frames, n, offset_cents)[1:]
        n = replace(n, partial=_ORDERS[1:][int(np.argmax(under))])
    if Mark.DEAD in n.marks:
        n = replace(n, bend=None, vibrato=None)
    return n


_ONE_OF = tuple(t for t in TECHNIQUES if t.name in ("dead", "pinch-harmonic", "natural-harmonic", "palm-mute"))
