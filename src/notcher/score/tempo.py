"""From seconds to beats and bars and back: a tempo map is a list of measured beats, not one number."""

import bisect
import itertools
import math
from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import declared, within
from notcher.score.errors import ScoreError
from notcher.score.limits import MOST_BEATS, check_count, check_time
from notcher.score.unit import QUARTER, Unit

LONGEST_BAR = 16


@dataclass(frozen=True, slots=True)
class TempoMap:
    """The times of the beats in seconds, the beats in a bar, and how many beats come before bar 1.

    changes: (bar number, beats in the bar from there on), for bars that differ from beats_per_bar, in order. unit: what
    a beat is written as.
    Between two beats, and beyond the ends, time runs at the rate of the nearest pair.
    """

    beats: Annotated[tuple[float, ...], declared("seconds", minItems=2)]
    beats_per_bar: Annotated[int, within(1, LONGEST_BAR)] = 4
    pickup: Annotated[int, within(0, MOST_BEATS)] = 0
    changes: Annotated[tuple[tuple[int, int], ...], declared("[bar, beats in the bar from there on]")] = ()
    unit: Annotated[Unit, declared("what a beat is written as")] = QUARTER

    def __post_init__(self) -> None:
        if len(self.beats) < 2:
            raise ScoreError("a tempo map needs at least two beats, got {n}", n=len(self.beats))
        check_count(len(self.beats), MOST_BEATS, Clause("beats"))
        check_time(self.beats[0], Clause("the first beat"))
        check_time(self.beats[-1], Clause("the last beat"))
        if not 0 <= self.pickup <= MOST_BEATS:
            raise ScoreError(
                "a pick-up has 0 to {most_beats} beats, got {pickup}", most_beats=MOST_BEATS, pickup=self.pickup
            )
        if any(not b > a for a, b in zip(self.beats, self.beats[1:], strict=False)):
            raise ScoreError("the beats of a tempo map must follow one another in time")
        for size in (self.beats_per_bar, *(size for _, size in self.changes)):
            if not 1 <= size <= LONGEST_BAR:
                raise ScoreError("a bar has 1 to {longest_bar} beats, got {size}", longest_bar=LONGEST_BAR, size=size)
        bars = [bar for bar, _ in self.changes]
        if any(bar < 1 for bar in bars) or any(b <= a for a, b in itertools.pairwise(bars)):
            raise ScoreError("changes of metre stand at bars from 1 on, each once and in order, got {bars}", bars=bars)

    @classmethod
    def steady(cls, bpm: float, *, first_beat: float, count: int, beats_per_bar: int = 4) -> "TempoMap":
        """A map of `count` equal beats. Raises ScoreError unless bpm > 0."""
        if not bpm > 0:
            raise ScoreError("a tempo must be above 0 bpm, got {bpm}", bpm=bpm)
        return cls(tuple(first_beat + i * 60.0 / bpm for i in range(count)), beats_per_bar)

    def beat_at(self, time: float) -> float:
        """Beats since the first beat (float, negative before it) at a time in seconds."""
        i = min(max(bisect.bisect_right(self.beats, time) - 1, 0), len(self.beats) - 2)
        a, b = self.beats[i], self.beats[i + 1]
        return i + (time - a) / (b - a)

    def time_at(self, beat: float) -> float:
        """Time in seconds of a beat (float)."""
        i = min(max(math.floor(beat), 0), len(self.beats) - 2)
        a, b = self.beats[i], self.beats[i + 1]
        return a + (beat - i) * (b - a)

    def quarters_per_minute(self, bpm: float) -> float:
        """A tempo in beats a minute as scores and MIDI count it, in quarters."""
        return bpm * float(self.unit.quarters)

    # -- bars ----------------------------------------------------------------------------------------------------

    def beats_in(self, bar: int) -> int:
        """How many beats a bar has."""
        i = bisect.bisect_right([b for b, _ in self.changes], bar) - 1
        return self.changes[i][1] if i >= 0 else self.beats_per_bar

    def first_beat_of(self, bar: int) -> int:
        """The beat (counted from the map's first, 0) that begins a bar; bars before 1 count down."""
        beat, at, size = self.pickup, 1, self.beats_per_bar
        for change, following in self.changes:
            if change >= bar:
                break
            beat += (change - at) * size
            at, size = change, following
        return beat + (bar - at) * size

    def bar_of(self, beat: float) -> int:
        """The bar that holds a beat (float, counted from the map's first); 0 and below before bar 1."""
        start, at, size = self.pickup, 1, self.beats_per_bar
        for change, following in self.changes:
            begins = start + (change - at) * size
            if beat < begins - 1e-9:
                break
            start, at, size = begins, change, following
        return at + math.floor((beat - start) / size + 1e-9)

    def bar_and_beat(self, time: float) -> tuple[int, float]:
        """Bar number (1 is the first full bar) and the beat in it (from 1.0) at a time."""
        beat = self.beat_at(time)
        bar = self.bar_of(beat)
        return bar, beat - self.first_beat_of(bar) + 1.0

    def begins_bar(self, beat: int) -> bool:
        """Whether a beat (counted from the map's first) is the first of its bar."""
        return self.first_beat_of(self.bar_of(beat)) == beat

    def last_bar(self) -> int:
        """The bar that holds the last beat."""
        return self.bar_of(len(self.beats) - 1)

    def bpm(self) -> float:
        """Mean tempo over all beats."""
        return 60.0 * (len(self.beats) - 1) / (self.beats[-1] - self.beats[0])

    def bpm_at(self, time: float) -> float:
        """Tempo at a time: of the four beats around it, as far as there are."""
        i = math.floor(self.beat_at(time))
        low, high = max(0, i - 1), min(len(self.beats) - 1, i + 3)
        low, high = (low, high) if high > low else (len(self.beats) - 2, len(self.beats) - 1)
        return 60.0 * (high - low) / (self.beats[high] - self.beats[low])
