"""Spreads a stretch of notes over rows so that each has room to be read: by time, but never closer than legible."""

import bisect
from dataclasses import dataclass

from notcher.score.note import Note, strikes

_CLOSEST = 1.35
_PER_SECOND = 2.6
_WIDEST = 5.0


@dataclass(frozen=True, slots=True)
class Row:
    """One row. anchors: (seconds, x in tag heights), rising; between two of them time runs evenly."""

    notes: tuple[Note, ...]
    anchors: tuple[tuple[float, float], ...]

    @property
    def start(self) -> float:
        """Seconds at the left."""
        return self.anchors[0][0]

    @property
    def end(self) -> float:
        """Seconds at the right."""
        return self.anchors[-1][0]

    def x_of(self, time: float) -> float:
        """x of a time, in tag heights; the row's ends for times outside it."""
        k = bisect.bisect_right(self.anchors, time, key=lambda a: a[0]) - 1
        if k < 0:
            return self.anchors[0][1]
        if k + 1 >= len(self.anchors):
            return self.anchors[-1][1]
        (t1, x1), (t2, x2) = self.anchors[k], self.anchors[k + 1]
        return x1 + (x2 - x1) * (time - t1) / (t2 - t1)


def spread(notes: tuple[Note, ...], start: float, end: float, *, width: float) -> list[Row]:
    """Rows no wider than `width` (in tag heights, as all x here) with all notes of a stretch in them.

    A row breaks before the note after the longest wait among the last few that fit. Without notes there is no row.
    """
    if not notes:
        return []
    groups = strikes(notes)
    onsets = [g[0].onset for g in groups]
    following = [*onsets[1:], max(end, max(n.end for n in groups[-1]))]
    advances = [
        min(_WIDEST, max(_CLOSEST + (0.5 if max(n.fret for n in g) > 9 else 0.0), _PER_SECOND * (b - a)))
        for g, a, b in zip(groups, onsets, following, strict=True)
    ]
    rows, first = [], 0
    while first < len(groups):
        last, used = first, advances[first]
        while last + 1 < len(groups) and used + advances[last + 1] <= width:
            last += 1
            used += advances[last]
        if last + 1 < len(groups):
            candidates = range(max(first, last - 4), last + 1)
            last = max(candidates, key=lambda k: (advances[k], k))
        rows.append(_row(groups, onsets, following, advances, first, last, start if first == 0 else onsets[first]))
        first = last + 1
    return rows


def _row(groups: list[list[Note]], onsets: list[float], following: list[float], advances: list[float],
         first: int, last: int, start: float) -> Row:  # fmt: skip
    x = 0.4
    anchors = [(start, 0.0)] if start < onsets[first] - 1e-6 else []
    for k in range(first, last + 1):
        anchors.append((onsets[k], x))
        x += advances[k]
    anchors.append((max(following[last], onsets[last] + 0.01), x))
    return Row(tuple(n for g in groups[first : last + 1] for n in g), tuple(anchors))
