"""The pace of a lesson in percent of the recording or in beats a minute, as it is typed and stepped."""

import itertools
import re

from notcher.score.errors import ScoreError
from notcher.score.limits import typed_number
from notcher.teach.lesson import FASTEST_PACE, SLOWEST_PACE, clamp_pace

_TYPED = re.compile(r"([+-]?)\s*(\d+(?:[.,]\d+)?)\s*(%|bpm)?", re.IGNORECASE)
STEPS = ("10 %", "5 %", "5 bpm", "2 bpm")
"""How far a step goes, as it is kept."""
FEWEST_TAPS = 3


def read_pace(text: str, *, bpm: float | None, now: float) -> float:
    """The pace in percent that was typed: 50, 50 %, 46 bpm, +5, -4 bpm. bpm: of the recording where it plays, None
    where no beat is known; now: the pace in percent.

    Raises ScoreError for what is no pace, for beats a minute where none are known, and beyond what can be played.
    """
    found = _TYPED.fullmatch(text.strip().rstrip(","))
    if found is None:
        raise ScoreError("'{text}' is no pace; write it as 50 %, 46 bpm or +5", text=text)
    value = typed_number(found[2])
    in_bpm = (found[3] or "%").lower() == "bpm"
    if in_bpm and bpm is None:
        raise ScoreError("no beat is known here; write the pace in percent, or find the beat first")
    percent = 100 * value / bpm if in_bpm and bpm else value
    if found[1]:
        percent = now + percent if found[1] == "+" else now - percent
    if not SLOWEST_PACE <= round(percent) <= FASTEST_PACE:
        raise ScoreError(
            "a pace goes from {low} to {high} % of the recording, got {percent:.0f} %",
            low=SLOWEST_PACE, high=FASTEST_PACE, percent=percent,
        )  # fmt: skip
    return round(percent, 1)


def stepped(now: float, step: str, *, bpm: float | None, up: bool) -> float:
    """The pace one step on or back: to the next multiple of a step in percent, by so many beats a minute in those."""
    found = _TYPED.fullmatch(step)
    assert found is not None
    size = float(found[2])
    if found[3].lower() == "bpm" and bpm:
        # A pace is kept to a tenth of a percent, so that its beats are not quite whole.
        beats = round(now * bpm / 100, 1)
        to = (beats // size + 1) * size if up else -((-beats) // size + 1) * size
        return clamp_pace(100 * to / bpm)
    step_percent = int(size) if found[3] == "%" else 5
    return clamp_pace((now // step_percent + 1) * step_percent if up else -((-now) // step_percent + 1) * step_percent)


def tapped_pace(taps: list[float], *, bpm: float | None) -> float | None:
    """The pace at which somebody taps beats, from the times of the taps in seconds; None for too few, or where no beat
    is known to compare with."""
    if len(taps) < FEWEST_TAPS or bpm is None:
        return None
    gaps = sorted(b - a for a, b in itertools.pairwise(taps))
    return clamp_pace(round(100 * 60 / gaps[len(gaps) // 2] / bpm))
