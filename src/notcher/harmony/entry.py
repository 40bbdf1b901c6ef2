"""Chords and keys as a person types them at a bar: one symbol or several, a key, or 'as bars 1-4'."""

import math
import re
from dataclasses import dataclass

from notcher.harmony.symbols import parse_chord, parse_key, symbol_text
from notcher.score.chord import Chord
from notcher.score.chords import chord_at, chord_end, set_chords, set_key
from notcher.score.errors import ScoreError
from notcher.score.limits import typed_whole
from notcher.score.project import Project

_AS_BARS = re.compile(r"(?:as|like|=)\s*(?:bars?)?\s*([0-9]+)(?:\s*(?:-|–|to)\s*([0-9]+))?", re.IGNORECASE)
_KEY = re.compile(r"key[\s:]+([A-Ha-h][#b♯♭]?)\s*(\S*)", re.IGNORECASE)
_HOLDS = (".", "%")
# Without bars, what is entered at a time lasts until the next chord, or for so long.
_NO_CHORDS_S = 4.0
# Seconds by which two such places lie apart.
_APART_S = 0.05


@dataclass(frozen=True, slots=True)
class Stretch:
    """What one entry is about, in seconds. bar: its number, None where no bars are known."""

    start: float
    end: float
    bar: int | None


def stretch_at(project: Project, time: float) -> Stretch:
    """The bar that holds a time; without bars, from the chord that sounds there to the next, or from the time on."""
    duration = max(project.recording.duration, time)
    if project.tempo is not None:
        return bar_stretch(project, project.tempo.bar_and_beat(time + 1e-6)[0])
    here = chord_at(project, time)
    if here is not None:
        return Stretch(here.start, chord_end(project, here.start), None)
    later = min((c.start for c in project.chords if c.start > time), default=duration)
    return Stretch(time, max(later, time + 0.1), None)


def bar_stretch(project: Project, bar: int) -> Stretch:
    """A bar, as far as the recording has it. Raises ScoreError where no bars are known."""
    if project.tempo is None:
        raise ScoreError("no bars are known here; find the beat first, or enter chords where they begin")
    start, end = (project.tempo.time_at(project.tempo.first_beat_of(b)) for b in (bar, bar + 1))
    return Stretch(max(0.0, start), max(max(0.0, start) + 0.05, end), bar)


def following(project: Project, at: Stretch) -> Stretch:
    """The next bar; without bars where the next chord or the next phrase begins, else this stretch's end."""
    if at.bar is not None:
        return bar_stretch(project, at.bar + 1)
    begins = [c.start for c in project.chords] + [p.start for p in project.phrases]
    start = min((t for t in begins if t > at.start + _APART_S), default=at.end)
    end = chord_end(project, start)
    return Stretch(start, end if end > start else start + _NO_CHORDS_S, None)


def preceding(project: Project, at: Stretch) -> Stretch:
    """The bar before, or the stretch before this one."""
    if at.bar is not None:
        return bar_stretch(project, at.bar - 1) if at.start > 0 else at
    earlier = [c for c in project.chords if c.start < at.start]
    return Stretch(earlier[-1].start, at.start, None) if earlier else at


def written(project: Project, at: Stretch, *, german: bool = False) -> str:
    """What stands there now, as it would be typed: symbols apart by spaces, empty where nothing was said."""
    here = chord_at(project, at.start)
    inside = [c for c in project.chords if at.start + 0.02 < c.start < at.end - 0.02]
    return " ".join(symbol_text(c.chord, german=german) for c in ([here] if here else []) + inside)


def entered(project: Project, at: Stretch, text: str, *, german: bool = False) -> Project:
    """The project with what was typed at a stretch.

    Symbols apart by spaces share it by whole beats (three in a bar of five: two, two and one), a point holds the one
    before; 'key F#m' says the key from here on; 'as bars 1-4' writes the chords of those bars from here on. Raises
    ScoreError for what cannot be read.
    """
    text = text.strip()
    if found := _KEY.fullmatch(text):
        return set_key(
            project, parse_key(found[1], found[2], text, german=german), start=at.start if at.start > 0.05 else 0.0
        )
    if found := _AS_BARS.fullmatch(text):
        return _as_bars(project, at, typed_whole(found[1]), typed_whole(found[2] or found[1]))
    cells = text.split() if text.lower() != "no chord" else ["N.C."]
    if not cells:
        raise ScoreError("type a chord such as F#m7 or A/C#, N.C. for none, key F#m, or as bars 1-4")
    if cells[0] in _HOLDS:
        raise ScoreError("a point holds the chord before it, so a chord comes first")
    chords = [
        (_begins(project, at, k, len(cells)), parse_chord(cell, german=german))
        for k, cell in enumerate(cells) if cell not in _HOLDS
    ]  # fmt: skip
    return set_chords(project, chords, until=at.end)


def _begins(project: Project, at: Stretch, k: int, count: int) -> float:
    """When the k-th of so many symbols begins: on a beat, the longer parts first, where there are enough of them."""
    beats = project.tempo.beats_in(at.bar) if project.tempo is not None and at.bar is not None else 0
    if k == 0 or project.tempo is None or at.bar is None or count > beats:
        return at.start + (at.end - at.start) * k / count
    return project.tempo.time_at(project.tempo.first_beat_of(at.bar) + math.ceil(k * beats / count))


def _as_bars(project: Project, at: Stretch, first: int, last: int) -> Project:
    if at.bar is None or project.tempo is None:
        raise ScoreError("no bars are known here; find the beat first, or enter chords where they begin")
    if last < first or first <= at.bar <= last:
        raise ScoreError(
            "bars {first} to {last} cannot be written from bar {bar} on; name bars before or after it, the lower one "
            "first", first=first, last=last, bar=at.bar,
        )  # fmt: skip
    chords: list[tuple[float, Chord | None]] = []
    for k, bar in enumerate(range(first, last + 1)):
        from_, to = bar_stretch(project, bar), bar_stretch(project, at.bar + k)
        if to.start >= project.recording.duration > 0:
            break
        here = chord_at(project, from_.start)
        if here is None:
            raise ScoreError("bar {bar} has no chord yet; enter it first", bar=bar)
        chords.append((to.start, here.chord))
        rate = (to.end - to.start) / (from_.end - from_.start)
        inside = [c for c in project.chords if from_.start + 0.02 < c.start < from_.end - 0.02]
        chords += [(to.start + (c.start - from_.start) * rate, c.chord) for c in inside]
    if not chords:
        raise ScoreError("bar {bar} lies after the recording's end", bar=at.bar)
    return set_chords(project, chords, until=bar_stretch(project, at.bar + last - first).end)


def offered(project: Project, at: Stretch) -> tuple[Chord, ...]:
    """What the ear would say next at a stretch, the likeliest first."""
    here = chord_at(project, at.start)
    return here.offers if here else ()
