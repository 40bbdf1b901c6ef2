"""Proposes phrases: a solo is cut at breaths and after long notes (common practice, no source)."""

import itertools
from collections.abc import Sequence
from typing import Protocol

from notcher.score.note import struck_together
from notcher.score.project import Phrase

_USUAL_S = 5.0
_LONGEST_S = 11.0
_LEAD_IN = 0.06


class Lasting(Protocol):
    """What has an onset and an end, in seconds."""

    @property
    def onset(self) -> float: ...
    @property
    def end(self) -> float: ...


def propose_phrases(notes: Sequence[Lasting], *, duration: float) -> tuple[Phrase, ...]:
    """Phrases over all notes, in time order, named 1, 2, 3 ...

    The cuts are the cheapest by dynamic programming: a cut is good at a rest or after a long note, and a phrase is good
    at some five seconds and bad beyond eleven. duration: of the recording in seconds, where the last phrase may end.
    """
    if not notes:
        return ()
    ordered = sorted(notes, key=lambda n: n.onset)
    starts = [0] + [i for i in range(1, len(ordered)) if not struck_together(ordered[i - 1].onset, ordered[i].onset)]
    best = {0: 0.0}
    back: dict[int, int] = {}
    ends = [*starts[1:], len(ordered)]
    for k, end in enumerate(ends):
        options: list[tuple[float, int]] = []
        merit = _cut_merit(ordered, end)
        # Backwards from this end as far as the longest phrase reaches; a single note is always possible.
        for start in reversed(starts[: k + 1]):
            length = ordered[end - 1].end - ordered[start].onset
            if options and length > _LONGEST_S:
                break
            options.append((best[start] + _length_cost(length) - merit, start))
        best[end], back[end] = min(options)
    cuts = [len(ordered)]
    while cuts[-1] != 0:
        cuts.append(back[cuts[-1]])
    cuts.reverse()
    phrases = []
    for number, (a, b) in enumerate(itertools.pairwise(cuts), 1):
        begin = max(0.0, ordered[a].onset - _LEAD_IN)
        sound_end = max(n.end for n in ordered[a:b])
        until = ordered[b].onset - _LEAD_IN if b < len(ordered) else min(duration, sound_end + 0.3)
        until = max(begin + 0.1, min(until, sound_end + 0.6))
        phrases.append(Phrase(f"p{number}", str(number), round(begin, 3), round(until, 3)))
    return tuple(phrases)


def _length_cost(length: float) -> float:
    return 0.12 * abs(length - _USUAL_S) + (1.2 if length < 2.0 else 0.0) + max(0.0, length - _LONGEST_S)


def _cut_merit(notes: Sequence[Lasting], end: int) -> float:
    """How natural a cut is before note number `end`: the breath there, and how long the note before it is held."""
    if end >= len(notes):
        return 0.0
    last = max(n.end for n in notes[max(0, end - 3) : end])
    breath = max(0.0, notes[end].onset - last)
    held = notes[end - 1].end - notes[end - 1].onset
    return min(1.5, 3.0 * breath) + min(0.6, 0.5 * held) - 0.8
