"""The first guess of beats and bars in a recording; the person corrects it (score/beats.py).

Rises of energy are read (beat/rises.py), pulses through them found (beat/pulse.py), and the likeliest way to count
them chosen (beat/metre.py). A beat lies where drums and chords begin, and steady where the music is steady.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.audio.recording import Audio
from notcher.beat.metre import Reading, likeliest, settled
from notcher.beat.pulse import explains
from notcher.beat.rises import STEP_S, Rises, rises
from notcher.score.clause import Clause
from notcher.score.tempo import TempoMap
from notcher.score.unit import DOTTED_QUARTER, QUARTER, Unit

# Seconds and beats from which a beat is one.
_LEAST_S, _LEAST_BEATS = 4.0, 8
# Rise at the beats, in nats over all bands, how well rises explain them (0 to 1), and how much better than what lies
# between: less is chance.
_LEAST_RISE, _LEAST_EXPLAINED, _LEAST_CLEARNESS = 1.2, 0.45, 1.26
# Of two readings, parts of a beat within which their bars begin alike, and the ratio of tempos that are the same.
_ALIKE_BEATS, _ALIKE_TEMPO = 0.15, 0.03
# Chance of a reading with another metre from which it is worth mentioning.
_WORTH_MENTIONING = 0.2


@dataclass(frozen=True, slots=True)
class Metre:
    """A bar as it may be counted. beats: in a bar; unit: what a beat is written as; bpm: beats a minute; chance: that
    it is this one, 0 to 1."""

    beats: int
    unit: Unit
    bpm: float
    chance: float

    def __str__(self) -> str:
        return "/".join(str(n) for n in self.unit.signature(self.beats))


@dataclass(frozen=True, slots=True)
class HeardBeats:
    """Beats and bars as they were heard, how likely their metre is, and the next likely one with its beats and bars,
    None where none is."""

    tempo: TempoMap
    metre: Metre
    other: Metre | None
    other_tempo: TempoMap | None

    def doubt(self) -> Clause | None:
        """What is to be said of the metre; None where it is beyond doubt."""
        if self.other is None:
            return None
        return Clause(
            "the metre sounds like {metre}, but it may be {other} (about {tenths} in 10)", metre=str(self.metre),
            other=str(self.other), tenths=max(1, round(10 * self.other.chance)),
        )  # fmt: skip


def hear_beats(audio: Audio) -> HeardBeats | None:
    """Beats and bars of a recording, or None where no steady beat is to be heard.

    Raises CancelledError when asked to stop.
    """
    if audio.duration < _LEAST_S:
        return None
    heard = rises(audio)
    found = likeliest(heard)
    if not found:
        return None
    groups = _grouped(found)
    best = groups[0][0]
    beats = settled(heard, best)
    if len(beats) < _LEAST_BEATS or not _is_clear(heard, beats):
        return None
    metres = _metres(groups)
    other = next((m for m in metres[1:] if m.chance >= _WORTH_MENTIONING), None)
    map_of_other = None
    if other is not None:
        second = next(g[0] for g in groups if (g[0].size, _unit(g[0])) == (other.beats, other.unit))
        map_of_other = _map(settled(heard, second), second, audio.duration)
    return HeardBeats(_map(beats, best, audio.duration), metres[0], other, map_of_other)


def guess_beats(audio: Audio) -> TempoMap | None:
    """As `hear_beats`, the beats alone."""
    found = hear_beats(audio)
    return found.tempo if found is not None else None


def _grouped(found: list[Reading]) -> list[list[Reading]]:
    """Readings that count alike, however their beats were followed, together; the likeliest first in and among them."""
    groups: list[list[Reading]] = []
    for reading in found[:60]:
        for group in groups:
            if _alike(group[0], reading):
                group.append(reading)
                break
        else:
            groups.append([reading])
    return sorted(groups, key=lambda g: -sum(r.chance for r in g))


def _alike(a: Reading, b: Reading) -> bool:
    if (a.parts, a.size) != (b.parts, b.size) or abs(np.log(_bpm(a) / _bpm(b))) > _ALIKE_TEMPO:
        return False
    bars = b.beats[b.first :: b.size]
    middle = bars[len(bars) // 2] if len(bars) else b.beats[0]
    at = float(np.interp(middle, a.beats, np.arange(len(a.beats)))) - a.first
    return abs(at / a.size - round(at / a.size)) * a.size <= _ALIKE_BEATS


def _bpm(reading: Reading) -> float:
    return 60.0 / float(np.median(np.diff(reading.beats)))


def _metres(groups: list[list[Reading]]) -> list[Metre]:
    """The metres in question with their chances, that of the likeliest reading first."""
    chances: dict[tuple[int, int], float] = {}
    for group in groups:
        key = (group[0].size, group[0].parts)
        chances[key] = chances.get(key, 0.0) + sum(r.chance for r in group)
    whole = sum(chances.values()) or 1.0
    bpm = {(g[0].size, g[0].parts): _bpm(g[0]) for g in reversed(groups)}
    first = (groups[0][0].size, groups[0][0].parts)
    order = sorted(chances, key=lambda key: (key != first, -chances[key]))
    return [
        Metre(size, DOTTED_QUARTER if parts == 3 else QUARTER, bpm[size, parts], chances[size, parts] / whole)
        for size, parts in order
    ]


def _is_clear(heard: Rises, beats: NDArray[np.float64]) -> bool:
    """Whether anything begins on the beats, and more than between them."""
    on = explains(heard, beats, 8.0, 8.0, 4.0)[0].max(axis=1)
    gaps = np.diff(beats)
    shares = (0.3, 0.4, 0.6, 0.7)
    between = [explains(heard, beats[:-1] + share * gaps, 8.0, 8.0, 4.0)[0].max(axis=1) for share in shares]
    rows = np.clip(np.round(beats[:, None] / STEP_S + np.arange(-4, 5)[None, :]).astype(int), 0, len(heard.whole) - 1)
    rise = float(np.mean(heard.bands.sum(axis=0)[rows].max(axis=1)))
    least = max(_LEAST_EXPLAINED, _LEAST_CLEARNESS * float(np.mean(between)))
    return rise >= _LEAST_RISE and float(np.mean(on)) >= least


def _unit(reading: Reading) -> Unit:
    return DOTTED_QUARTER if reading.parts == 3 else QUARTER


def _map(beats: NDArray[np.float64], reading: Reading, duration: float) -> TempoMap:
    """The beats within the recording; bar 1 begins with the first of them that begins a bar."""
    inside = np.flatnonzero((beats >= 0.0) & (beats <= duration))
    pickup = (reading.first - int(inside[0])) % reading.size
    times = tuple(float(round(t, 4)) for t in beats[inside])
    return TempoMap(times, reading.size, pickup, unit=_unit(reading))
