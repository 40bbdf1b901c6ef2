"""Edits of chords and keys; each returns a new project."""

import bisect
from collections.abc import Sequence
from dataclasses import replace

from notcher.score.chord import Chord, ChordAt
from notcher.score.key import Key, KeyAt
from notcher.score.note import Note
from notcher.score.project import Project

# Seconds within which two chords begin at one place.
_SAME_S = 0.02
# A note that is so little before a chord, in seconds and beats, is meant for it (common practice, no source).
_EARLY_S, _EARLY_BEATS = 0.07, 0.15


def chord_at(project: Project, time: float) -> ChordAt | None:
    """What sounds under a time in seconds; None where nothing was said."""
    k = bisect.bisect_right(project.chords, time + _SAME_S / 2, key=lambda c: c.start)
    return project.chords[k - 1] if k else None


def chord_of(project: Project, note: Note) -> ChordAt | None:
    """The chord that a note belongs to: the one that begins with it or just after, where it was played a little early,
    and sounds on over it; else the one that sounds already. All that is said of a note and its chord asks this."""
    return chord_at(project, note.onset + min(early_s(project, note.onset), note.duration / 2))


def early_s(project: Project, time: float) -> float:
    """Seconds by which a note that is meant for a beat may be played before it."""
    if project.tempo is None:
        return _EARLY_S
    return min(_EARLY_S, _EARLY_BEATS * 60.0 / project.tempo.bpm_at(time))


def key_at(project: Project, time: float) -> KeyAt | None:
    """The key at a time in seconds; before the first one that was said, the first; None where there is none."""
    return next((k for k in reversed(project.keys) if k.start <= time + _SAME_S / 2), next(iter(project.keys), None))


def chord_end(project: Project, start: float) -> float:
    """Until when the chord lasts that begins at a time: the next one's start, or the recording's end."""
    later = [c.start for c in project.chords if c.start > start]
    return min(later, default=max(project.recording.duration, start))


def set_chords(project: Project, chords: Sequence[tuple[float, Chord | None]], *, until: float) -> Project:
    """The project with chords that the person decided, from the first one's start until a time; what sounded there
    before goes on after it. chords: start in seconds and chord, in order, at least one. The last one
    that was entered lasts until something else is."""
    start = chords[0][0]
    decided = [ChordAt(round(max(0.0, at), 4), chord, decided=True) for at, chord in chords]
    return replace(project, chords=_joined(_around(project.chords, decided, start, until, project.recording.duration)))


def _around(
    old: Sequence[ChordAt], new: Sequence[ChordAt], start: float, until: float, duration: float
) -> list[ChordAt]:
    before = [c for c in old if c.start < start - _SAME_S]
    after = [c for c in old if c.start >= until - _SAME_S]
    goes_on = next((c for c in reversed(old) if c.start < until - _SAME_S), None)
    resumed = not any(abs(c.start - until) <= _SAME_S for c in after) and until < duration - _SAME_S
    # The last chord that was entered lasts only because nothing was said after it.
    open_ended = goes_on is not None and goes_on is old[-1] and goes_on.decided
    again = [replace(goes_on, start=round(until, 4))] if resumed and goes_on is not None and not open_ended else []
    return [*before, *new, *again, *after]


def _joined(chords: Sequence[ChordAt]) -> tuple[ChordAt, ...]:
    """In order; one that says the same as the one before it, decided alike, is that one."""
    out: list[ChordAt] = []
    for c in sorted(chords, key=lambda c: c.start):
        if out and out[-1].chord == c.chord and out[-1].decided == c.decided:
            continue
        out.append(c)
    return tuple(out)


def set_key(project: Project, key: Key | None, *, start: float = 0.0) -> Project:
    """The project in a key from a time on, until the next key that was said; None takes away the key that begins
    there."""
    others = [k for k in project.keys if abs(k.start - start) > _SAME_S]
    if key is not None:
        others.append(KeyAt(round(start, 4), key, decided=True))
    return replace(project, keys=tuple(sorted(others, key=lambda k: k.start)))


def with_heard(project: Project, chords: Sequence[ChordAt], keys: Sequence[KeyAt]) -> Project:
    """The project with chords and keys as they were heard; what the person decided stays as it is."""
    out = list(chords)
    for c in project.chords:
        if c.decided:
            end = chord_end(project, c.start)
            out = _around(out, [c], c.start, end, project.recording.duration)
    decided = tuple(k for k in project.keys if k.decided)
    return replace(project, chords=_joined(out), keys=decided or tuple(keys))
