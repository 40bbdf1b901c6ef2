"""From seconds to beats and back: a tempo map is a list of measured beats, not one number."""

import bisect
import math
from dataclasses import dataclass

from notcher.score.errors import ScoreError


@dataclass(frozen=True, slots=True)
class TempoMap:
    """The times of the beats in seconds, the beats in a bar, and how many beats come before bar 1.

    Between two beats, and beyond the ends, time runs at the rate of the nearest pair.
    """

    beats: tuple[float, ...]
    beats_per_bar: int = 4
    pickup: int = 0

    def __post_init__(self) -> None:
        if len(self.beats) < 2:
            raise ScoreError(f"a tempo map needs at least two beats, got {len(self.beats)}")
        if any(not b > a for a, b in zip(self.beats, self.beats[1:], strict=False)):
            raise ScoreError("the beats of a tempo map must follow one another in time")
        if not 1 <= self.beats_per_bar <= 16:
            raise ScoreError(f"a bar has 1 to 16 beats, got {self.beats_per_bar}")

    @classmethod
    def steady(cls, bpm: float, *, first_beat: float, count: int, beats_per_bar: int = 4) -> "TempoMap":
        """A map of `count` equal beats. Raises ScoreError unless bpm > 0."""
        if not bpm > 0:
            raise ScoreError(f"a tempo must be above 0 bpm, got {bpm}")
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

    def bar_and_beat(self, time: float) -> tuple[int, float]:
        """Bar number (1 is the first full bar) and the beat in it (from 1.0) at a time."""
        beat = self.beat_at(time) - self.pickup
        bar = math.floor(beat / self.beats_per_bar + 1e-9)
        return bar + 1, beat - bar * self.beats_per_bar + 1.0

    def bpm(self) -> float:
        """Mean tempo over all beats."""
        return 60.0 * (len(self.beats) - 1) / (self.beats[-1] - self.beats[0])
