"""A learner's take beside the transcription, in a sentence or two that are worth saying."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.rhythm.count import counted
from notcher.score.note import Note
from notcher.score.practice import CLEAN_CENTS, CLEAN_MS, TakeKept
from notcher.score.project import Phrase, Project
from notcher.score.technique import ATTACK_OF
from notcher.teach.take import Report, Verdict
from notcher.wording.names import ordinal
from notcher.wording.notes import phrase_title
from notcher.wording.rhythm import spoken
from notcher.wording.say import listed, tr, trn

_WORTH_SAYING_CENTS, _CLEARLY_LATE_MS, _OUT_OF_TUNE_CENTS = 15, 45, 15
# By which a bend reaches its goal clearly later than it does in the recording.
_GOAL_LATE_MS = 150
# Notes that are named one by one, and things that are said after how many were there.
_NAMED, _SAID = 2, 2


@dataclass(frozen=True, slots=True)
class _Fault:
    """One thing that was off: how much it weighs, and what is said."""

    weight: float
    said: str


def report_words(
    project: Project, report: Report, *, phrase: Phrase | None = None, before: Sequence[TakeKept] = (),
    colour: bool = False, behind_ms: float | None = None,
) -> str:  # fmt: skip
    """What to say of a take. before: takes of the same phrase, the oldest first; colour: whether vibrato and how notes
    are reached are asked for, too; behind_ms: by which all of it came after the loop, where that is known."""
    if not report.heard:
        return tr("Nothing can be heard in this take.")
    if not report.recognised:
        if report.like is not None:
            return tr("This sounds like '{name}'.", name=phrase_title(report.like))
        if phrase is not None:
            return tr("This does not sound like '{name}', nor like another phrase.", name=phrase_title(phrase))
        return tr("This does not sound like the solo.")
    # Where a count comes twice, the bar tells which is meant.
    twice = _comes_twice(project, report)
    found = _faults(project, report, before, colour=colour, bar=twice)
    if behind_ms is not None and abs(behind_ms) >= CLEAN_MS:
        said = (
            tr("all of it {ms:.0f} ms behind the loop", ms=behind_ms)
            if behind_ms > 0
            else tr("all of it {ms:.0f} ms ahead of the loop", ms=-behind_ms)
        )
        found.append(_Fault(abs(behind_ms) / CLEAN_MS * 0.7, said))
    faults = sorted(found, key=lambda f: -f.weight)[:_SAID]
    first = _how_many(project, report, bar=twice)
    if not faults:
        return tr("{first}.", first=first)
    return tr("{first}; {faults}.", first=first, faults="; ".join(f.said for f in faults))


def _comes_twice(project: Project, report: Report) -> bool:
    """Whether any of the counts of a take is one of another of its bars, too."""
    found = [c for v in report.verdicts if (c := counted(project, v.note)) is not None]
    tempo = project.tempo
    if tempo is None:
        return False
    places = {(c.bar, spoken(c.place, tempo)) for c in found}
    return len({count for _, count in places}) < len(places)


def verdict_words(project: Project, v: Verdict) -> str:
    """One note's verdict: 'not there', '45 ms late, its bend 40 cents short'; 'right' where nothing was off."""
    if not v.there:
        return tr("not there")
    said = []
    if v.late_ms is not None and abs(v.late_ms) >= CLEAN_MS:
        said.append(_late(v.late_ms))
    if v.bend_error_cents is not None and abs(v.bend_error_cents) >= _WORTH_SAYING_CENTS:
        said.append(_off(v.bend_error_cents))
    return listed(said) if said else tr("right")


def where(project: Project, note: Note, *, bar: bool = False) -> str:
    """Where a note is, as one says it to a player: on which count, or by string and fret where there is no beat. bar:
    with the bar, as in a whole solo."""
    found = counted(project, note)
    if found is None or project.tempo is None:
        return tr("on the {nth} string at fret {fret}", nth=ordinal(note.string), fret=note.fret)
    count = spoken(found.place, project.tempo)
    if bar:
        return tr("on {count} in bar {bar}", count=count, bar=found.bar)
    return tr("on {count}", count=count)


def _how_many(project: Project, report: Report, *, bar: bool) -> str:
    wanted, there = len(report.verdicts), sum(v.there for v in report.verdicts)
    missing = report.missing
    if not missing:
        said = tr("All there") if not report.shift else trn("{n} of {n}", "{n} of {n}", wanted)
    elif len(missing) <= _NAMED:
        names = listed([where(project, n, bar=bar) for n in missing])
        said = (
            tr("{there} of {n} there, the one {names} is missing", there=there, n=wanted, names=names)
            if len(missing) == 1
            else tr("{there} of {n} there, those {names} are missing", there=there, n=wanted, names=names)
        )
    else:
        said = tr("{there} of {n} there", there=there, n=wanted)
    if report.shift:
        steps = abs(report.shift)
        moved = (
            trn("all a half step up", "all {n} half steps up", steps)
            if report.shift > 0
            else trn("all a half step down", "all {n} half steps down", steps)
        )
        said = tr("{said}, {moved}", said=said, moved=moved)
    if report.extra:
        besides = trn("one note besides", "{n} notes besides", len(report.extra))
        said = tr("{said}, {besides}", said=said, besides=besides)
    return said


def _faults(project: Project, report: Report, before: Sequence[TakeKept], *, colour: bool, bar: bool) -> list[_Fault]:
    out = [
        _Fault(1.6, tr("it stands still before the one {where}", where=where(project, n, bar=bar)))
        for n in report.halts
    ]
    for v in report.verdicts:
        if v.bend_error_cents is not None and abs(v.bend_error_cents) >= _WORTH_SAYING_CENTS:
            said = tr("the bend {where} {off}", where=where(project, v.note, bar=bar), off=_stops(v.bend_error_cents))
            again = _times_before(before, v.note, v.bend_error_cents)
            if again:
                said = trn("{said}, as in the last take", "{said}, as in the last {n} takes", again, said=said)
            out.append(_Fault(abs(v.bend_error_cents) / CLEAN_CENTS + 0.5 * again, said))
        if v.goal_late_ms is not None and v.goal_late_ms >= _GOAL_LATE_MS:
            values = {"where": where(project, v.note, bar=bar), "ms": v.goal_late_ms}
            said = tr("the bend {where} reaches its goal {ms:.0f} ms late", **values)
            out.append(_Fault(v.goal_late_ms / _GOAL_LATE_MS, said))
        if v.late_ms is not None and abs(v.late_ms) >= _CLEARLY_LATE_MS:
            said = tr("the note {where} comes {late}", where=where(project, v.note, bar=bar), late=_late(v.late_ms))
            out.append(_Fault(abs(v.late_ms) / CLEAN_MS * 0.8, said))
        if colour and v.there and v.note.vibrato is not None and v.vibrato_cents is None:
            out.append(_Fault(0.7, tr("the vibrato {where} is not there", where=where(project, v.note, bar=bar))))
        if colour and v.as_reached is False:
            how = tr(ATTACK_OF[v.note.attack].words)
            out.append(
                _Fault(0.5, tr("the note {where} is to be {how}", where=where(project, v.note, bar=bar), how=how))
            )
    if abs(report.offset_cents) >= _OUT_OF_TUNE_CENTS:
        cents = abs(report.offset_cents)
        said = (
            tr("the guitar is {cents:.0f} cents sharp", cents=cents)
            if report.offset_cents > 0
            else tr("the guitar is {cents:.0f} cents flat", cents=cents)
        )
        out.append(_Fault(cents / CLEAN_CENTS, said))
    return out


def _times_before(before: Sequence[TakeKept], note: Note, cents: float) -> int:
    """In how many of the last takes, one after another, the same bend went wrong the same way."""
    count = 0
    for take in reversed(before):
        was = dict(take.bends).get(note.id)
        if was is None or abs(was) < _WORTH_SAYING_CENTS or (was > 0) != (cents > 0):
            break
        count += 1
    return count


def _stops(cents: float) -> str:
    if cents < 0:
        return tr("stops {cents:.0f} cents short", cents=-cents)
    return tr("goes {cents:.0f} cents too far", cents=cents)


def _off(cents: float) -> str:
    if cents < 0:
        return tr("bend {cents:.0f} cents short", cents=-cents)
    return tr("bend {cents:.0f} cents wide", cents=cents)


def _late(ms: float) -> str:
    return tr("{ms:.0f} ms late", ms=ms) if ms > 0 else tr("{ms:.0f} ms early", ms=-ms)


MISSING, RIGHT = "✗", "✓"


def mark_of(v: Verdict) -> str:
    """One note's verdict as it stands under its tag, told by shape: ✗ missing, ✓ right, ◂ and ▸ early and late by
    milliseconds, ↓ and ↑ bent short and wide by cents."""
    if not v.there:
        return MISSING
    said = ""
    if v.late_ms is not None and abs(v.late_ms) >= CLEAN_MS:
        said += f"{'▸' if v.late_ms > 0 else '◂'}{abs(v.late_ms):.0f}"
    if v.bend_error_cents is not None and abs(v.bend_error_cents) >= _WORTH_SAYING_CENTS:
        said += f"{'↑' if v.bend_error_cents > 0 else '↓'}{abs(v.bend_error_cents):.0f}"
    return said or RIGHT


def marks_of(report: Report | None) -> dict[str, str]:
    """The marks of all notes of a take, by their ids; none where it was no take of this."""
    return {v.note.id: mark_of(v) for v in report.verdicts} if report is not None and report.recognised else {}


def marks_kept(take: TakeKept, notes: Sequence[Note]) -> dict[str, str]:
    """The marks of a take that was kept, as far as they are."""
    bends, out = dict(take.bends), {}
    for n in notes:
        cents = bends.get(n.id, 0.0)
        off = f"{'↑' if cents > 0 else '↓'}{abs(cents):.0f}" if abs(cents) >= _WORTH_SAYING_CENTS else RIGHT
        out[n.id] = MISSING if n.id in take.missing else off
    return out
