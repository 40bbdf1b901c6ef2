"""What a phrase is found by: its words, techniques, scale, chords, speed, and how it goes."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from notcher.harmony.roles import sounding
from notcher.harmony.scales import fitting
from notcher.score.chords import chord_of, key_at
from notcher.score.note import Note, strikes
from notcher.score.project import Phrase, Project
from notcher.score.technique import ATTACK_OF, BEND_OF, ROW_OF

_WINDOW_S = 1.0
# Notes that go by in a row as one gram.
GRAM = 3
_FEWEST_TONES = 4


@dataclass(frozen=True, slots=True)
class Described:
    """techniques: as they are said in English, each once; scale: its name, '' where none is to be named; chords:
    symbols in letters of any keyboard, in order; speed: notes in the busiest second; intervals: half steps from note
    to note; lengths: seconds from onset to onset, one fewer than notes."""

    name: str
    text: str
    notes: int
    techniques: tuple[str, ...]
    scale: str
    tonic: str
    chords: tuple[str, ...]
    speed: float
    intervals: tuple[int, ...]
    lengths: tuple[float, ...]

    def grams(self) -> list[int]:
        """Each run of GRAM intervals as one number."""
        return [_packed(self.intervals[k : k + GRAM]) for k in range(len(self.intervals) - GRAM + 1)]


def described(project: Project, phrase: Phrase) -> Described:
    """A phrase as it is shown now."""
    notes = project.notes_between(phrase.start, phrase.end)
    line = [max(s, key=lambda n: n.pitch(project.tuning)) for s in strikes(notes)]
    pitches = [sounding(n, project) for n in line]
    r = project.request
    tuned = (project.tuning.name.replace("-", " "), "".join(reversed(project.tuning.letters())))
    words = (phrase.name, r.title, r.performer, r.asked_by, r.school, r.version, *tuned)
    scale, tonic = _scale(project, notes)
    return Described(
        phrase.name, " ".join(w.lower() for w in words if w), len(notes), _techniques(notes), scale, tonic,
        _chords(project, notes), _speed(notes), tuple(b - a for a, b in itertools.pairwise(pitches)),
        tuple(round(b.onset - a.onset, 3) for a, b in itertools.pairwise(line)),
    )  # fmt: skip


def _techniques(notes: Sequence[Note]) -> tuple[str, ...]:
    found: dict[str, None] = {}
    for n in notes:
        found[ATTACK_OF[n.attack].words] = None
        if n.bend is not None:
            found["bend"] = found[BEND_OF[n.bend.kind].words] = None
        if n.vibrato is not None:
            found["vibrato"] = None
        for mark in sorted(n.marks):
            found[ROW_OF[mark].words] = None
    return tuple(found)


def _scale(project: Project, notes: Sequence[Note]) -> tuple[str, str]:
    key = key_at(project, notes[0].onset) if notes else None
    seconds: dict[int, float] = {}
    for n in notes:
        pitch = sounding(n, project) % 12
        seconds[pitch] = seconds.get(pitch, 0.0) + n.duration
    if key is None or len(seconds) < _FEWEST_TONES:
        return "", key.key.tonic.plain() if key else ""
    found = fitting(seconds, key.key.tonic)
    return found[0].name if found else "", key.key.tonic.plain()


def _chords(project: Project, notes: Sequence[Note]) -> tuple[str, ...]:
    found: dict[str, None] = {}
    for n in notes:
        here = chord_of(project, n)
        if here is not None and here.chord is not None:
            found[here.chord.plain()] = None
    return tuple(found)


def _speed(notes: Sequence[Note]) -> float:
    """Notes in the busiest second; of a phrase that is shorter, by its own length."""
    if len(notes) < 2:
        return float(len(notes))
    onsets = [n.onset for n in notes]
    length = onsets[-1] - onsets[0]
    if length < _WINDOW_S:
        return (len(notes) - 1) / max(length, 0.05)
    return float(max(sum(a <= b < a + _WINDOW_S for b in onsets) for a in onsets))


def _packed(intervals: Sequence[int]) -> int:
    out = 0
    for x in intervals:
        out = out * 97 + (max(-48, min(48, x)) + 48)
    return out
