"""Checks a learner's take against the transcription: which notes were there, how far each bend went."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from notcher.score.errors import NotcherError
from notcher.score.note import Bend, Note
from notcher.score.project import Phrase, Project


class Played(Protocol):
    """What compare needs of a heard note: pitch and bend."""

    @property
    def pitch(self) -> int:
        """MIDI, fretted."""

    @property
    def bend(self) -> Bend | None:
        """As measured."""


@dataclass(frozen=True, slots=True)
class Match:
    """One note of the transcription beside what was played, if it was."""

    note: Note
    pitch: int
    found: bool
    bend_error_cents: float | None


@dataclass(frozen=True, slots=True)
class Report:
    """All notes of the stretch, and how many played notes belong to none."""

    matches: tuple[Match, ...]
    extra: int

    def as_dict(self) -> dict[str, Any]:
        """Plain JSON values."""
        return {
            "format": "notcher-take",
            "version": 1,
            "played": sum(m.found for m in self.matches),
            "missing": [m.note.id for m in self.matches if not m.found],
            "extra": self.extra,
            "bends": [
                {"note": m.note.id, "error_cents": m.bend_error_cents}
                for m in self.matches
                if m.bend_error_cents is not None
            ],
        }


def compare(project: Project, played: Iterable[Played], *, phrase: Phrase | None) -> Report:
    """Line a take up with the transcription by the order of its pitches.

    played: heard notes, in time order. The tempo may differ: notes are matched by an alignment that pays for every
    missing and extra note (Needleman and Wunsch 1970). Raises NotcherError where the stretch holds no notes.
    """
    wanted = [n for n in project.notes if phrase is None or phrase.start <= n.onset < phrase.end]
    if not wanted:
        raise NotcherError("there are no notes to compare with in this stretch")
    pitches = [round(n.sounding_pitch(project.tuning)) if not n.bend else n.pitch(project.tuning) for n in wanted]
    heard = list(played)
    pairs = _aligned(pitches, [h.pitch for h in heard])
    partner = dict(pairs)
    matches = []
    for i, n in enumerate(wanted):
        h = heard[partner[i]] if i in partner else None
        error = None
        if h is not None and n.bend is not None:
            peak = h.bend.peak_cents if h.bend else 0.0
            error = round(float(peak or 0.0) - n.bend.target_cents, 1)
        matches.append(Match(n, pitches[i], h is not None, error))
    return Report(tuple(matches), len(heard) - len(pairs))


def _aligned(a: list[int], b: list[int]) -> list[tuple[int, int]]:
    cost = np.zeros((len(a) + 1, len(b) + 1))
    cost[:, 0], cost[0, :] = np.arange(len(a) + 1), np.arange(len(b) + 1)
    for i in range(1, len(a) + 1):
        for j in range(1, len(b) + 1):
            same = cost[i - 1, j - 1] if a[i - 1] == b[j - 1] else np.inf
            cost[i, j] = min(same, cost[i - 1, j] + 1, cost[i, j - 1] + 1)
    i, j, pairs = len(a), len(b), []
    while i and j:
        if a[i - 1] == b[j - 1] and cost[i, j] == cost[i - 1, j - 1]:
            pairs.append((i - 1, j - 1))
            i, j = i - 1, j - 1
        elif cost[i, j] == cost[i - 1, j] + 1:
            i -= 1
        else:
            j -= 1
    return pairs[::-1]
