"""The plan of a lesson as lines of text, a step each, and the schools that make one from the phrases.

    Slow tide, 50 %, 4 rounds, recording, count, breath 2
    Slow tide to Signal lamps, 60 % up to 80 % by 10 %, 2 clean, lead, click
    bars 12-14, 50 %, 3 rounds, tab
    pause 60 s

What comes first is what is played: `all`, a phrase, `so far` a phrase (from its section's start), two phrases joined by
`+`, several joined by `to`, `bar` or `bars`, a `loop` that was kept (`loop 0:12.50-0:14.25`). After it, in any order:
the pace, how often, what is heard, how it is shown. Words that are not said have their usual values.
"""

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from notcher.score.errors import ScoreError
from notcher.score.limits import typed_number, typed_whole
from notcher.score.practice import Lesson
from notcher.score.project import Phrase, Project
from notcher.teach.clicks import MOST_BREATH
from notcher.teach.difficulty import difficulty, pace_for
from notcher.teach.layers import Layer
from notcher.teach.lesson import FASTEST_PACE, SLOWEST_PACE

MOST_ROUNDS, LONGEST_PAUSE_S = 99, 600
HEARD = ("recording", "lead", "rest", "backing", "tab")
"""What may be heard in a step, by its word."""
_JOINED_S = 1.2
_CLIMB = re.compile(r"(\d+(?:\.\d+)?)\s*%\s*(?:up\s+)?to\s+(\d+(?:\.\d+)?)\s*%(?:\s+by\s+(\d+(?:\.\d+)?)\s*%)?")
_PACE = re.compile(r"(\d+(?:\.\d+)?)\s*%")
_ROUNDS = re.compile(r"(\d+)\s*(rounds?|times|clean)|x\s*(\d+)")
_BREATH = re.compile(r"breath\s+(\d+)")
_BARS = re.compile(r"bars?\s+(\d+)(?:\s*-\s*(\d+))?", re.IGNORECASE)
_LOOP = re.compile(r"loop\s+(\d+):(\d+(?:\.\d+)?)\s*-\s*(\d+):(\d+(?:\.\d+)?)", re.IGNORECASE)
_PAUSE = re.compile(r"pause\s+(\d+)\s*(s|min)?", re.IGNORECASE)
_SHOWN = re.compile(r"(?:layer|version)\s+(.+)")


class What(StrEnum):
    """What kind of stretch a step plays."""

    ALL = "all"
    PHRASE = "phrase"
    SO_FAR = "so far"
    JOIN = "join"
    SPAN = "span"
    BARS = "bars"
    LOOP = "loop"
    PAUSE = "pause"


@dataclass(frozen=True, slots=True)
class Step:
    """One line. phrases: names of the first and the last; bars: the first and the last; times: of a
    loop that was kept, in seconds; pace: percent, climbing by `by`
    up to `top`; rounds: at each pace; clean: whether only clean takes count; version, layer: what is shown, '' and None
    for what is; pause_s: of a pause."""

    what: What
    phrases: tuple[str, ...] = ()
    bars: tuple[int, int] = (0, 0)
    times: tuple[float, float] = (0.0, 0.0)
    pace: float = 100.0
    top: float = 0.0
    by: float = 10.0
    rounds: int = 1
    clean: bool = False
    heard: str = "recording"
    click: bool = False
    count: bool = True
    breath: int = 0
    version: str = ""
    layer: Layer | None = None
    pause_s: int = 0

    @property
    def paces(self) -> tuple[float, ...]:
        """All paces that it goes through, from the first on."""
        if self.top <= self.pace:
            return (self.pace,)
        out, at = [], self.pace
        while at < self.top - 1e-6:
            out.append(round(at, 1))
            at += self.by
        return (*out, self.top)


def read_step(line: str) -> Step | None:
    """A step from its line; None for an empty line and a remark after #. Raises ScoreError, saying what was not
    understood."""
    text = line.split("#", 1)[0].strip()
    if not text:
        return None
    pause = _PAUSE.fullmatch(text)
    if pause is not None:
        seconds = typed_whole(pause[1]) * (60 if (pause[2] or "s").lower() == "min" else 1)
        _within(seconds, 1, LONGEST_PAUSE_S, line)
        return Step(What.PAUSE, pause_s=seconds)
    first, *rest = (part.strip() for part in _parts(text))
    step = _target(first)
    for part in filter(None, rest):
        step = _with(step, part, line)
    return step


def _parts(text: str) -> list[str]:
    """Split at commas outside quotation marks."""
    return re.findall(r"(?:'[^']*'|[^,'])+", text) or [text]


def _target(text: str) -> Step:
    bars = _BARS.fullmatch(text)
    if bars is not None:
        first = typed_whole(bars[1])
        return Step(What.BARS, bars=(first, typed_whole(bars[2] or bars[1])))
    loop = _LOOP.fullmatch(text)
    if loop is not None:
        start, end = (60 * typed_whole(loop[k]) + typed_number(loop[k + 1]) for k in (1, 3))
        if not start < end:
            raise ScoreError("a loop ends after it starts, got '{text}'", text=text)
        return Step(What.LOOP, times=(start, end))
    if text.lower() == "all":
        return Step(What.ALL)
    if text.lower().startswith("so far "):
        return Step(What.SO_FAR, (_name(text[7:]),))
    for word, what in (("+", What.JOIN), (" to ", What.SPAN)):
        names = [_name(n) for n in text.split(word)]
        if len(names) == 2 and all(names):
            return Step(what, tuple(names))
    return Step(What.PHRASE, (_name(text),))


def _name(text: str) -> str:
    return text.strip().strip("'").strip()


def _with(step: Step, part: str, line: str) -> Step:
    """The step with one more thing said."""
    low = part.lower()
    counted = _with_number(step, low, line)
    if counted is not None:
        return counted
    if low in HEARD:
        return replace(step, heard=low)
    if low in _SWITCHES:
        name, value = _SWITCHES[low]
        return replace(step, click=value) if name == "click" else replace(step, count=value)
    shown = _SHOWN.fullmatch(part)
    if shown is not None and low.startswith("layer"):
        if shown[1].strip() in set(Layer):
            return replace(step, layer=Layer(shown[1].strip()))
        raise ScoreError("there is no layer '{name}'; there are {known}", name=shown[1], known=", ".join(Layer))
    if shown is not None:
        return replace(step, version=_name(shown[1]))
    raise ScoreError("'{part}' was not understood in '{line}'", part=part, line=line.strip())


_SWITCHES = {"click": ("click", True), "count": ("count", True), "no count": ("count", False)}


def _with_number(step: Step, low: str, line: str) -> Step | None:
    """The step with a pace, a climb, rounds or a breath, where that is what is said."""
    climb, pace, rounds, breath = (p.fullmatch(low) for p in (_CLIMB, _PACE, _ROUNDS, _BREATH))
    if climb is not None:
        first, top, by = typed_number(climb[1]), typed_number(climb[2]), typed_number(climb[3] or "10")
        for percent in (first, top):
            _within(percent, SLOWEST_PACE, FASTEST_PACE, line)
        _within(by, 1, 50, line)
        return replace(step, pace=first, top=top, by=by)
    if pace is not None:
        _within(typed_number(pace[1]), SLOWEST_PACE, FASTEST_PACE, line)
        return replace(step, pace=typed_number(pace[1]))
    if rounds is not None:
        count = typed_whole(rounds[1] or rounds[3])
        _within(count, 1, MOST_ROUNDS, line)
        return replace(step, rounds=count, clean=rounds[2] == "clean")
    if breath is not None:
        _within(typed_whole(breath[1]), 0, MOST_BREATH, line)
        return replace(step, breath=typed_whole(breath[1]))
    return None


def _within(value: float, low: float, high: float, line: str) -> None:
    if not low <= value <= high:
        raise ScoreError(
            "{value:g} is not from {low:g} to {high:g}, in '{line}'", value=value, low=low, high=high, line=line.strip()
        )


def write_step(step: Step) -> str:
    """A step's line, with what is not usual."""
    if step.what is What.PAUSE:
        return f"pause {step.pause_s} s"
    parts = [_written_target(step)]
    if step.top > step.pace:
        parts.append(f"{step.pace:g} % up to {step.top:g} % by {step.by:g} %")
    else:
        parts.append(f"{step.pace:g} %")
    parts.append(f"{step.rounds} clean" if step.clean else f"{step.rounds} round{'s' if step.rounds != 1 else ''}")
    parts += [step.heard] if step.heard != HEARD[0] else []
    parts += ["click"] if step.click else []
    parts += ["no count"] if not step.count else []
    parts += [f"breath {step.breath}"] if step.breath else []
    parts += [f"layer {step.layer}"] if step.layer is not None else []
    parts += [f"version {step.version}"] if step.version else []
    return ", ".join(parts)


def _written_target(step: Step) -> str:
    names = [_quoted(n) for n in step.phrases]
    match step.what:
        case What.BARS:
            first, last = step.bars
            return f"bar {first}" if first == last else f"bars {first}-{last}"
        case What.LOOP:
            return "loop " + "-".join(f"{int(t // 60)}:{t % 60:05.2f}" for t in step.times)
        case What.ALL:
            return "all"
        case What.SO_FAR:
            return f"so far {names[0]}"
        case What.JOIN:
            return " + ".join(names)
        case What.SPAN:
            return " to ".join(names)
        case _:
            return names[0]


def _quoted(name: str) -> str:
    odd = re.search(r"[,+#]|\bto\b|^(all|so far|bars?|loop|pause)\b", name, re.IGNORECASE)
    return f"'{name}'" if odd and "'" not in name else name


def read_plan(lines: Sequence[str]) -> list[tuple[int, Step]]:
    """(line number from 0, step) of a plan. Raises ScoreError for the first line that cannot be, with its number."""
    out = []
    for k, line in enumerate(lines):
        try:
            step = read_step(line)
        except ScoreError as error:
            raise ScoreError("line {n}: {error}", n=k + 1, error=error) from None
        if step is not None:
            out.append((k, step))
    return out


def stretch_of(project: Project, step: Step) -> tuple[float, float]:
    """What a step plays, in seconds of the recording. Raises ScoreError where a phrase was deleted or renamed, a bar is
    not there, or nothing is."""
    match step.what:
        case What.ALL:
            if not project.phrases:
                raise ScoreError("there are no phrases yet; cut the solo into phrases first")
            return project.phrases[0].start, project.phrases[-1].end
        case What.BARS:
            return _bars(project, *step.bars)
        case What.LOOP:
            if step.times[0] >= project.recording.duration:
                raise ScoreError("the recording ends before the loop of this step begins")
            return step.times[0], min(step.times[1], project.recording.duration)
        case What.PAUSE:
            return 0.0, 0.0
        case _:
            found = [_phrase(project, name) for name in step.phrases]
    first, last = found[0], found[-1]
    if step.what is What.SO_FAR:
        return _section_start(project, first), last.end
    if step.what is What.JOIN:
        return max(first.start, first.end - _joined(first)), min(last.end, last.start + _joined(last))
    if last.end <= first.start:
        raise ScoreError("'{last}' comes before '{first}'", first=first.name, last=last.name)
    return first.start, last.end


def _joined(phrase: Phrase) -> float:
    """Seconds of a phrase that its join with another takes: its half, or a little more than a second."""
    return max(_JOINED_S, (phrase.end - phrase.start) / 2)


def _phrase(project: Project, name: str) -> Phrase:
    try:
        return project.phrase_named(name)
    except ScoreError:
        raise ScoreError(
            "there is no phrase '{name}' any more: it was deleted, joined or renamed; take another in its place",
            name=name,
        ) from None


def _section_start(project: Project, phrase: Phrase) -> float:
    """Where the first phrase begins in the section of one."""
    begins = max((s.start for s in project.sections if s.start <= phrase.start + 0.05), default=0.0)
    return min((p.start for p in project.phrases if p.start >= begins - 0.05), default=phrase.start)


def _bars(project: Project, first: int, last: int) -> tuple[float, float]:
    tempo = project.tempo
    if tempo is None:
        raise ScoreError("no beat is known, so that bars cannot be counted; find the beat first")
    start, end = tempo.time_at(tempo.first_beat_of(first)), tempo.time_at(tempo.first_beat_of(last + 1))
    if last < first or end <= 0 or start >= project.recording.duration:
        raise ScoreError("there are no bars {first} to {last} in this recording", first=first, last=last)
    return max(0.0, start), min(end, project.recording.duration)


def seconds_of(project: Project, step: Step) -> float:
    """How long a step lasts, with its breaths and counts. Raises ScoreError as stretch_of."""
    if step.what is What.PAUSE:
        return float(step.pause_s)
    start, end = stretch_of(project, step)
    bpm = project.tempo.bpm_at(start) if project.tempo is not None else 100.0
    beat, total = 60.0 / bpm, 0.0
    beats = project.tempo.beats_per_bar if project.tempo is not None else 4
    for pace in step.paces:
        slower = 100.0 / pace
        total += slower * (step.rounds * (end - start) + (step.rounds - 1) * step.breath * beat)
        total += slower * beats * beat if step.count else 0.0
    return total


# -- schools -----------------------------------------------------------------------------------------------------------


class School(StrEnum):
    """In which order a solo is learned."""

    LATE = "each alone, joined late"
    GROWING = "growing"
    BACKWARDS = "from the end"
    WHOLE = "whole, then slow"
    THREE = "slow, medium, full"


def made(project: Project, school: School) -> list[Step]:
    """The steps of a school for all phrases that are not optional; raises ScoreError without any."""
    phrases = [p for p in project.phrases if not p.optional and project.notes_between(p.start, p.end)]
    if not phrases:
        raise ScoreError("there are no phrases yet; cut the solo into phrases first")
    match school:
        case School.LATE:
            return [*_each(project, phrases), *_joins(project, phrases), _all(75), _all(100, "backing")]
        case School.GROWING:
            return _growing(project, phrases, backwards=False)
        case School.BACKWARDS:
            return _growing(project, phrases, backwards=True)
        case School.WHOLE:
            slow = min(_first(project, p)[0] for p in phrases)
            return [_all(100), replace(_all(slow, "tab"), rounds=2), replace(_all(max(25, slow - 15)), rounds=2),
                    replace(_all(slow), top=100.0, by=10.0)]  # fmt: skip
        case School.THREE:
            return [replace(_all(pace), rounds=2) for pace in (50, 75, 100)]


def _first(project: Project, phrase: Phrase) -> tuple[int, int]:
    """Pace and rounds to begin with."""
    found = difficulty(project, project.notes_between(phrase.start, phrase.end))
    takes = [t for t in project.takes if t.phrase == phrase.id]
    return pace_for(found, takes), found.rounds


def _each(project: Project, phrases: Sequence[Phrase]) -> list[Step]:
    out = []
    for p in phrases:
        pace, rounds = _first(project, p)
        top, rounds = min(100.0, pace + 30.0), max(2, rounds // 2)
        out.append(Step(What.PHRASE, (p.name,), pace=pace, top=top if top > pace else 0.0, rounds=rounds, breath=2))
    return out


def _joins(project: Project, phrases: Sequence[Phrase]) -> list[Step]:
    out = []
    for a, b in itertools.pairwise(phrases):
        pace = min(_first(project, a)[0], _first(project, b)[0])
        out.append(Step(What.JOIN, (a.name, b.name), pace=min(100, pace + 10), rounds=3))
    return out


def _growing(project: Project, phrases: Sequence[Phrase], *, backwards: bool) -> list[Step]:
    out: list[Step] = []
    order = list(reversed(phrases)) if backwards else list(phrases)
    for k, p in enumerate(order):
        pace, rounds = _first(project, p)
        out.append(Step(What.PHRASE, (p.name,), pace=pace, rounds=rounds, breath=2))
        if k:
            a, b = (p, order[0]) if backwards else (order[0], p)
            out.append(Step(What.SPAN, (a.name, b.name), pace=min(100, pace + 5), rounds=2))
    return [*out, _all(100)]


def _all(pace: float, heard: str = "recording") -> Step:
    return Step(What.ALL, pace=pace, rounds=1, heard=heard)


def fitted(project: Project, steps: Sequence[Step], minutes: float) -> tuple[list[Step], list[Step]]:
    """The steps that fit so many minutes, in order, with fewer rounds where that is enough; and those that are left for
    another day. What matters stays: the whole at the end, then phrases that were not clean yet. Raises ScoreError as
    stretch_of."""
    budget = 60.0 * minutes
    if sum(seconds_of(project, s) for s in steps) <= budget:
        return list(steps), []
    fits: dict[int, Step] = {}
    for k in sorted(range(len(steps)), key=lambda k: _worth(project, steps, k)):
        step = steps[k]
        lasts = seconds_of(project, step)
        while lasts > budget and step.rounds > 2:
            step = replace(step, rounds=step.rounds - 1)
            lasts = seconds_of(project, step)
        if lasts <= budget:
            fits[k] = step
            budget -= lasts
    if not fits:
        # A lesson holds one step at least, however short it is.
        shortest = min(range(len(steps)), key=lambda k: seconds_of(project, steps[k]))
        fits[shortest] = steps[shortest]
    return [fits[k] for k in sorted(fits)], [s for k, s in enumerate(steps) if k not in fits]


def _worth(project: Project, steps: Sequence[Step], k: int) -> tuple[int, int]:
    """The order in which steps are kept where there is too little time, least first: the whole at the end; phrases that
    no clean take was made of, and what joins them; what is known."""
    step = steps[k]
    if step.what is What.ALL and k == len(steps) - 1:
        return 0, k
    clean = {t.phrase for t in project.takes if t.clean}
    names = {p.name for p in project.phrases if p.id in clean}
    if step.what is What.PAUSE:
        return 3, k
    return (2 if step.phrases and set(step.phrases) <= names else 1), k


def with_lines(lesson: Lesson, steps: Sequence[Step]) -> Lesson:
    """A lesson of these steps."""
    return replace(lesson, lines=tuple(write_step(s) for s in steps))
