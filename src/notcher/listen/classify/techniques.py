"""What a note sounds like besides its pitch, and the techniques that says: muted by the palm, dead, a harmonic, a
squeal, swelled in, raked into.

Each note's partials are measured at a few moments after its onset, against what is usual in the recording; a forest a
technique (fitted by benchmarks/fit_timbre.py) weighs them. Strokes that no note explains are weighed as well: what is
struck without a pitch is a dead string.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import starting_pitch
from notcher.listen.candidates.partials import loudest, partials_of, spectrum_at
from notcher.listen.candidates.unexplained_strokes import unexplained
from notcher.listen.classify.belief import KEPT
from notcher.listen.frames.ear import begun_near, most_near
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.models.classifier import Features, FeatureTable, classifier
from notcher.score.measured import Weighed
from notcher.score.note import CLAIMED, Attack, Mark, Maybe

# Seconds after the onset at which a note is looked at.
_MOMENTS_S = (0.02, 0.06, 0.12, 0.2, 0.35, 0.6)
# Seconds at which its level is taken, from just before the onset on.
_LEVELS_S = (-0.02, 0.0, 0.01, 0.02, 0.04, 0.08, 0.16, 0.32, 0.6)
# Seconds before an onset in which dead strings may be swept over, and the flux of one of them.
_RAKE_S, _SWEPT = (0.2, 0.018), 0.25
# Partials of a string that a harmonic on it may be, and seconds after the onset at which the others are looked for.
_ORDERS, _UNDER_S = (2, 3, 4, 5, 6), (0.06, 0.12)
_FLOOR = 1e-4
_LONGEST = 2.0
# Things that are told of what decided.
_TOLD = 3


# Features that say how a note stands against the others of the recording: of what, and what of all is usual.
_AGAINST_USUAL: tuple[tuple[str, str, Callable[[NDArray[np.float32]], np.float32]], ...] = (
    ("brightness against usual", "brightness at 60 ms", np.median),
    ("falls against usual", "falls", np.median),
    ("loud against usual", "loud against usual", lambda loud: np.percentile(loud, 75)),
)


@dataclass(frozen=True, slots=True)
class Technique:
    """One that a forest tells: its name among the kept ones, and what is written at the note. alone: no other such is
    told with it."""

    name: str
    mark: Mark | None = None
    attack: Attack | None = None
    alone: bool = False

    def asked(self, chance: float) -> Maybe:
        """It as a question at a note."""
        return Maybe(round(chance, 3), attack=self.attack, mark=self.mark)


DEAD = Mark.DEAD.value
TECHNIQUES = (
    Technique("dead", Mark.DEAD, alone=True),
    Technique("pinch-harmonic", Mark.PINCH_HARMONIC, alone=True),
    Technique("natural-harmonic", Mark.NATURAL_HARMONIC, alone=True),
    Technique("palm-mute", Mark.PALM_MUTE, alone=True),
    Technique("swell", Mark.SWELL),
    Technique("rake", attack=Attack.RAKE),
)


def feature_vectors(frames: Frames, notes: Sequence[HeardNote], offset_cents: float) -> FeatureTable:
    """What is measured of each note. notes: in time order."""
    rows = [
        _of_the_sound(frames, notes[i], offset_cents) | _of_the_strokes(frames, notes[i], offset_cents)
        | _of_the_line(notes, i) | {"alone": float(frames.alone)}
        for i in range(len(notes))
    ]  # fmt: skip
    # What an amplifier and a room make of every note says nothing of one.
    for name, own, usual in _AGAINST_USUAL:
        column = np.array([row[own] for row in rows], np.float32)
        for row, value in zip(rows, column - usual(column) if len(column) else column, strict=True):
            row[name] = float(value)
    return FeatureTable.of(rows)


def _of_the_sound(frames: Frames, n: HeardNote, offset_cents: float) -> dict[str, float]:
    """What its partials do over time, and its level."""
    partials = np.stack([partials_of(frames, n, at, offset_cents) for at in _MOMENTS_S])
    total = 10 * np.log10((partials**2).sum(axis=1) + _FLOOR**2)
    bright = 10 * np.log10(
        ((partials[:, 3:] ** 2).sum(axis=1) + _FLOOR**2) / ((partials[:, :3] ** 2).sum(axis=1) + _FLOOR**2)
    )
    at_first = partials[1] ** 2 + _FLOOR**2
    at = round(n.onset / HOP)
    energy = np.array([_level(frames.energy, at + round(s / HOP)) for s in _LEVELS_S])
    loud = float(np.max(frames.energy[at : at + 80], initial=-100.0))
    span = slice(at, max(at + 2, round(n.end / HOP)))
    under, order = _strongest_under(frames, n, offset_cents)
    ms = [f"{1000 * s:.0f} ms" for s in _MOMENTS_S]
    return {
        **{f"partials at {m}": float(v) for m, v in zip(ms, total - np.max(total), strict=True)},
        **{f"brightness at {m}": float(v) for m, v in zip(ms, bright, strict=True)},
        **{f"loudness at {1000 * s:.0f} ms": float(v) for s, v in zip(_LEVELS_S, energy - loud, strict=True)},
        "first partial": float(10 * np.log10(at_first[0] / at_first.sum())),
        "odd": float(10 * np.log10(at_first[0::2].sum() / at_first[1::2].sum())), "falls": float(total[2] - total[0]),
        "loud against usual": loud, "purity at first": float(np.mean(frames.trace.purity[at : at + 8])),
        "purity": float(np.mean(frames.trace.purity[span])), "sure": float(np.mean(frames.trace.confidence[span])),
        "under": under, "under, order": order, "level before": _level(frames.energy, at - round(0.05 / HOP)) - loud,
    }  # fmt: skip


def _of_the_strokes(frames: Frames, n: HeardNote, offset_cents: float) -> dict[str, float]:
    """What was struck: by its own evidence, by the ear, and just before it."""
    at = round(n.onset / HOP)
    early = slice(max(0, at - round(_RAKE_S[0] / HOP)), max(0, at - round(_RAKE_S[1] / HOP)))
    flux = frames.flux[early]
    strokes = (
        int(np.sum((flux[1:-1] > _SWEPT) & (flux[1:-1] >= flux[:-2]) & (flux[1:-1] > flux[2:]))) if len(flux) > 2 else 0
    )
    struck, anywhere, sounds_on = _heard(frames, n, offset_cents)
    return {
        "flux": n.evidence.flux, "dip": n.evidence.dip_db, "stroke only": float(n.evidence.stroke), "struck": struck,
        "struck anywhere": anywhere, "sounds on": sounds_on, "strokes before": float(strokes),
        "flux before": float(np.max(flux, initial=0.0)), "swept": _swept(flux),
        "noise before": float(1.0 - np.mean(frames.trace.purity[early])) if len(flux) else 0.0,
    }  # fmt: skip


def _of_the_line(notes: Sequence[HeardNote], i: int) -> dict[str, float]:
    """What was read of the note, and where it stands among the others."""
    n = notes[i]
    before = notes[i - 1] if i else None
    after = next((m for m in notes[i + 1 : i + 6] if m.onset > n.onset + 0.03), None)
    return {
        "seconds": min(n.end - n.onset, _LONGEST),
        "seconds before": min(n.onset - before.end, _LONGEST) if before is not None else _LONGEST,
        "seconds after": min(after.onset - n.onset, _LONGEST) if after is not None else _LONGEST,
        "pitch": float(n.pitch), "steps before": float(n.pitch - before.pitch) if before is not None else 0.0,
        "steps after": float(after.pitch - n.pitch) if after is not None else 0.0,
        "base error": n.evidence.base_error_cents, "bent": float(n.bend is not None),
        "shaken": float(n.vibrato is not None), "slid": float(n.attack is not Attack.PICK), "likely": n.confidence,
    }  # fmt: skip


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


def with_techniques(
    frames: Frames, notes: Sequence[HeardNote], offset_cents: float, delay: float | None = None
) -> list[HeardNote]:
    """The notes with the techniques that their sound says, and the dead strings struck between them. delay: seconds
    after which what was played comes again."""
    if not notes:
        return []
    heard = sorted([*notes, *unexplained(frames, notes, delay)], key=lambda n: (n.onset, -n.pitch))
    rows = feature_vectors(frames, heard, offset_cents)
    told_from = {t.name: _told_from(t, alone=frames.alone) for t in TECHNIQUES}
    answers = {t.name: classifier(t.name).raw(rows) for t in TECHNIQUES}
    chances = {t.name: classifier(t.name).chances_of(rows) for t in TECHNIQUES}
    out: list[HeardNote] = []
    for i, n in enumerate(heard):
        told = [
            t for t in TECHNIQUES
            if answers[t.name][i] >= told_from[t.name]
            and (t.name != DEAD or chances[DEAD][i] >= KEPT)
        ]  # fmt: skip
        if n.evidence.stroke:
            if not any(t.name == DEAD for t in told):
                continue
            n = replace(n, confidence=round(float(chances[DEAD][i]), 3))
        # Of a stroke with no pitch nothing is plainer than that it is dead.
        asked = [] if n.evidence.stroke else [t for t in told if chances[t.name][i] < CLAIMED]
        told = _alone_or_not([t for t in told if t not in asked])
        asked = [t for t in _alone_or_not([*told, *asked]) if t not in told]
        maybe = tuple(t.asked(float(chances[t.name][i])) for t in asked)
        n = replace(n, maybe=(*n.maybe, *maybe))
        out.append(_with(frames, n, told, offset_cents, _why([*told, *asked], rows[i])))
    return out


def _alone_or_not(told: Sequence[Technique]) -> list[Technique]:
    """One string is muted or a harmonic or dead: of these the first stands."""
    only = next((t for t in told if t.alone), None)
    return [t for t in told if not t.alone or t is only]


def _told_from(technique: Technique, *, alone: bool) -> float:
    """The answer from which a technique is told; its model file keeps it."""
    limits = classifier(technique.name).limits
    if limits is None:
        raise ValueError(f"the model of '{technique.name}' has no limits; fit it with benchmarks.fit_timbre")
    return limits[0] if alone else limits[1]


def _why(told: Sequence[Technique], features: Features) -> tuple[Weighed, ...]:
    """What speaks most for the first technique that is told or asked."""
    return classifier(told[0].name).because(features, yes=True, most=_TOLD) if told else ()


def _with(
    frames: Frames, n: HeardNote, told: Sequence[Technique], offset_cents: float, why: tuple[Weighed, ...]
) -> HeardNote:
    """A note with what is told of it."""
    n = replace(n, marks=n.marks | {t.mark for t in told if t.mark}, evidence=replace(n.evidence, marked=why))
    raked = next((t.attack for t in told if t.attack), None)
    if raked is not None and n.attack is Attack.PICK:
        n = replace(n, attack=raked)
    if Mark.PINCH_HARMONIC in n.marks:
        under = _under(frames, n, offset_cents)[1:]
        n = replace(n, partial=_ORDERS[1:][int(np.argmax(under))])
    return replace(n, bend=None, vibrato=None) if Mark.DEAD in n.marks else n
