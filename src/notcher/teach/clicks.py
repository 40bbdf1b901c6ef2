"""What a player locks to: the clicks before a phrase, and those that go on under it.

A count ends where the first note is counted: a phrase from "4 and" in 4/4 hears 1 2 3 4, one that begins on 1 the bar
before it. It follows the tempo map, so that it stretches with it, and the metre (common practice, no source).
"""

import math
from collections.abc import Sequence

from notcher.audio.player import Click
from notcher.rhythm.count import place_of
from notcher.score.note import Note
from notcher.score.project import Project
from notcher.score.tempo import TempoMap

USUAL_BEAT_S = 0.6
"""A beat where no tempo is known."""
MOST_BREATH = 8
PARTS = (1, 2, 3, 4)
"""Into how many parts a beat may be clicked."""
_NO_TEMPO_CLICKS, _FEWEST = 4, 3
# Seconds before a place at which a note still counts as the first after it; and after it, how long one is waited for.
_BEFORE_S, _AHEAD_S = 0.03, 12.0
_STRONG, _BEAT, _PART = 2, 1, 0


def count_in(project: Project, start: float, end: float | None = None) -> tuple[Click, ...]:
    """The clicks before what is played from a time in seconds on: they may go on after it until the first note comes.

    end: where what is played ends, as a loop does; None: the recording's end.
    """
    first = _first_note(project, start, end)
    if project.tempo is None:
        target = first.onset if first is not None else start
        return tuple(
            Click(target - (_NO_TEMPO_CLICKS - k) * USUAL_BEAT_S, _STRONG if k == 0 else _BEAT)
            for k in range(_NO_TEMPO_CLICKS)
        )
    tempo = project.tempo
    target_beat = float(place_of(project, first).start) if first is not None else tempo.beat_at(start)
    return tuple(
        Click(tempo.time_at(b), _STRONG if tempo.begins_bar(b) else _BEAT) for b in _counted(tempo, target_beat)
    )


def _first_note(project: Project, start: float, end: float | None) -> Note | None:
    limit = min(start + _AHEAD_S, end if end is not None else math.inf)
    found = project.notes_between(start - _BEFORE_S, limit)
    return found[0] if found else None


def _counted(tempo: TempoMap, target: float) -> list[int]:
    """The beats that are counted before a place in beats: from the first of its bar, or of one before it where those
    would be too few."""
    last = math.ceil(target - 1e-6) - 1
    bar = tempo.bar_of(target + 1e-6)
    beats: list[int] = []
    while True:
        first = tempo.first_beat_of(bar)
        beats = list(range(first, last + 1))
        if len(beats) >= max(_FEWEST, tempo.beats_in(bar) - 1):
            return beats
        bar -= 1


def breath(project: Project, loop: tuple[float, float], beats: int) -> tuple[Click, ...]:
    """The last beats of the count before a loop, as a breath between its rounds."""
    if beats <= 0:
        return ()
    before = [c for c in count_in(project, *loop) if c.time < loop[0] - 1e-6]
    if len(before) >= beats:
        return tuple(before[-beats:])
    # More than one bar: beats further back, as they are before the loop.
    first = before[0].time if before else loop[0]
    if project.tempo is None:
        more = [Click(first - k * USUAL_BEAT_S, _BEAT) for k in range(beats - len(before), 0, -1)]
    else:
        tempo = project.tempo
        at = round(tempo.beat_at(first)) if before else math.ceil(tempo.beat_at(first) - 1e-6)
        more = [Click(tempo.time_at(at - k), _STRONG if tempo.begins_bar(at - k) else _BEAT)
                for k in range(beats - len(before), 0, -1)]  # fmt: skip
    return (*more, *before)


def clicks_between(tempo: TempoMap | None, start: float, end: float, *, parts: int = 1, accents: bool = True
                   ) -> Sequence[Click]:  # fmt: skip
    """The clicks from a time up to another, each beat in so many parts; none where no tempo is known. accents: whether
    the first of a bar is stronger."""
    if tempo is None or end <= start:
        return ()
    out = []
    for beat in range(math.floor(tempo.beat_at(start)) - 1, math.ceil(tempo.beat_at(end)) + 1):
        for part in range(parts):
            time = tempo.time_at(beat + part / parts)
            if start <= time < end:
                strong = accents and part == 0 and tempo.begins_bar(beat)
                out.append(Click(time, _STRONG if strong else _BEAT if part == 0 else _PART))
    return out
