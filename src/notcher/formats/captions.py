"""The cue lines of a solo as captions for a video (WebVTT, W3C 2019; SubRip) and as a list with times."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from notcher.formats.line import DIALECTS, written_line
from notcher.score.note import Note, strikes
from notcher.score.passage_edit import passage_of
from notcher.score.project import Phrase, Project
from notcher.wording import tr
from notcher.wording.notes import phrase_title
from notcher.wording.numbers import clock

_ONE_CHAPTER_S = 0.5
# Letters of a caption and those that are read in a second, seconds that one stands at least and at most (common
# practice, no source), and strokes that one may hold.
_LETTERS, _A_SECOND, _LEAST_S, _LONGEST_S, _MOST_STROKES = 42, 17.0, 1.2, 7.0, 24
# What it costs to say the numbers alone, the phrase's name alone, nothing of a stroke, and words of two phrases.
_SHORT, _NAME, _SILENT, _ACROSS = 10.0, 60.0, 1000.0, 40.0


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
    """Captions in time order, none over another, each long enough to be read: where words do not fit, the numbers by
    string, and where those do not, the phrase's name. What would lie before the video's beginning is left out."""
    struck = [s for s in strikes(notes) if timing.at(s[0].onset) >= 0]
    if not struck:
        return []
    phrases = [project.phrase_at(s[0].onset) for s in struck]
    starts = [timing.at(s[0].onset) for s in struck]
    said = [written_line(passage_of(stroke), DIALECTS[dialect]) for stroke in struck]
    last = timing.at(max(n.end for n in struck[-1]))
    # The last one may stand as long as it must.
    starts.append(max(last, starts[-1] + _LEAST_S + len(said[-1]) / _A_SECOND))
    best: list[tuple[float, int, str]] = [(0.0, 0, "")]
    for j in range(1, len(struck) + 1):
        choices = []
        for i in range(max(0, j - _MOST_STROKES), j):
            cost, words = _worded(project, struck[i:j], said[i:j], phrases[i:j], starts[j] - starts[i])
            choices.append((best[i][0] + cost, i, words))
        best.append(min(choices, key=lambda choice: (choice[0], choice[1])))
    out: list[Caption] = []
    j = len(struck)
    while j > 0:
        _, i, words = best[j]
        stands = max(_LEAST_S, len(words) / _A_SECOND, starts[j - 1] - starts[i] + 1.0, _LONGEST_S)
        if words:
            out.append(Caption(starts[i], min(starts[j], starts[i] + stands), words))
        j = i
    return out[::-1]


def _worded(
    project: Project,
    struck: Sequence[Sequence[Note]],
    said: Sequence[str],
    phrases: Sequence[Phrase | None],
    seconds: float,
) -> tuple[float, str]:
    """What a caption of some strokes says for so many seconds, and what that costs: more, the less it says."""
    ends = sum(a is not b for a, b in itertools.pairwise(phrases))
    room = min(_LETTERS, int(seconds * _A_SECOND))
    if seconds < _LEAST_S:
        # Nothing can be read meanwhile.
        return _SILENT * len(struck), ""
    full = ", ".join(said)
    if len(full) <= room or (len(struck) == 1 and len(full) <= seconds * _A_SECOND):
        return 1.0 + _ACROSS * ends, full
    short = _numbers(project, struck)
    if len(short) <= room:
        return _SHORT + len(struck) + _ACROSS * ends, short
    name = next((phrase_title(p) for p in phrases if p is not None), "")
    if not name:
        return _SILENT * len(struck), ""
    return _NAME + _SHORT + 2 * len(struck) + _ACROSS * ends, name if len(name) <= room else name[: room - 1] + "…"


def _numbers(project: Project, struck: Sequence[Sequence[Note]]) -> str:
    """Frets by string: G 9 11 9, B 10."""
    out: list[str] = []
    at, letters = None, project.tuning.letters()
    for stroke in struck:
        for n in stroke:
            if n.string != at:
                out.append((", " if out else "") + letters[n.string - 1])
                at = n.string
            out.append(f" {n.fret}")
    return "".join(out)


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
        lines.append(f"{clock(max(0.0, time))}  {written_line(passage_of(stroke), DIALECTS[dialect])}")
    return "\n".join(lines) + "\n"


def _time(seconds: float, point: str) -> str:
    ms = round(1000 * seconds)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}{point}{ms % 1000:03d}"


def _escaped(words: str) -> str:
    """WebVTT has no bare ampersands and angle brackets."""
    return words.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
