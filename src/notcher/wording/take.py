"""A learner's take beside the transcription, in a sentence or two that are worth saying."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.rhythm.count import counted
from notcher.score.note import Note
from notcher.score.practice import CLEAN_CENTS, CLEAN_MS, TakeKept
from notcher.score.project import Phrase, Project
from notcher.score.technique import ATTACK_OF
from notcher.teach.take import Extra, Report, Verdict
from notcher.wording.chords import pitch_name
from notcher.wording.names import ordinal
from notcher.wording.notes import phrase_title
from notcher.wording.rhythm import spoken
from notcher.wording.say import listed, tr, trn

_WORTH_SAYING_CENTS, _CLEARLY_LATE_MS, _OUT_OF_TUNE_CENTS = 15, 45, 15
# By which a bend reaches its goal clearly later than it does in the recording, and that a whole take is off the loop.
_GOAL_LATE_MS, _BEHIND_MS = 150, 35
# Notes that are named one by one for each kind of fault, and remarks on what a clean take may still do better.
_NAMED, _REMARKS = 6, 2


@dataclass(frozen=True, slots=True)
class _Fault:
    """One thing that was off: how much it weighs, what is said, and whether it makes the take unclean."""

    weight: float
    words: str
    unclean: bool = False


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
    if behind_ms is not None and abs(behind_ms) >= _BEHIND_MS:
        words = (
            tr("the whole take is {ms:.0f} ms behind the loop", ms=behind_ms)
            if behind_ms > 0
            else tr("the whole take is {ms:.0f} ms ahead of the loop", ms=-behind_ms)
        )
        found.append(_Fault(abs(behind_ms) / CLEAN_MS, words))
    unclean = sorted((f for f in found if f.unclean), key=lambda f: -f.weight)
    remarks = sorted((f for f in found if not f.unclean), key=lambda f: -f.weight)[:_REMARKS]
    named = [f.words for f in (*unclean[:_NAMED], *remarks)]
    if len(unclean) > _NAMED:
        named.insert(
            _NAMED, trn("one more is marked at its note", "{n} more are marked at their notes", len(unclean) - _NAMED)
        )
    first = _how_many(project, report, bar=twice)
    if not named:
        return tr("{first}.", first=first)
    return tr("{first}; {faults}.", first=first, faults="; ".join(named))


def _comes_twice(project: Project, report: Report) -> bool:
    """Whether any of the counts of a take is one of another of its bars, too."""
    found = [c for v in report.verdicts if (c := counted(project, v.note)) is not None]
    tempo = project.tempo
    if tempo is None:
        return False
    places = {(c.bar, spoken(c.place, tempo)) for c in found}
    return len({count for _, count in places}) < len(places)


def verdict_words(project: Project, v: Verdict) -> str:
    """One note's verdict: 'missed', '75 ms late, bend 40 cents flat'; 'right' where nothing was off."""
    if v.played_pitch is not None:
        return tr("wrong note: {played}", played=pitch_name(project, v.played_pitch, v.note.onset))
    if not v.there:
        return tr("missed")
    words = []
    if _is_late(project, v):
        words.append(_late(v.late_ms or 0.0))
    if v.bend_error_cents is not None and abs(v.bend_error_cents) >= _WORTH_SAYING_CENTS:
        words.append(_off(v.bend_error_cents))
    return listed(words) if words else tr("right")


def _is_late(project: Project, v: Verdict) -> bool:
    return v.late_ms is not None and abs(v.late_ms) > project.lesson.clean_ms


def where(project: Project, note: Note, *, bar: bool = False) -> str:
    """Where a note is, as one says it to a player: on which count, or by string and fret where there is no beat. bar:
    with the bar, as in a whole solo."""
    found = counted(project, note)
    if found is None or project.tempo is None:
        return tr("on the {nth} string at fret {fret}", nth=ordinal(note.string), fret=note.fret)
    count = spoken(found.place, project.tempo)
    if bar:
        return tr("on beat \u201c{count}\u201d of bar {bar}", count=count, bar=found.bar)
    return tr("on beat \u201c{count}\u201d", count=count)


def _how_many(project: Project, report: Report, *, bar: bool) -> str:
    wanted, there = len(report.verdicts), sum(v.there for v in report.verdicts)
    missed = [v.note for v in report.verdicts if not v.there and v.played_pitch is None]
    wrong = [v for v in report.verdicts if v.played_pitch is not None]
    parts = [tr("All notes played") if there == wanted else tr("{there} of {n} notes played", there=there, n=wanted)]
    if missed:
        parts.append(tr("missed: {notes}", notes=_named([where(project, n, bar=bar) for n in missed])))
    if wrong:
        parts.append(tr("wrong: {notes}", notes=_named([_wrong(project, v, report.shift, bar=bar) for v in wrong])))
    if report.extra:
        places = _named([_after(project, report, e, bar=bar) for e in report.extra])
        parts.append(trn("plus one extra ({places})", "plus {n} extra ({places})", len(report.extra), places=places))
    if report.shift:
        steps = abs(report.shift)
        parts.append(
            trn("all a half step up", "all {n} half steps up", steps)
            if report.shift > 0
            else trn("all a half step down", "all {n} half steps down", steps)
        )
    return ", ".join(parts)


def _named(names: Sequence[str]) -> str:
    """Names one by one, as many as can be listened to."""
    if len(names) <= _NAMED:
        return listed(list(names))
    more = len(names) - _NAMED
    return listed([*names[:_NAMED], trn("one more", "{n} more", more)])


def _wrong(project: Project, v: Verdict, shift: int, *, bar: bool) -> str:
    assert v.played_pitch is not None
    return tr(
        "{where} ({played} instead of {wanted})", where=where(project, v.note, bar=bar),
        played=pitch_name(project, v.played_pitch - shift, v.note.onset),
        wanted=pitch_name(project, round(v.note.unbent_pitch(project.tuning)), v.note.onset),
    )  # fmt: skip


def _after(project: Project, report: Report, extra: Extra, *, bar: bool) -> str:
    before = [v.note for v in report.verdicts if v.note.onset <= extra.at]
    if not before:
        return tr("before the first note")
    return tr("after the note {where}", where=where(project, before[-1], bar=bar))


def _faults(project: Project, report: Report, before: Sequence[TakeKept], *, colour: bool, bar: bool) -> list[_Fault]:
    limits = project.lesson
    out = [
        _Fault(4.0, tr("you stopped before the note {where}", where=where(project, n, bar=bar)), unclean=True)
        for n in report.halts
    ]
    for v in report.verdicts:
        place = where(project, v.note, bar=bar)
        if v.bend_error_cents is not None and abs(v.bend_error_cents) >= _WORTH_SAYING_CENTS:
            words = _bend_off(place, v.bend_error_cents)
            again = _times_before(before, v.note, v.bend_error_cents)
            if again:
                words = trn("{words}, as in the last take", "{words}, as in the last {n} takes", again, words=words)
            weight = abs(v.bend_error_cents) / CLEAN_CENTS + 0.5 * again
            out.append(_Fault(weight, words, unclean=abs(v.bend_error_cents) > limits.clean_cents))
        if v.goal_late_ms is not None and v.goal_late_ms >= _GOAL_LATE_MS:
            words = tr("the bend {where} reaches its pitch {ms:.0f} ms late", where=place, ms=v.goal_late_ms)
            out.append(_Fault(v.goal_late_ms / _GOAL_LATE_MS, words))
        if v.late_ms is not None and abs(v.late_ms) >= min(_CLEARLY_LATE_MS, limits.clean_ms):
            words = (
                tr("the note {where} is {ms:.0f} ms late", where=place, ms=v.late_ms)
                if v.late_ms > 0
                else tr("the note {where} is {ms:.0f} ms early", where=place, ms=-v.late_ms)
            )
            out.append(_Fault(abs(v.late_ms) / CLEAN_MS, words, unclean=_is_late(project, v)))
        if colour and v.there and v.note.vibrato is not None and v.vibrato_cents is None:
            out.append(_Fault(0.7, tr("the note {where} has no vibrato", where=place)))
        if colour and v.as_reached is False:
            how = tr(ATTACK_OF[v.note.attack].words)
            out.append(_Fault(0.5, tr("the note {where} should be {how}", where=place, how=how)))
    if abs(report.offset_cents) >= _OUT_OF_TUNE_CENTS:
        cents = abs(report.offset_cents)
        words = (
            tr("the guitar is {cents:.0f} cents sharp", cents=cents)
            if report.offset_cents > 0
            else tr("the guitar is {cents:.0f} cents flat", cents=cents)
        )
        out.append(_Fault(cents / CLEAN_CENTS, words))
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


def _bend_off(place: str, cents: float) -> str:
    if cents < 0:
        return tr("the bend {where} is {cents:.0f} cents flat", where=place, cents=-cents)
    return tr("the bend {where} is {cents:.0f} cents sharp", where=place, cents=cents)


def _off(cents: float) -> str:
    if cents < 0:
        return tr("bend {cents:.0f} cents flat", cents=-cents)
    return tr("bend {cents:.0f} cents sharp", cents=cents)


def _late(ms: float) -> str:
    return tr("{ms:.0f} ms late", ms=ms) if ms > 0 else tr("{ms:.0f} ms early", ms=-ms)


MISSING, WRONG, RIGHT = "✗", "≠", "✓"


def mark_of(project: Project, v: Verdict) -> str:
    """One note's verdict as it stands under its tag, told by shape: ✗ missing, ≠ another note, ✓ right, ◂ and ▸ early
    and late by milliseconds, ↓ and ↑ bent flat and sharp by cents."""
    if v.played_pitch is not None:
        return WRONG
    if not v.there:
        return MISSING
    late = v.late_ms if _is_late(project, v) else None
    return _mark(late, v.bend_error_cents or 0.0)


def _mark(late_ms: float | None, cents: float) -> str:
    mark = f"{'▸' if late_ms > 0 else '◂'}{abs(late_ms):.0f}" if late_ms is not None else ""
    if abs(cents) >= _WORTH_SAYING_CENTS:
        mark += f"{'↑' if cents > 0 else '↓'}{abs(cents):.0f}"
    return mark or RIGHT


def marks_of(project: Project, report: Report | None) -> dict[str, str]:
    """The marks of all notes of a take, by their ids; none where it was no take of this."""
    if report is None or not report.recognised:
        return {}
    return {v.note.id: mark_of(project, v) for v in report.verdicts}


def marks_kept(take: TakeKept, notes: Sequence[Note]) -> dict[str, str]:
    """The marks of a take that was kept, as far as they are."""
    bends, late, wrong = dict(take.bends), dict(take.late), dict(take.wrong)
    out = {}
    for n in notes:
        gone = WRONG if n.id in wrong else MISSING if n.id in take.missing else ""
        out[n.id] = gone or _mark(late.get(n.id), bends.get(n.id, 0.0))
    return out
