"""The cue lines of a solo as captions for a video (WebVTT, W3C 2019; SubRip) and as a list with times."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.formats.line import DIALECTS, written_line
from notcher.score.note import Note, strikes
from notcher.score.project import Phrase, Project
from notcher.score.said import said_of
from notcher.wording import tr
from notcher.wording.notes import phrase_title
from notcher.wording.numbers import clock

# Letters of a caption, and seconds that one stands at most (common practice, no source).
_ONE_CHAPTER_S = 0.5
_LETTERS, _LONGEST_S, _SHORTEST_S = 42, 7.0, 0.3


@dataclass(frozen=True, slots=True)
class Timing:
    """How times in the recording become times of the video: from zero on, at a pace in percent, later by offset
    seconds."""

    zero: float = 0.0
    pace: float = 100.0
    offset: float = 0.0

    def at(self, time: float) -> float:
        """A time of the video in seconds."""
        return (time - self.zero) * 100.0 / self.pace + self.offset


@dataclass(frozen=True, slots=True)
class Caption:
    """Words from start to end seconds of the video."""

    start: float
    end: float
    words: str


def timing_of(phrases: Sequence[Phrase], *, pace: float, offset: float) -> Timing:
    """Of the whole recording, or with the first of some phrases at 0."""
    return Timing(min((p.start for p in phrases), default=0.0), pace, offset)


def captions_of(project: Project, notes: Sequence[Note], timing: Timing, *, dialect: int = 0) -> list[Caption]:
    """Captions in time order, none over another: strokes together as long as they fit a line, and are of one phrase.
    What would lie before the video's beginning is left out."""
    groups: list[tuple[list[Note], list[str]]] = []
    at = None
    for stroke in strikes(notes):
        words = written_line(said_of(stroke), DIALECTS[dialect])
        phrase = project.phrase_at(stroke[0].onset)
        key = phrase.id if phrase is not None else None
        fits = groups and key == at and len(", ".join([*groups[-1][1], words])) <= _LETTERS
        if fits:
            groups[-1][0].extend(stroke)
            groups[-1][1].append(words)
        else:
            groups.append((list(stroke), [words]))
        at = key
    out: list[Caption] = []
    for k, (inside, said) in enumerate(groups):
        start = timing.at(inside[0].onset)
        until = timing.at(groups[k + 1][0][0].onset) if k + 1 < len(groups) else timing.at(max(n.end for n in inside))
        end = min(until, max(start + _LONGEST_S, timing.at(inside[-1].onset) + 1.0))
        if start >= 0:
            out.append(Caption(start, max(end, start + _SHORTEST_S), ", ".join(said)))
    return [
        Caption(c.start, min(c.end, out[k + 1].start), c.words) if k + 1 < len(out) else c for k, c in enumerate(out)
    ]


def chapters(project: Project, notes: Sequence[Note], timing: Timing) -> str:
    """A line a part, with its time in the video: sections where there are, phrases under them. The first begins at 0,
    as players of chapters want it (common practice, no source)."""
    first, last = notes[0].onset, notes[-1].end
    sections = [(s.start, tr("Section {name}", name=s.name)) for s in project.sections]
    parts = sorted((p.start, phrase_title(p)) for p in project.phrases)
    for start, name in sections:
        near = next((k for k, (t, _) in enumerate(parts) if abs(t - start) < _ONE_CHAPTER_S), None)
        if near is None:
            parts = sorted([*parts, (start, name)])
        else:
            parts[near] = (parts[near][0], f"{name}: {parts[near][1]}")
    inside = [(t, name) for t, name in parts if first - 1.0 <= t < last]
    rows = [(max(0.0, timing.at(t)), name) for t, name in inside if timing.at(t) > -1.0]
    if not rows or rows[0][0] > 0.5:
        rows.insert(0, (0.0, tr("Beginning")))
    return "".join(f"{_chapter_time(t)} {name}\n" for t, name in rows)


def _chapter_time(seconds: float) -> str:
    whole = int(seconds)
    hours = f"{whole // 3600}:{whole // 60 % 60:02d}" if whole >= 3600 else f"{whole // 60}"
    return f"{hours}:{whole % 60:02d}"


def webvtt(captions: Sequence[Caption]) -> str:
    """Captions as a WebVTT file."""
    rows = [f"{_time(c.start, '.')} --> {_time(c.end, '.')}\n{_escaped(c.words)}\n" for c in captions]
    return "\n".join(["WEBVTT\n", *rows])


def srt(captions: Sequence[Caption]) -> str:
    """Captions as a SubRip file."""
    rows = [f"{k}\n{_time(c.start, ',')} --> {_time(c.end, ',')}\n{c.words}\n" for k, c in enumerate(captions, 1)]
    return "\n".join(rows)


def cues(project: Project, notes: Sequence[Note], timing: Timing, *, dialect: int = 0) -> str:
    """A line a stroke, with its time, under the names of phrases."""
    lines: list[str] = []
    at = None
    for stroke in strikes(notes):
        phrase = project.phrase_at(stroke[0].onset)
        if phrase is not None and phrase.id != at:
            lines += ([""] if lines else []) + [phrase_title(phrase)]
            at = phrase.id
        time = timing.at(stroke[0].onset)
        lines.append(f"{clock(max(0.0, time))}  {written_line(said_of(stroke), DIALECTS[dialect])}")
    return "\n".join(lines) + "\n"


def _time(seconds: float, point: str) -> str:
    ms = round(1000 * seconds)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}{point}{ms % 1000:03d}"


def _escaped(words: str) -> str:
    """WebVTT has no bare ampersands and angle brackets."""
    return words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
