"""Lessons in words: what comes next, how hard a phrase is and why, the days."""

from collections.abc import Sequence

from notcher.score.clause import quoted
from notcher.teach.calendar import Day
from notcher.teach.course import Turn, is_pause
from notcher.teach.difficulty import Difficulty
from notcher.teach.layers import Layer
from notcher.teach.plan import School, Step, What
from notcher.wording.notes import version_words
from notcher.wording.numbers import clock, date_words
from notcher.wording.say import later, listed, tr, trn

SCHOOLS = {
    School.LATE: later("each phrase alone, joined late"), School.GROWING: later("growing phrase by phrase"),
    School.BACKWARDS: later("from the last phrase backwards"),
    School.WHOLE: later("whole, then slow with the tab, then slower"), School.THREE: later("slow, medium, full"),
}  # fmt: skip
LAYERS = {
    Layer.NOTES: later("the notes"), Layer.LEGATO: later("with slides and legato"),
    Layer.BENDS: later("with all sizes of bends"), Layer.COLOUR: later("everything"),
}  # fmt: skip


def layer_words(layer: Layer) -> str:
    """How much of a phrase a layer has."""
    return tr(LAYERS[layer])


def shown_words(version: str | None, layer: Layer) -> str:
    """Which version and which layer is shown, '' where it is all as it is."""
    said = [version_words(version)] if version else []
    return ", ".join(said + ([layer_words(layer)] if layer is not Layer.COLOUR else []))


def target_words(step: Step) -> str:
    """What a step plays."""
    match step.what:
        case What.ALL:
            return tr("the whole solo")
        case What.BARS:
            first, last = step.bars
            return tr("bar {n}", n=first) if first == last else tr("bars {first} to {last}", first=first, last=last)
        case What.LOOP:
            return tr("{start} to {end}", start=clock(step.times[0]), end=clock(step.times[1]))
        case What.SO_FAR:
            return tr("up to '{name}'", name=step.phrases[0])
        case What.JOIN:
            return tr("'{first}' into '{last}'", first=step.phrases[0], last=step.phrases[1])
        case What.SPAN:
            return tr("'{first}' to '{last}'", first=step.phrases[0], last=step.phrases[1])
        case What.PAUSE:
            return tr("pause for {seconds} s", seconds=step.pause_s)
        case _:
            return quoted([step.phrases[0]])


def turn_words(turn: Turn, *, pace: bool = True) -> str:
    """A turn: ''Slow tide' at 60 %, 4 rounds'."""
    what = target_words(turn.step)
    if is_pause(turn) or not pace:
        return what
    if turn.step.clean:
        times = trn("{n} clean take", "{n} clean takes", turn.step.rounds)
    else:
        times = trn("{n} round", "{n} rounds", turn.rounds)
    return tr("{what} at {pace:g} %, {times}", what=what, pace=turn.pace, times=times)


def difficulty_words(d: Difficulty) -> str:
    """How hard a phrase is, in figures, and what comes of it."""
    said = [tr("up to {peak:.1f} notes a second", peak=d.peak)]
    if d.shifts:
        shifts = trn("{n} shift", "{n} shifts", d.shifts)
        said.append(
            tr("{shifts}, the farthest {mm:.0f} mm, the quickest in {ms:.0f} ms", shifts=shifts, mm=d.shift_mm,
               ms=1000 * d.shift_s)
        )  # fmt: skip
    if d.crossings:
        said.append(tr("{percent:.0f} % of the notes on another string", percent=100 * d.crossings))
    if d.stretch_mm:
        said.append(tr("a stretch of {mm:.0f} mm", mm=d.stretch_mm))
    bends = round(d.bends * d.notes)
    if bends:
        said.append(trn("{n} bend", "{n} bends", bends))
    if d.wide:
        said.append(trn("{n} of them wide", "{n} of them wide", d.wide))
    if d.silent:
        said.append(trn("{n} pushed in silence", "{n} pushed in silence", d.silent))
    if d.techniques:
        said.append(tr("{percent:.0f} % not simply picked", percent=100 * d.techniques))
    why = listed(said)
    return tr("Begin at {pace} %, {rounds} rounds: {why}.", pace=d.first_pace, rounds=d.rounds, why=why)


def minutes_words(seconds: float) -> str:
    """How long something takes, in minutes."""
    return trn("{n} minute", "{n} minutes", max(1, round(seconds / 60)))


def day_words(day: Day) -> str:
    """A day of a lesson in a line."""
    parts = []
    if day.again:
        parts.append(trn("{n} coming back", "{n} coming back", len(day.again)))
    if day.new:
        parts.append(trn("{n} new step", "{n} new steps", len(day.new)))
    date, what = date_words(day.date.isoformat()), listed(parts)
    return tr("{date}: {what}, {minutes}", date=date, what=what, minutes=minutes_words(day.seconds))


def days_words(days: Sequence[Day], left: int) -> str:
    """How a lesson is spread, in a sentence."""
    if not days:
        return tr("nothing is planned yet")
    first, last = date_words(days[0].date.isoformat()), date_words(days[-1].date.isoformat())
    said = trn("{n} day, {first} to {last}", "{n} days, {first} to {last}", len(days), first=first, last=last)
    if left:
        rest = trn("{n} step does not fit before the due date", "{n} steps do not fit before the due date", left)
        return tr("{said}; {rest}", said=said, rest=rest)
    return said
