"""Judges a learner's take: which notes were there, how early or late, how far each bend went, what was played besides.

What the listening core is unsure of is settled by what is written: a faint sound where a note should be is that note,
and a doubtful one where none should be is no mistake. A learner who is blamed for what was right stops believing.
"""

import datetime
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.listen.contour import Trace, runs
from notcher.listen.listener import Heard
from notcher.listen.notes import HeardNote
from notcher.listen.spectrum import HOP
from notcher.score.errors import ScoreError
from notcher.score.note import HARMONICS, LEGATO, MOVES_THE_PITCH, Attack, Bend, BendKind, Mark, Note, struck_together
from notcher.score.practice import TakeKept
from notcher.score.project import Phrase, Project
from notcher.teach.alignment import HALT_S, Aligned, Sounded, TimeMap, Written, align

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
# Seconds in the take for which a bent note may be held longer than it is written.
_LONGER_S = 0.25
# Seconds in the take before and after the phrase in which a note still belongs to it.
_AROUND_S = 0.4
# Seconds at a bend's beginning and end that still belong to the notes around, frames that are smoothed over, cents
# under its highest that are its top, and seconds from which that top is a plateau.
_LEAD_IN_S, _LEAD_OUT_S, _SMOOTHED, _TOP_CENTS, _PLATEAU_S = 0.02, 0.03, 5, 30.0, 0.1
# Frames (80 ms) in which a string that rests moves by so few cents, and frames that it does so.
_RESTING, _RESTING_CENTS, _RESTS_FRAMES = 17, 6.0, 2
# Share of its highest from which it is near it.
_NEAR_THE_TOP = 0.6
# Cents from its goal at which a bend has arrived, and beyond which another string was followed.
_ARRIVED_CENTS, _BELIEVED_CENTS = 25.0, 75.0


@dataclass(frozen=True, slots=True)
class Verdict:
    """One written note beside what was played. late_ms: in the recording's time, below 0 early; bend_error_cents: above
    0 too wide; goal_late_ms: how much later than written its bend arrives; attack: as it was played; all None where it
    is not there, or is not bent."""

    note: Note
    there: bool
    late_ms: float | None = None
    bend_error_cents: float | None = None
    goal_late_ms: float | None = None
    vibrato_cents: float | None = None
    attack: Attack | None = None

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


def notes_to_play(project: Project, phrase: Phrase | None) -> tuple[Note, ...]:
    """The notes of a phrase, or of all. Raises ScoreError where there are none."""
    wanted = project.notes if phrase is None else project.notes_between(phrase.start, phrase.end)
    if not wanted:
        raise ScoreError("there are no notes to compare with in this stretch")
    return tuple(wanted)


def judge(project: Project, heard: Heard | None, *, phrase: Phrase | None = None, pace: float | None = None) -> Report:
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


def kept_of(report: Report, phrase: Phrase, *, when: datetime.datetime, sound: str = "") -> TakeKept | None:
    """What is kept of a take; None where it was no take of this phrase."""
    if not report.recognised or report.pace is None:
        return None
    late = [abs(v.late_ms) for v in report.verdicts if v.late_ms is not None]
    bends = tuple((v.note.id, v.bend_error_cents) for v in report.verdicts if v.bend_error_cents is not None)
    return TakeKept(
        f"{when:%Y-%m-%dT%H:%M}", phrase.id, round(100 * report.pace, 1), len(report.verdicts),
        tuple(n.id for n in report.missing), len(report.extra), _off(late, report),
        bends, sound,
    )  # fmt: skip


def _off(late: Sequence[float], report: Report) -> float:
    """How far a take was off in time; who stood still was not in time."""
    off = float(np.median(late)) if late else 0.0
    return round(max(off, 1000.0 * HALT_S) if report.halts else off, 1)


def _played(heard: Heard) -> list[HeardNote]:
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


def _aligned(project: Project, wanted: Sequence[Note], heard: Heard, pace: float | None) -> Aligned | None:
    offset = heard.offset.cents
    grounds = (offset - project.offset_cents + 50.0) % 100.0 - 50.0
    sounded = [Sounded(h.onset, _cents(h, offset), h.confidence) for h in _played(heard)]
    written = [_written(project, n) for n in _pitched(wanted)]
    return align(written, sounded, pace=pace, grounds=grounds)


def _likeness(found: Aligned | None, wanted: Sequence[Note], heard: Heard) -> float:
    """How like a take is to some notes: of both what is written and what was played meanwhile, the share that agrees
    (F1), 0 to 1."""
    pitched = _pitched(wanted)
    if found is None or len(found.pairs) < min(_FEWEST, len(pitched)):
        return 0.0
    low, high = found.times.take_s(pitched[0].onset) - _AROUND_S, found.times.take_s(pitched[-1].onset) + _AROUND_S
    meanwhile = sum(low <= h.onset <= high and h.confidence > _EXTRA for h in _played(heard))
    return 2 * len(found.pairs) / (len(pitched) + max(meanwhile, len(found.pairs)))


def _judged(project: Project, wanted: Sequence[Note], heard: Heard, found: Aligned) -> Report:
    played, pitched = _played(heard), _pitched(wanted)
    partner = {pitched[i].id: played[j] for i, j in found.pairs}
    used = {id(h) for h in partner.values()}
    rescued = _expected(project, pitched, heard, found, {i: h.onset for i, h in partner.items()})
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
            verdicts.append(Verdict(n, there=True))
            continue
        if onset is None or _level(heard.trace, onset) < least:
            verdicts.append(Verdict(n, there=False))
            continue
        late = 1000.0 * (found.times.recording_s(onset) - n.onset)
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


def _expected(
    project: Project, pitched: Sequence[Note], heard: Heard, found: Aligned, there: dict[str, float]
) -> dict[str, float]:
    """Onsets in the take of notes that the core was not sure of, by what was expected there: what it left out, or the
    contour on their pitch after another; NaN for those of which nobody can tell. there: onsets of those it heard."""
    out: dict[str, float] = {}
    moved = 100.0 * found.shift + found.offset_cents
    for k, n in enumerate(pitched):
        if n.id in there:
            continue
        w, expected = _written(project, n), found.times.take_s(n.onset)
        levels = {w.low + moved, w.high + moved, w.other + moved}
        near = [
            h.onset
            for h in heard.left
            if h.confidence >= _EXPECTED and abs(h.onset - expected) <= _EXPECTED_S
            and any(abs(_cents(h, heard.offset.cents) - at) <= _EXPECTED_CENTS for at in levels)
        ]  # fmt: skip
        if near:
            out[n.id] = min(near, key=lambda t: abs(t - expected))
            continue
        beside = [m.id for m in pitched if m is not n and struck_together(m.onset, n.onset) and m.id in there]
        if beside:
            # Of strings struck together one can hide the other, and nobody is blamed for what cannot be told.
            out[n.id] = there[beside[0]]
            continue
        if heard.delay is not None and n.attack in LEGATO and k and pitched[k - 1].id in {*there, *out}:
            # Repeats hide what the hand that frets does alone.
            out[n.id] = math.nan
            continue
        before = pitched[k - 1] if k else None
        until = min([found.times.take_s(n.end), *(found.times.take_s(m.onset) for m in pitched[k + 1 : k + 2])])
        onset = _on_the_contour(heard.trace, expected, until, (w.low + moved, w.high + moved))
        same = before is not None and abs(_written(project, before).low - w.low) < 1 and before.end > n.onset - 0.1
        if onset is not None and not same:
            out[n.id] = onset
    return out


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
    project: Project, pitched: Sequence[Note], heard: Heard, found: Aligned, h: HeardNote,
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
    for n in pitched:
        if not n.onset - 0.06 <= at <= n.end + 0.1:
            continue
        w = _written(project, n)
        if n.marks & MOVES_THE_PITCH or Mark.TREMOLO in n.marks:
            return False
        on_its_way = w.low - 80 <= cents <= w.high + 80
        if on_its_way and (n.bend is not None or h.confidence < _EXTRA_WITHIN or h.attack is not Attack.PICK):
            return False
    return True


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


def _in_a_chord(project: Project, pitched: Sequence[Note], h: HeardNote, times: TimeMap, cents: float) -> bool:
    """Whether it begins with a written note and may be no more than its overtone, or what distortion makes of two."""
    for n in pitched:
        if abs(times.take_s(n.onset) - h.onset) <= _AS_IT_ENDS_S:
            above = (cents - _written(project, n).low) / 100.0
            if h.evidence.other is not None or any(abs(above - up) < 0.6 for up in _OVERTONES):
                return True
    return False


def _is_echo(heard: Heard, h: HeardNote) -> bool:
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
    at = np.flatnonzero(known)
    line = median_filter(np.interp(np.arange(len(cents)), at, cents[at]), _SMOOTHED)
    return round(_top_of(line) - bend.target_cents, 1), _arrival(line, n, bend, stretch)


def _among_others(n: Note, pitched: Sequence[Note]) -> bool:
    """Whether another string sounds while a note is bent, which the contour may follow instead."""
    return any(m is not n and m.onset < n.end - 0.05 and m.end > n.onset + 0.05 for m in pitched)


def _beside(h: HeardNote, bend: Bend, error: float | None) -> float | None:
    """How far a bend went that the contour may not show: as its own string was followed, where it was; None where
    neither is believable."""
    followed = h.bend.peak_cents - bend.target_cents if h.bend is not None and h.bend.peak_cents is not None else None
    said = [e for e in (error, followed) if e is not None and abs(e) <= _BELIEVED_CENTS]
    return sorted((abs(e), round(e, 1)) for e in said)[0][1] if said else None


def _top_of(line: NDArray[np.float64]) -> float:
    """The level that a bend came to: where it first rests near its highest, as a vibrato after that goes below it; all
    of its top where it never rests, and the highest where that is but a moment."""
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    highest = float(np.percentile(line, 98))
    rests = maximum_filter1d(line, _RESTING) - minimum_filter1d(line, _RESTING) < _RESTING_CENTS
    resting = [
        r
        for r in runs(rests & (line >= max(highest - 2 * _TOP_CENTS, _NEAR_THE_TOP * highest)))
        if r[1] - r[0] >= _RESTS_FRAMES
    ]
    if resting:
        a, b = resting[0]
        return float(np.median(line[a:b]))
    top = line >= highest - _TOP_CENTS
    longest = max((b - a for a, b in runs(top)), default=0) * HOP
    return float(np.median(line[top])) if longest >= _PLATEAU_S else highest


def _arrival(line: NDArray[np.float64], n: Note, bend: Bend, stretch: float) -> float | None:
    if bend.starts_raised or (not bend.points and bend.rise is None):
        # Nobody said when it is to arrive.
        return None
    reached = np.flatnonzero(line >= bend.target_cents - _ARRIVED_CENTS)
    shape = bend.written_shape(n.duration)
    written = next((t for t, c in shape if c >= bend.target_cents - _ARRIVED_CENTS), None)
    if not len(reached) or written is None:
        return None
    played = (_LEAD_IN_S + int(reached[0]) * HOP) / stretch
    return round(1000.0 * (played - written), 1)


def _by_hand(attack: Attack) -> bool:
    return attack in (Attack.HAMMER, Attack.PULL)
