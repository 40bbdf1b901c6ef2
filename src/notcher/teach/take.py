"""Judges a learner's take: which notes were there, how early or late, how far each bend went, what was played besides.

What the listening core is unsure of is settled by what is written: a faint sound where a note should be is that note,
and a doubtful one where none should be is no mistake. A learner who is blamed for what was right stops believing.
"""

import datetime
import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.contour import Trace, runs
from notcher.listen.frames.spectrum import HOP
from notcher.score.bend_goal import reached_by, reached_in
from notcher.score.errors import ScoreError
from notcher.score.note import HARMONICS, LEGATO, MOVES_THE_PITCH, Attack, Bend, BendKind, Mark, Note, struck_together
from notcher.score.practice import NO_LESSON, Lesson, TakeKept
from notcher.score.project import Phrase, Project
from notcher.teach.alignment import HALT_S, Aligned, Sounded, TimeMap, Written, align
from notcher.teach.sounding import sounds_at, struck_at

LONGEST_TAKE_S = 20 * 60.0
# Share of the notes, each way, from which it is this phrase; by how much another is liker; fewest notes that agree.
_RECOGNISED, _LIKER, _FEWEST = 0.45, 0.12, 3
# Chance from which what the core left out is a note that was expected there; seconds in the take, cents.
_EXPECTED, _EXPECTED_S, _EXPECTED_CENTS = 0.03, 0.11, 60.0
# Share of a note's time (and at most so many seconds) in which the contour must lie on it.
_ON_IT, _LOOKED_S, _ON_IT_CENTS = 0.5, 0.3, 45.0
# Chance from which a note that is not written was played, one that may be part of another, and dB under the notes that
# were there from which it is something else that sounds (the loop in the room); from which a written note is, too; and
# frames in which a note is as loud as it is.
_EXTRA, _EXTRA_WITHIN, _FAINT_DB, _IN_THE_ROOM_DB, _BEGINS = 0.62, 0.8, 14.0, 16.5, 30
# Seconds for which a string that is let go may speak, and within which that is as its note ends; half steps from a
# pitch to its overtones.
_LET_GO_S, _AS_IT_ENDS_S, _OVERTONES = 0.16, 0.06, (12, 19, 24, 28, 31, 34, 36)
# Seconds after a note in which its repeat may be heard, and by how much that is softer.
_ECHO_S, _ECHO_DB, _REPEAT_S = (0.08, 1.3), 5.0, 0.06
# Seconds within which something else was played in a note's place, the most cents that it is off, cents within which
# it is the same pitch, what it costs beside being so many times _WEIGHED_S late, and beside leaving both alone; and the
# least chance that it was played.
_WRONG_S, _WRONG_CENTS, _ON_PITCH_CENTS, _WRONG_COST, _WEIGHED_S, _MEANT_S = 0.12, 1150.0, 60.0, 3.2, 0.08, 0.21
_INSTEAD = 0.4
_ALONE_COST = (_MEANT_S / _WEIGHED_S) ** 2 + 2.0
# Seconds after its end for which another string may still ring, and around a slide's arrival that it may take.
_STILL_RINGS_S, _SLIDES_S = 0.25, 0.3
# Milliseconds that a slide from nowhere may take.
_SLIDES_IN_MS = 130.0
# Seconds in the take for which a bent note may be held longer than it is written.
_LONGER_S = 0.25
# Seconds in the take before and after the phrase in which a note still belongs to it.
_AROUND_S = 0.4
# Seconds at a bend's beginning and end that still belong to the notes around, frames that are
# smoothed over, and frames before it falls silent.
_LEAD_IN_S, _LEAD_OUT_S, _SMOOTHED, _LAST_MOMENT = 0.02, 0.03, 5, 3
# Cents from its goal beyond which another string was followed.
_BELIEVED_CENTS = 75.0
# Cents within which two readings of a bend among other strings agree.
_AGREE_CENTS = 20.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """One written note beside what was played. late_ms: in the recording's time, below 0 early; bend_error_cents: above
    0 too wide; goal_late_ms: how much later than written its bend arrives; attack: as it was played; all None where it
    is not there, or is not bent. played_pitch: the wrong pitch (MIDI) that was played in its place; it is not there
    then."""

    note: Note
    there: bool
    late_ms: float | None = None
    bend_error_cents: float | None = None
    goal_late_ms: float | None = None
    vibrato_cents: float | None = None
    attack: Attack | None = None
    played_pitch: int | None = None

    def is_clean(self, limits: Lesson) -> bool:
        """Whether it is as a clean take has it."""
        late, bent = abs(self.late_ms or 0.0), abs(self.bend_error_cents or 0.0)
        return self.there and late <= limits.clean_ms and bent <= limits.clean_cents

    @property
    def as_reached(self) -> bool | None:
        """Whether it was reached as it is written: by the pick, or by the hand that frets; None where nobody knows."""
        if self.attack is None:
            return None
        return _by_hand(self.attack) == _by_hand(self.note.attack)


@dataclass(frozen=True, slots=True)
class Extra:
    """A note that is not written: seconds in the take and in the recording, MIDI pitch as played."""

    onset: float
    at: float
    pitch: int


@dataclass(frozen=True, slots=True)
class Report:
    """All notes of the stretch. shift: half steps by which all of it is moved; offset_cents: from the recording's
    tuning; pace: share of the recording's; times: from the recording to the take; like: the phrase it sounds like,
    where that is another one; heard: whether anything was heard at all; halts: notes before which it stood still."""

    verdicts: tuple[Verdict, ...]
    extra: tuple[Extra, ...] = ()
    shift: int = 0
    offset_cents: float = 0.0
    pace: float | None = None
    times: TimeMap | None = None
    like: Phrase | None = None
    heard: bool = True
    halts: tuple[Note, ...] = ()

    @property
    def recognised(self) -> bool:
        """Whether it is this phrase that was played."""
        return self.times is not None

    @property
    def missing(self) -> tuple[Note, ...]:
        """The written notes that were not there."""
        return tuple(v.note for v in self.verdicts if not v.there)

    def is_clean(self, limits: Lesson) -> bool:
        """Whether every note was there, in time and in tune as the person set it, and nothing besides."""
        in_order = self.recognised and not self.extra and not self.halts
        return in_order and all(v.is_clean(limits) for v in self.verdicts)


def notes_to_play(project: Project, phrase: Phrase | None) -> tuple[Note, ...]:
    """The notes of a phrase, or of all. Raises ScoreError where there are none."""
    wanted = project.notes if phrase is None else project.notes_between(phrase.start, phrase.end)
    if not wanted:
        raise ScoreError("there are no notes to compare with in this stretch")
    return tuple(wanted)


def judge(
    project: Project, heard: Transcription | None, *, phrase: Phrase | None = None, pace: float | None = None
) -> Report:
    """A take beside a phrase, or beside the whole solo. heard: None where nothing could be heard; pace: the share of
    the recording's pace at which it was played, found where it is None. Raises ScoreError for a stretch without notes.
    """
    wanted = notes_to_play(project, phrase)
    if heard is None:
        return Report(tuple(Verdict(n, there=False) for n in wanted), heard=False)
    found = _aligned(project, wanted, heard, pace)
    like = _likeness(found, wanted, heard)
    others = (
        [p for p in project.phrases if p.end <= phrase.start or p.start >= phrase.end] if phrase is not None else []
    )
    other, most = None, max(like + _LIKER, _RECOGNISED)
    if like < 2 * _RECOGNISED:
        for p in others:
            theirs = project.notes_between(p.start, p.end)
            if theirs:
                liker = _likeness(_aligned(project, theirs, heard, pace), theirs, heard)
                if liker > most:
                    other, most = p, liker
    if found is None or other is not None or like < _RECOGNISED:
        return Report(tuple(Verdict(n, there=False) for n in wanted), like=other)
    return _judged(project, wanted, heard, found)


def kept_of(
    report: Report, phrase: Phrase, *, when: datetime.datetime, sound: str = "", limits: Lesson = NO_LESSON
) -> TakeKept | None:
    """What is kept of a take; None where it was no take of this phrase. limits: what makes a take clean."""
    if not report.recognised or report.pace is None:
        return None
    late = [abs(v.late_ms) for v in report.verdicts if v.late_ms is not None]
    bends = tuple((v.note.id, v.bend_error_cents) for v in report.verdicts if v.bend_error_cents is not None)
    return TakeKept(
        f"{when:%Y-%m-%dT%H:%M}", phrase.id, round(100 * report.pace, 1), len(report.verdicts),
        tuple(n.id for n in report.missing), len(report.extra), _off(late, report), bends, sound,
        tuple((v.note.id, v.played_pitch) for v in report.verdicts if v.played_pitch is not None),
        tuple(
            (v.note.id, v.late_ms)
            for v in report.verdicts
            if v.late_ms is not None and abs(v.late_ms) > limits.clean_ms
        ),
        report.is_clean(limits),
    )  # fmt: skip


def _off(late: Sequence[float], report: Report) -> float:
    """How far a take was off in time; who stood still was not in time."""
    off = float(np.median(late)) if late else 0.0
    return round(max(off, 1000.0 * HALT_S) if report.halts else off, 1)


def _played(heard: Transcription) -> list[HeardNote]:
    return [h for h in heard.notes if Mark.DEAD not in h.marks]


def _cents(h: HeardNote, offset: float) -> float:
    raised = h.bend.points[0][1] if h.bend is not None and h.bend.points and h.bend.starts_raised else 0.0
    return 100.0 * h.pitch + raised + offset


def _pitched(notes: Sequence[Note]) -> list[Note]:
    """A dead note has no pitch that could be asked for."""
    return [n for n in notes if Mark.DEAD not in n.marks]


def _written(project: Project, n: Note) -> Written:
    fretted = 100.0 * n.unbent_pitch(project.tuning) + project.offset_cents
    top = fretted + (n.bend.target_cents if n.bend is not None else 0.0)
    other = 100.0 * n.pitch(project.tuning) + project.offset_cents if HARMONICS & n.marks else fretted
    return Written(n.onset, fretted, top, other)


def _aligned(project: Project, wanted: Sequence[Note], heard: Transcription, pace: float | None) -> Aligned | None:
    offset = heard.offset.cents
    grounds = (offset - project.offset_cents + 50.0) % 100.0 - 50.0
    sounded = [Sounded(h.onset, _cents(h, offset), h.confidence) for h in _played(heard)]
    written = [_written(project, n) for n in _pitched(wanted)]
    return align(written, sounded, pace=pace, grounds=grounds)


def _likeness(found: Aligned | None, wanted: Sequence[Note], heard: Transcription) -> float:
    """How like a take is to some notes: of both what is written and what was played meanwhile, the share that agrees
    (F1), 0 to 1."""
    pitched = _pitched(wanted)
    if found is None or len(found.pairs) < min(_FEWEST, len(pitched)):
        return 0.0
    low, high = found.times.take_s(pitched[0].onset) - _AROUND_S, found.times.take_s(pitched[-1].onset) + _AROUND_S
    meanwhile = sum(low <= h.onset <= high and h.confidence > _EXTRA for h in _played(heard))
    return 2 * len(found.pairs) / (len(pitched) + max(meanwhile, len(found.pairs)))


def _judged(project: Project, wanted: Sequence[Note], heard: Transcription, found: Aligned) -> Report:
    played, pitched = _played(heard), _pitched(wanted)
    partner = {pitched[i].id: played[j] for i, j in found.pairs}
    wrong = _wrong(project, pitched, heard, found, partner)
    used = {id(h) for h in (*partner.values(), *wrong.values())}
    rescued = _expected(project, pitched, heard, found, {i: h.onset for i, h in partner.items()}, set(wrong))
    onsets = sorted([*(h.onset for h in partner.values()), *(t for t in rescued.values() if not math.isnan(t))])
    moved = 100.0 * found.shift + found.offset_cents
    least = _usual(heard.trace, [h.onset for h in partner.values()]) - _IN_THE_ROOM_DB
    verdicts = []
    for n in wanted:
        h = partner.get(n.id)
        onset = h.onset if h is not None else rescued.get(n.id)
        if onset is None and n.marks & {Mark.DEAD}:
            # Nothing can be said of a stroke without a pitch, and nobody is blamed for it.
            verdicts.append(Verdict(n, there=True))
            continue
        if onset is not None and math.isnan(onset):
            error = None
            if n.bend is not None:
                begins, until = found.times.take_s(n.onset), found.times.take_s(n.end)
                fretted = _written(project, n).low + moved
                error, _ = _bent(heard.trace, n, n.bend, begins, until, fretted, found.times.stretch)
            verdicts.append(Verdict(n, there=True, bend_error_cents=error))
            continue
        if n.id in wrong:
            verdicts.append(Verdict(n, there=False, played_pitch=wrong[n.id].pitch))
            continue
        if onset is None or _level(heard.trace, onset) < least:
            verdicts.append(Verdict(n, there=False))
            continue
        late = 1000.0 * (found.times.recording_s(onset) - n.onset)
        if Mark.SLIDE_IN in n.marks and 0.0 < late <= _SLIDES_IN_MS:
            # It is under way from its onset on, and heard where it arrives.
            late = 0.0
        error, goal = None, None
        if n.bend is not None:
            following = min((t for t in onsets if t > onset + _LEAD_OUT_S), default=math.inf)
            until = min(following, found.times.take_s(n.end) + _LONGER_S)
            fretted = _written(project, n).low + moved
            error, goal = _bent(heard.trace, n, n.bend, onset, until, fretted, found.times.stretch)
            if h is not None and (error is None or _among_others(n, pitched)):
                error, goal = _beside(h, n.bend, error), None
        verdicts.append(
            Verdict(
                n, there=True, late_ms=round(late, 1), bend_error_cents=error, goal_late_ms=goal,
                vibrato_cents=h.vibrato.extent_cents if h is not None and h.vibrato is not None else None,
                attack=h.attack if h is not None else None,
            )
        )  # fmt: skip
    strokes = [n.onset for n in wanted if Mark.DEAD in n.marks]
    extra = tuple(
        Extra(round(h.onset, 3), round(found.times.recording_s(h.onset), 3), h.pitch)
        for h in played
        if id(h) not in used and _is_extra(project, pitched, heard, found, h, list(partner.values()), strokes)
    )
    return Report(
        tuple(verdicts), extra, found.shift, round(found.offset_cents, 1), round(1.0 / found.times.stretch, 3),
        found.times, halts=_halts(pitched, found.times),
    )  # fmt: skip


def _halts(pitched: Sequence[Note], times: TimeMap) -> tuple[Note, ...]:
    """The notes before which the take stood still."""
    if not times.drift:
        return ()
    w, off = np.array([t for t, _ in times.drift]), np.array([d for _, d in times.drift])
    # Of what the pace itself does between two notes nobody is told.
    usual = float(np.median(np.diff(off) / np.maximum(np.diff(w), 1e-3))) if len(w) > 1 else 0.0
    after = w[1:][np.diff(off) - usual * np.diff(w) >= HALT_S].tolist()
    return tuple(next(n for n in pitched if n.onset >= at - 1e-6) for at in after)


def _wrong(
    project: Project, pitched: Sequence[Note], heard: Transcription, found: Aligned, partner: dict[str, HeardNote]
) -> dict[str, HeardNote]:
    """What was played in the place of notes by their ids: clearly there, in time, and of another pitch. Pairs that
    agree in pitch may be given up for it: a note is rather wrong than much too late. `partner` is changed with it."""
    from scipy.optimize import linear_sum_assignment

    times, moved = found.times, 100.0 * found.shift + found.offset_cents
    offset = heard.offset.cents
    taken = {id(h): name for name, h in partner.items()}
    given_up = {
        name
        for name, h in partner.items()
        if abs(h.onset - times.take_s(next(n.onset for n in pitched if n.id == name))) > _WRONG_S
    }
    notes = [n for n in pitched if n.id not in partner or n.id in given_up]
    sounded = [
        h for h in _played(heard)
        if taken.get(id(h)) in given_up or (id(h) not in taken and h.confidence >= _INSTEAD and not _is_echo(heard, h))
    ]  # fmt: skip
    if not notes or not sounded:
        return {}
    cost = np.zeros((len(notes), len(sounded)))
    right = np.zeros(cost.shape, bool)
    for i, n in enumerate(notes):
        w, expected = _written(project, n), times.take_s(n.onset)
        for j, h in enumerate(sounded):
            away, cents = h.onset - expected, _cents(h, offset) - moved
            if abs(away) > _MEANT_S:
                continue
            right[i, j] = _is_pitch(n, w, h, cents)
            other = not right[i, j] and abs(away) <= _WRONG_S and _may_be_meant(cents - w.low)
            if right[i, j] or other:
                cost[i, j] = (away / _WEIGHED_S) ** 2 + (0.0 if right[i, j] else _WRONG_COST) - _ALONE_COST
    rows, columns = linear_sum_assignment(cost)
    out: dict[str, HeardNote] = {}
    for i, j in zip(rows, columns, strict=True):
        n, h = notes[i], sounded[j]
        if cost[i, j] >= 0:
            continue
        if right[i, j]:
            if taken.get(id(h)) not in (None, n.id):
                partner.pop(taken[id(h)], None)
            partner[n.id] = h
        elif not _let_go(project, pitched, h, times) and _sounds(project, pitched, heard, found, n, h) is not True:
            if taken.get(id(h)) is not None:
                partner.pop(taken[id(h)], None)
            partner.pop(n.id, None)
            out[n.id] = h
    return out


def _is_pitch(n: Note, w: Written, h: HeardNote, cents: float) -> bool:
    """Whether something heard may be a written note by its pitch. A slide may be heard from the fret before it on."""
    slid = n.attack is Attack.SLIDE or n.marks & MOVES_THE_PITCH
    comes_to = cents + (h.bend.target_cents if slid and h.bend is not None else 0.0)
    levels = (w.other, w.low) if slid else (w.other,)
    return w.low - _ON_PITCH_CENTS <= cents <= w.high + _ON_PITCH_CENTS or any(
        abs(reached - level) < _ON_PITCH_CENTS for reached in (cents, comes_to) for level in levels
    )


def _may_be_meant(cents: float) -> bool:
    """Whether a pitch so far off may be a wrong fret or string, and no overtone that was heard in its place."""
    return _ON_PITCH_CENTS < abs(cents) <= _WRONG_CENTS and all(abs(abs(cents) - 100 * up) > 60 for up in _OVERTONES)


def _sounds(
    project: Project,
    pitched: Sequence[Note],
    heard: Transcription,
    found: Aligned,
    n: Note,
    instead: HeardNote | None = None,
) -> bool | None:
    """Whether a written note sounds at its time, by the take's own spectrum; None where nobody can tell. instead: what
    else is heard there."""
    if heard.sound is None or n.bend is not None or n.marks & (HARMONICS | MOVES_THE_PITCH):
        return None
    times, moved = found.times, 100.0 * found.shift + found.offset_cents
    at = times.take_s(n.onset)
    others = [
        _written(project, m).low + moved
        for m in pitched
        if m is not n
        and m.onset <= n.onset + _AS_IT_ENDS_S
        and m.end > n.onset - _STILL_RINGS_S
        and m.string != n.string
    ]
    others += [
        _cents(h, heard.offset.cents) for h in _played(heard)
        if h is not instead and at - _STILL_RINGS_S < h.end and h.onset < at + _AS_IT_ENDS_S
        and abs(_cents(h, heard.offset.cents) - _written(project, n).low - moved) > _ON_PITCH_CENTS
    ]  # fmt: skip
    if instead is not None:
        others.append(_cents(instead, heard.offset.cents))
        at = instead.onset
    lasts = min([n.end, *(m.onset for m in pitched if m.onset > n.onset + _AS_IT_ENDS_S)]) - n.onset
    return sounds_at(heard.sound, at, _written(project, n).low + moved, others, lasts=lasts * times.stretch)


def _expected(
    project: Project,
    pitched: Sequence[Note],
    heard: Transcription,
    found: Aligned,
    there: dict[str, float],
    wrong: set[str],
) -> dict[str, float]:
    """Onsets in the take of notes that the core was not sure of, by what was expected there: what it left out, or the
    contour on their pitch after another; NaN for those of which nobody can tell. there: onsets of those it heard;
    wrong: ids of those in whose place something else was played."""
    out: dict[str, float] = {}
    for k, n in enumerate(pitched):
        if n.id in there or n.id in wrong:
            continue
        before = pitched[k - 1] if k else None
        onset = _expected_one(project, pitched, heard, found, n, {**there, **out}, before)
        if onset is not None:
            out[n.id] = onset
    return out


def _expected_one(
    project: Project, pitched: Sequence[Note], heard: Transcription, found: Aligned, n: Note, there: dict[str, float],
    before: Note | None,
) -> float | None:  # fmt: skip
    moved = 100.0 * found.shift + found.offset_cents
    w, expected = _written(project, n), found.times.take_s(n.onset)
    levels = {w.low + moved, w.high + moved, w.other + moved}
    near = [
        h.onset
        for h in heard.left
        if h.confidence >= _EXPECTED and abs(h.onset - expected) <= _EXPECTED_S
        and any(abs(_cents(h, heard.offset.cents) - at) <= _EXPECTED_CENTS for at in levels)
    ]  # fmt: skip
    if Mark.PINCH_HARMONIC in n.marks and n.partial is None:
        # Nobody said which partial is to sound.
        near += [
            h.onset
            for h in _played(heard)
            if abs(h.onset - expected) <= _EXPECTED_S
            and any(abs(_cents(h, heard.offset.cents) - moved - w.other - 100 * up) <= 60 for up in _OVERTONES)
        ]
    sounds = _sounds(project, pitched, heard, found, n)
    if near and sounds is not False:
        return min(near, key=lambda t: abs(t - expected))
    beside = [m.id for m in pitched if m is not n and struck_together(m.onset, n.onset) and m.id in there]
    if beside:
        # Of strings struck together one can hide the other; where its own partials are missing it is not there.
        return None if sounds is False else there[beside[0]]
    if sounds:
        return math.nan
    if heard.delay is not None and n.attack in LEGATO and before is not None and before.id in there:
        # Repeats hide what the hand that frets does alone.
        return math.nan
    same = before is not None and abs(_written(project, before).low - w.low) < 1 and before.end > n.onset - 0.1
    if same:
        # The same pitch goes on sounding: only a stroke tells that it was played again.
        struck = (
            heard.sound is not None and before is not None and before.id in there and struck_at(heard.sound, expected)
        )
        return math.nan if struck else None
    following = [m.onset for m in pitched if m.onset > n.onset + _AS_IT_ENDS_S][:1]
    until = min([found.times.take_s(n.end), *(found.times.take_s(t) for t in following)])
    return _on_the_contour(heard.trace, expected, until, (w.low + moved, w.high + moved))


def _on_the_contour(trace: Trace, expected: float, until: float, between: tuple[float, float]) -> float | None:
    """When the contour came onto a pitch, where it lies there for most of a note's time."""
    first, last = round((expected - _EXPECTED_S) / HOP), round(min(until, expected + _LOOKED_S) / HOP)
    first = max(0, first)
    cents = trace.cents[first:last]
    low, high = between
    on_it = (cents >= low - _ON_IT_CENTS) & (cents <= high + _ON_IT_CENTS)
    stretches = runs(on_it)
    if not stretches:
        return None
    a, b = max(stretches, key=lambda r: r[1] - r[0])
    wanted = max(4.0, _ON_IT * (last - round(expected / HOP)))
    return (first + a) * HOP if b - a >= wanted else None


def _is_extra(
    project: Project, pitched: Sequence[Note], heard: Transcription, found: Aligned, h: HeardNote,
    partners: Sequence[HeardNote], strokes: Sequence[float],
) -> bool:  # fmt: skip
    """Whether a note that is not written was played, and is neither a part of one that is nor something else that
    sounds in the room."""
    times = found.times
    at = times.recording_s(h.onset)
    inside = times.take_s(pitched[0].onset) - _AROUND_S <= h.onset <= times.take_s(pitched[-1].end) + _AROUND_S
    if not inside or h.confidence < _EXTRA:
        return False
    if _level(heard.trace, h.onset) < _usual(heard.trace, [p.onset for p in partners]) - _FAINT_DB:
        return False
    if _is_echo(heard, h) or any(abs(times.take_s(t) - h.onset) < _EXPECTED_S for t in strokes):
        return False
    cents = _cents(h, heard.offset.cents) - 100.0 * found.shift - found.offset_cents
    if _let_go(project, pitched, h, times) or _in_a_chord(project, pitched, h, times, cents):
        return False
    if any(abs(cents - made) < _ON_PITCH_CENTS for made in _sums_of(project, pitched, at)):
        return False
    for n in pitched:
        if n.attack is Attack.SLIDE and abs(at - n.onset) <= _SLIDES_S and _on_the_way(project, pitched, n, cents):
            return False
        if not n.onset - 0.06 <= at <= n.end + 0.1:
            continue
        w = _written(project, n)
        if n.marks & MOVES_THE_PITCH or Mark.TREMOLO in n.marks:
            return False
        on_its_way = w.low - 80 <= cents <= w.high + 80
        if on_its_way and (n.bend is not None or h.confidence < _EXTRA_WITHIN or h.attack is not Attack.PICK):
            return False
    return True


def _on_the_way(project: Project, pitched: Sequence[Note], n: Note, cents: float) -> bool:
    """Whether a pitch lies between a slide's beginning and its end."""
    before = next((m for m in reversed(pitched) if m.string == n.string and m.onset < n.onset), None)
    ends = [_written(project, m).low for m in (n, before) if m is not None]
    return min(ends) - _ON_PITCH_CENTS <= cents <= max(ends) + _ON_PITCH_CENTS


def _let_go(project: Project, pitched: Sequence[Note], h: HeardNote, times: TimeMap) -> bool:
    """Whether it is the open string that speaks for a moment as a finger leaves it."""
    brief = h.end - h.onset <= _LET_GO_S
    for n in pitched:
        if abs(times.take_s(n.end) - h.onset) <= _AS_IT_ENDS_S:
            open_string = project.tuning.pitch(n.string, 0)
            lower = h.pitch < n.pitch(project.tuning)
            if lower and (brief or (h.pitch == open_string and h.attack is not Attack.PICK)):
                return True
    return False


def _sums_of(project: Project, pitched: Sequence[Note], at: float) -> list[float]:
    """Cents above MIDI 0 of what distortion makes of two strings that sound at a time: sums and differences."""
    sounding = [
        440.0 * 2.0 ** ((level / 100 - 69) / 12)
        for n in pitched
        if n.onset - 0.03 <= at <= n.end + 0.05
        for w in (_written(project, n),)
        for level in {w.low, w.high}
    ]
    pairs = itertools.permutations(sounding, 2)
    made = {abs(hz) for a, b in pairs for hz in (a - b, a + b, 2 * a - b, 2 * b - a, 2 * (a - b))}
    return [100 * (69 + 12 * float(np.log2(hz / 440.0))) for hz in made if hz > 30]


def _in_a_chord(project: Project, pitched: Sequence[Note], h: HeardNote, times: TimeMap, cents: float) -> bool:
    """Whether it begins with a written note and may be no more than its overtone, or what distortion makes of two."""
    for n in pitched:
        if abs(times.take_s(n.onset) - h.onset) <= _AS_IT_ENDS_S:
            above = (cents - _written(project, n).low) / 100.0
            if h.evidence.other is not None or any(abs(above - up) < 0.6 for up in _OVERTONES):
                return True
    return False


def _is_echo(heard: Transcription, h: HeardNote) -> bool:
    """Whether the same pitch sounded clearly louder not long before: a repeat of the room or of a delay."""
    level = _level(heard.trace, h.onset)
    if heard.delay is not None:
        late = [heard.delay * times for times in (1, 2)]
        same = [b.onset for b in heard.notes if b.pitch == h.pitch]
        if any(abs(h.onset - t - by) <= _REPEAT_S for t in same for by in late):
            return True
    return any(
        _ECHO_S[0] <= h.onset - b.onset <= _ECHO_S[1]
        and b.pitch == h.pitch
        and _level(heard.trace, b.onset) > level + _ECHO_DB
        for b in heard.notes
    )


def _level(trace: Trace, onset: float) -> float:
    """How loud a note is as it begins, in dB."""
    first = round(onset / HOP)
    rows = trace.level[first : first + _BEGINS]
    return float(np.percentile(rows, 90)) if len(rows) else -120.0


def _usual(trace: Trace, onsets: Sequence[float]) -> float:
    return float(np.median([_level(trace, t) for t in onsets])) if onsets else -120.0


def _bent(
    trace: Trace, n: Note, bend: Bend, onset: float, until: float, fretted: float, stretch: float
) -> tuple[float | None, float | None]:
    """How far beyond its goal a bend went in cents, and how much later than written it arrived in ms of the recording;
    None for either where the contour does not say."""
    from scipy.ndimage import median_filter

    first = round((onset + _LEAD_IN_S) / HOP)
    # A curl comes to its top as it ends.
    last = round((until - (_LEAD_OUT_S / 3 if bend.kind is BendKind.CURL else _LEAD_OUT_S)) / HOP)
    cents = trace.cents[first:last] - fretted
    known = np.isfinite(cents) & (cents > -150) & (cents < bend.target_cents + 250)
    if int(known.sum()) < 8:
        return None, None
    # As a string falls silent its last moment is anything.
    at = np.flatnonzero(known)[:-_LAST_MOMENT]
    line = median_filter(np.interp(np.arange(at[-1] + 1), at, cents[at]), _SMOOTHED)
    reached = reached_in(line)
    error = round(reached.goal - bend.target_cents, 1)
    shape = bend.written_shape(n.duration)
    if bend.starts_raised or (not bend.points and bend.rise is None) or abs(error) > _BELIEVED_CENTS:
        # Nobody said when it is to arrive, or it did not.
        return error, None
    written = reached_by(shape).arrives
    return error, round(1000.0 * ((_LEAD_IN_S + reached.arrives) / stretch - written), 1)


def _among_others(n: Note, pitched: Sequence[Note]) -> bool:
    """Whether another string sounds while a note is bent, which the contour may follow instead."""
    return any(m is not n and m.onset < n.end - 0.05 and m.end > n.onset + 0.05 for m in pitched)


def _beside(h: HeardNote, bend: Bend, error: float | None) -> float | None:
    """How far a bend went that the contour may not show: as its own string was followed, where it was; None where
    neither is believable."""
    followed = h.bend.peak_cents - bend.target_cents if h.bend is not None and h.bend.peak_cents is not None else None
    readings: list[float] = [e for e in (error, followed) if e is not None and abs(e) <= _BELIEVED_CENTS]
    if not readings or max(readings) - min(readings) > _AGREE_CENTS:
        return None
    nearest: float = min(readings, key=abs)
    return round(nearest, 1)


def _by_hand(attack: Attack) -> bool:
    return attack in (Attack.HAMMER, Attack.PULL)
