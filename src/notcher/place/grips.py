"""Grips for a chord, near where the hand already is: a fret for each string, or none, and the fingers that hold them.

What a grip must have is common practice (no source): the bass lowest, third and seventh and what names the chord in
it, the fifth where there is room; strings that sound lie side by side but for one at most that is damped between; no
more than four frets from the first finger to the last. What the hand takes more easily comes first, by the costs of
notcher.place.fingers, then what is fuller and nearer.
"""

import functools
import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from notcher.place.fingers import COSTS, TOO_DEAR, own_cost
from notcher.place.wanted import Wanted
from notcher.score.chord import FIFTHS, KINDS, Chord
from notcher.score.chords import chord_of
from notcher.score.note import Note
from notcher.score.playing import Hand
from notcher.score.project import Project
from notcher.score.tuning import Tuning

_SPAN = 3
# What each string left out, each fret from the hand, a damped string between others, a missing fifth and a tone
# that is there three times cost, in the costs of fingers.
_FEWER, _FAR, _DAMPED, _NO_FIFTH, _THRICE = 1.6, 0.45, 1.5, 0.6, 0.8
# Of one, two ... strings that are thicker than the bass and stay silent.
_THICKER = (0.0, 0.5, 1.4, 2.8)
# An open string, where the lowest finger is this far up the neck or farther.
_OPEN, _UP_FROM = 1.2, 3
# A finger that lies flat, over however many strings.
_A_BAR = 0.9
_FEWEST, _HANDS = 3, 4
_TRIED = 250
# Tones that a chord of so many may go without: its fifth, where that is the plain one, and of large chords the root
# that the bass plays anyway is kept, the ninth under an eleventh or thirteenth goes.
_FREE = {"5": 4, "9": 6, "11": 6}


@dataclass(frozen=True, slots=True)
class Grip:
    """frets: from string 1 on, None where a string does not sound; fingers: likewise, None where none is needed;
    position: the fret of the first finger."""

    frets: tuple[int | None, ...]
    fingers: tuple[int | None, ...]
    position: int


@functools.lru_cache(maxsize=256)
def grips(chord: Chord, tuning: Tuning, *, near: int, most: int = 3) -> tuple[Grip, ...]:
    """The easiest grips for a chord with the hand at a position, the best first; none where no hand holds one."""
    rough = sorted(_all(chord, tuning, near), key=lambda x: (x[0], [f or 0 for f in x[1]]))
    found: list[tuple[float, Grip]] = []
    for cost, frets in rough[:_TRIED]:
        way = _easiest(frets, tuning)
        if way is not None:
            effort, position, by_string = way
            found.append((cost + effort, Grip(frets, tuple(by_string.get(k) for k in tuning.numbers), position)))
    found.sort(key=lambda x: x[0])
    return tuple(g for _, g in found[:most])


def _easiest(frets: Sequence[int | None], tuning: Tuning) -> tuple[float, int, dict[int, int]] | None:
    """(cost, position, finger of each string that needs one) of the easiest way to hold a grip; None for none.

    Fingers follow one another as frets do, and on one fret from the thick string to the thin one; strings of one fret
    are taken by as many fingers, or by one that lies flat over them.
    """
    by_fret: dict[int, list[int]] = {}
    for string in reversed(tuning.numbers):
        fret = frets[string - 1]
        if fret:
            by_fret.setdefault(fret, []).append(string)
    if not by_fret:
        return 0.0, 1, {}
    groups = sorted(by_fret.items())
    ways = [[[[s] for s in strings], [strings]] if len(strings) > 1 else [[strings]] for _, strings in groups]
    best: tuple[float, int, dict[int, int]] | None = None
    for way in itertools.product(*ways):
        takes = [(fret, strings) for (fret, _), parts in zip(groups, way, strict=True) for strings in parts]
        if len(takes) > _HANDS or any(not _lies(frets, strings) for _, strings in takes):
            continue
        flat = _A_BAR * sum(len(strings) > 1 for _, strings in takes)
        for fingers in itertools.combinations(range(1, _HANDS + 1), len(takes)):
            for position in range(max(1, takes[0][0] - 1), takes[0][0] + 1):
                effort = flat + sum(
                    own_cost(_wanted(tuning, strings[0], fret), fret - position, f, position, COSTS[Hand.PER_FRET])
                    for f, (fret, strings) in zip(fingers, takes, strict=True)
                )
                if effort < TOO_DEAR and (best is None or effort < best[0]):
                    held = {s: f for f, (_, strings) in zip(fingers, takes, strict=True) for s in strings}
                    best = (effort, position, held)
    return best


def _lies(frets: Sequence[int | None], strings: Sequence[int]) -> bool:
    """Whether a finger can lie flat on some strings: what sounds between them is fretted there or higher."""
    low, high = min(strings), max(strings)
    at = frets[low - 1] or 0
    return all(f is None or f >= at for f in frets[low - 1 : high])


def _wanted(tuning: Tuning, string: int, fret: int) -> Wanted:
    return Wanted(onset=0.0, end=1.0, pitch=tuning.pitch(string, fret))


def _all(chord: Chord, tuning: Tuning, near: int) -> Iterator[tuple[float, tuple[int | None, ...]]]:
    """(rough cost, frets from string 1 on) of every grip that has what the chord needs."""
    bass = (chord.bass or chord.root).pitch_class
    needed = _needed(chord)
    seen: set[tuple[int | None, ...]] = set()
    for low in range(max(0, near - 5), min(near + 5, tuning.highest_fret - _SPAN) + 1):
        choices = [_choices(chord, tuning, string, low) for string in tuning.numbers]
        for frets in itertools.product(*choices):
            if frets in seen:
                continue
            seen.add(frets)
            cost = _rough(frets, tuning, bass, needed, chord, near)
            if cost is not None:
                yield cost, frets


def _choices(chord: Chord, tuning: Tuning, string: int, low: int) -> list[int | None]:
    frets = [0] if low <= 2 and low > 0 else []
    frets += range(low, low + _SPAN + 1)
    return [None, *(f for f in frets if tuning.pitch(string, f) % 12 in chord.pitch_classes)]


def _needed(chord: Chord) -> frozenset[int]:
    """The tones that must sound."""
    degrees = KINDS[chord.kind].degrees
    free = {d for d, size in _FREE.items() if len(degrees) >= size}
    own = {(chord.root.pitch_class + 7 * FIFTHS[d]) % 12 for d in degrees if d not in free}
    return frozenset(own | ({chord.bass.pitch_class} if chord.bass else set()))


def _rough(
    frets: Sequence[int | None], tuning: Tuning, bass: int, needed: frozenset[int], chord: Chord, near: int
) -> float | None:  # fmt: skip
    sounding = [k for k, f in enumerate(frets) if f is not None]
    if len(sounding) < max(_FEWEST, min(len(needed), 4)):
        return None
    pitches = {k: tuning.pitch(k + 1, f) for k, f in enumerate(frets) if f is not None}
    if min(pitches.values()) % 12 != bass:
        return None
    classes = [p % 12 for p in pitches.values()]
    if not needed <= set(classes):
        return None
    fretted = sorted(f for f in frets if f)
    # A bar takes the lowest fret; three fingers are left for the others.
    if (fretted and sum(f > fretted[0] for f in fretted) > 3) or (len(fretted) > 4 and 0 in frets):
        return None
    damped = sounding[-1] - sounding[0] + 1 - len(sounding)
    if damped > 1:
        return None
    # sounding counts from string 1: what is left out above its last are strings thicker than the bass.
    thicker = tuning.strings - 1 - sounding[-1]
    cost = (
        _FEWER * (tuning.strings - len(sounding) - thicker)
        + _THICKER[min(thicker, len(_THICKER) - 1)]
        + _DAMPED * damped
    )
    cost += _FAR * abs((fretted[0] if fretted else 0) - near)
    cost += _OPEN * list(frets).count(0) * (bool(fretted) and fretted[0] >= _UP_FROM)
    cost += _NO_FIFTH * (not set(chord.pitch_classes) <= set(classes))
    return cost + _THRICE * sum(max(0, classes.count(c) - 2) for c in set(classes) if c != bass)


def grips_under(project: Project, notes: Sequence[Note], positions: Sequence[int]) -> list[tuple[Chord, Grip]]:
    """The easiest grip for each chord under some notes, in order, near where the hand is as it comes. positions: of the
    hand, for each note."""
    found: dict[Chord, Grip] = {}
    for note, position in zip(notes, positions, strict=True):
        here = chord_of(project, note)
        if here is None or here.chord is None or here.chord in found:
            continue
        best = grips(here.chord, project.tuning, near=position, most=1)
        if best:
            found[here.chord] = best[0]
    return list(found.items())
