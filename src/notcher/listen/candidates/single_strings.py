"""From segments to heard notes: pitch, bend, vibrato, attack, confidence."""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import FOLLOWS_ON_S, HeardNote
from notcher.listen.candidates.segments import Segment
from notcher.listen.candidates.shape import Shape, read_shape
from notcher.listen.candidates.tuning_offset import Offset, tuning_offset
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import Ear, begun_near
from notcher.listen.frames.spectrum import HOP
from notcher.models.classifier import classifier
from notcher.score.measured import Measured, Weighed
from notcher.score.note import Attack, Bend, Mark

# Chosen on the demo and on phrases of another seed than those that are reported on.
# dB before a strike, and flux, under which it was not picked.
_DIP_DB, _LOUD_STRIKE = 9.0, 2.2
LEGATO_FROM = 0.5
"""Likelihood from which the fretting hand began a note."""
# Things that are told of what a decision weighed.
_TOLD = 3
# Cents: one hand's hammers and pulls reach five frets at most (common practice, no source); how wide a leap is says
# nothing else of whether it was picked, so that the forest sees no more of it than this.
_LEGATO_CENTS, _WIDE_CENTS = 540.0, 150.0
# Frets a tap is left by, semitones it leaps up by, and seconds within which a tapped passage goes on.
_TAP_FRETS, _TAP_LEAP, _TAPS_S = 4, 3, 1.6
# Frames that a note has at least before a slide away from it, and by which the slide may have begun sooner.
_RESTS, _SLIDE_EDGE = 12, 2
# Cents that a slide may go beyond its ends.
_BEYOND_CENTS = 80.0
# Picks of which fewer say nothing of the others.
_FEW_PICKS = 4
# Frames before and after a leap in which its pitch may be seen on its way, cents from which there is one, and frames
# that say that a finger slid.
_BEFORE_LEAP, _AFTER_LEAP, _HALF_WAY, _ON_ITS_WAY = 44, 8, 60.0, 4
# Frames, cents: a pushed string struck again stays where it was, clearly above its fret and off the others.
_STILL_UP, _CLEARLY_UP, _OFF_FRET, _SAME_LEVEL = 8, 30.0, 24.0, 32.0
# Seconds a string takes to be pushed (common practice, no source), and confidence from which one believes it.
_SHORTEST_BEND_S, _SURE_OF_A_BEND = 0.14, 0.45
# Seconds a bar takes down and back (common practice, no source).
_SHORTEST_BAR_S = 0.3


@dataclass(frozen=True, slots=True)
class _Picks:
    """What is usual of a recording's picks, which every guitar, hand and room has otherwise: flux, dip in dB, and how
    likely the ear takes one for struck."""

    flux: float = 1.0
    dip: float = 4.0
    struck: float = 0.6


def offset_of(trace: Trace, segments: list[Segment]) -> Offset:
    """The recording's tuning offset from the steady parts of its segments."""
    levels, weights = [], []
    for s in segments:
        y = trace.cents[s.start + 4 : s.end - 2]
        for at in range(0, len(y) - 10, 10):
            piece = y[at : at + 10]
            if np.ptp(piece) < 12:
                levels.append(float(np.median(piece)))
                weights.append(float(np.mean(trace.confidence[s.start : s.end])))
    return tuning_offset(np.array(levels), np.array(weights))


def read_notes(
    trace: Trace, segments: list[Segment], energy: NDArray[np.float64], ear: Ear, offset: Offset, *, alone: bool
) -> list[HeardNote]:
    """Turn segments into notes, in time order. energy: of the lead in dB, shape (n_frames,); ear: what it heard."""
    segments, marks = _slides_from_and_to_nowhere(trace, segments)
    shapes = _shapes(trace, segments, offset)
    picks = _usual_picks(trace, segments, ear)
    notes: list[HeardNote] = []
    for i, (s, shape) in enumerate(zip(segments, shapes, strict=True)):
        following = segments[i + 1] if i + 1 < len(segments) else None
        touching = following is not None and following.start == s.end
        end = following.onset if touching and following else s.end * HOP
        joined = i > 0 and segments[i - 1].end == s.start
        attack, legato, reached = _attack(
            s, shape, segments[i - 1] if joined else None, shapes[i - 1] if joined else None, trace, energy,
            ear, picks, alone=alone,
        )  # fmt: skip
        sure = float(np.mean(trace.confidence[s.start : s.end]))
        sure *= min(1.0, 0.6 + (s.end - s.start) * HOP / 0.25) * (1.0 - min(abs(shape.base_error), 50.0) / 125.0)
        evidence = Measured(
            flux=round(s.flux, 2), dip_db=round(s.dip, 1), jump_cents=round(s.jump_cents, 1), glide_s=round(s.glide, 3),
            base_error_cents=round(shape.base_error, 1), legato=legato, reached=reached,
        )  # fmt: skip
        found = marks.get(s.start, frozenset()) | _marks_of(shape, end - s.onset, sure)
        # Too short for a string to be pushed, or too uncertain to say so.
        bent = shape.bend if end - s.onset >= _SHORTEST_BEND_S and sure >= _SURE_OF_A_BEND else None
        if end - s.onset >= 0.02:
            notes.append(
                HeardNote(
                    round(s.onset, 4), round(end, 4), shape.pitch, attack, _fitted(bent, end - s.onset),
                    shape.vibrato, found, round(min(1.0, max(0.05, sure)), 2), evidence,
                )
            )  # fmt: skip
    return notes


def _marks_of(shape: Shape, lasts: float, sure: float) -> frozenset[Mark]:
    """What a segment says besides its pitch: what the bar did. lasts: its seconds as a note."""
    by_the_bar = shape.by_the_bar is not None and sure >= _SURE_OF_A_BEND and lasts >= _SHORTEST_BAR_S
    return frozenset({shape.by_the_bar}) if by_the_bar and shape.by_the_bar else frozenset()


def _shapes(trace: Trace, segments: list[Segment], offset: Offset) -> list[Shape]:
    """What is in each segment; a string still pushed from the note before keeps that note's fret."""
    shapes: list[Shape] = []
    for i, s in enumerate(segments):
        end = _before_slide(trace, s, segments[i + 1] if i + 1 < len(segments) else None)
        y, lead_in = trace.cents[s.start : end] - offset.cents, max(0.0, s.start * HOP - s.onset)
        shape = read_shape(y, lead_in=lead_in)
        if i and s.cause != "slide" and s.start - segments[i - 1].end <= _STILL_UP and len(y) >= 12:
            before, past = shapes[-1], trace.cents[segments[i - 1].start : segments[i - 1].end] - offset.cents
            left, began = float(np.median(past[-8:-1])), float(np.median(y[3:10]))
            up = before.bend is not None and not before.bend.released and left - 100 * before.pitch > _CLEARLY_UP
            between_frets = abs(began - 100 * round(began / 100)) > _OFF_FRET or float(np.ptp(y[3:-3])) > _CLEARLY_UP
            if up and abs(began - left) < _SAME_LEVEL and between_frets and shape.pitch != before.pitch:
                shape = read_shape(y, lead_in=lead_in, fretted=before.pitch)
        shapes.append(shape)
    return shapes


def _before_slide(trace: Trace, s: Segment, following: Segment | None) -> int:
    """The frame up to which a segment rests on its fret: its finger slides to the next one's before that begins."""
    if following is None or following.start > s.end or following.cause != "slide":
        return s.end
    rests = max(min(s.end, s.start + _RESTS), s.end - round(following.glide / HOP) - _SLIDE_EDGE)
    # A slide goes from the one to the other; a bar that is pushed down goes another way.
    way = trace.cents[rests : s.end] - float(np.median(trace.cents[s.start : rests]))
    far = following.jump_cents
    beyond = _BEYOND_CENTS + abs(min(0.0, far)), _BEYOND_CENTS + abs(max(0.0, far))
    return rests if np.all((way > -beyond[0]) & (way < beyond[1])) else s.end


def _fitted(bend: Bend | None, duration: float) -> Bend | None:
    return replace(bend, points=tuple(p for p in bend.points if p[0] <= duration + 1e-6)) if bend else None


def _attack(
    s: Segment, shape: Shape, before: Segment | None, previous: Shape | None, trace: Trace, energy: NDArray[np.float64],
    ear: Ear, picks: _Picks, *, alone: bool,
) -> tuple[Attack, float | None, tuple[Weighed, ...]]:  # fmt: skip
    """How the segment was reached, but for taps, how likely the fretting hand did it where that was asked, and what
    decided. A picked string is stopped for a moment; a finger that does not slide seldom spans more than five frets
    (common practice, no source)."""
    if s.cause not in ("jump", "slide") or previous is None or before is None:
        return Attack.PICK, None, ()
    step = shape.pitch - previous.pitch
    way = _way(trace, s)
    slid = s.cause == "slide" or (abs(s.jump_cents) > _LEGATO_CENTS and way >= _ON_ITS_WAY)
    if step == 0 or (abs(s.jump_cents) > _LEGATO_CENTS and not slid):
        return Attack.PICK, None, ()
    leap = _leap(s, before, trace, energy, ear, picks, way, alone=alone)
    legato = classifier("legato").chance(leap, time=s.onset, pitch=shape.pitch)
    by_hand = legato >= LEGATO_FROM
    why = classifier("legato").because(leap, yes=by_hand, most=_TOLD)
    attack = Attack.SLIDE if slid else Attack.HAMMER if step > 0 else Attack.PULL
    if not by_hand:
        attack = Attack.PICK
    return attack, round(legato, 3), why


def _leap(
    s: Segment,
    before: Segment,
    trace: Trace,
    energy: NDArray[np.float64],
    ear: Ear,
    picks: _Picks,
    way: int,
    *,
    alone: bool,
) -> dict[str, float]:
    """What is measured of a leap or slide, for telling the fretting hand from a pick. way: as _way says."""
    q = min(round(s.onset / HOP), len(energy) - 1)
    early, late = energy[max(0, q - 14) : max(1, q - 4)], energy[q + 3 : q + 11]
    rise = float(np.median(late) - np.median(early)) if len(late) else 0.0
    grown = float(np.max(trace.level[q + 1 : q + 9], initial=-120.0) - np.min(trace.level[max(0, q - 6) : q + 1]))
    usual = float(np.median(energy[max(0, q - 16) : max(1, q - 6)]))
    below = float(np.sum(energy[max(0, q - 10) : q + 8] < usual - 1.5))
    struck, fingered, anywhere = _begun(trace, s, ear)
    return {
        "flux": s.flux, "dip": s.dip, "jump": min(abs(s.jump_cents), _WIDE_CENTS),
        "up or down": float(np.sign(s.jump_cents)), "rise": rise, "grown": grown, "below": below,
        "since": min(s.onset - before.onset, 1.0), "seconds": min((s.end - s.start) * HOP, 1.0), "alone": float(alone),
        "struck": struck, "fingered": fingered, "struck anywhere": anywhere, "dip against picks": s.dip - picks.dip,
        "flux against picks": s.flux / picks.flux, "struck against picks": struck - picks.struck, "glide": s.glide,
        "way": float(way),
    }  # fmt: skip


def _way(trace: Trace, s: Segment) -> int:
    """How many frames the pitch is seen on its way from the note before: hardly any where a finger is put down."""
    cents = trace.cents[max(0, s.start - _BEFORE_LEAP) : s.start + _AFTER_LEAP]
    cents = cents[np.isfinite(cents)]
    if len(cents) < _AFTER_LEAP:
        return 0
    start, end = float(np.median(cents[:4])), float(np.median(cents[-4:]))
    if abs(end - start) < _HALF_WAY:
        return 0
    share = (cents - start) / (end - start)
    return int(np.sum((share > 0.12) & (share < 0.88)))


def _begun(trace: Trace, s: Segment, ear: Ear) -> tuple[float, float, float]:
    return begun_near(ear, s.onset, float(np.median(trace.cents[s.start : s.end][:20])) / 100)


def _usual_picks(trace: Trace, segments: list[Segment], ear: Ear) -> _Picks:
    """What is usual of those that are picks for sure: out of silence, again on the same pitch, or far away."""
    sure = [
        s for s in segments
        if s.flux > 0 and (s.cause in ("rest", "strike") or (s.cause == "jump" and abs(s.jump_cents) > _LEGATO_CENTS))
    ]  # fmt: skip
    while_sounding = [s.dip for s in sure if s.cause != "rest"]
    if len(sure) < _FEW_PICKS:
        return _Picks()
    dip = float(np.median(while_sounding)) if len(while_sounding) >= _FEW_PICKS else _Picks().dip
    return _Picks(max(0.1, float(np.median([s.flux for s in sure]))), dip,
                  float(np.median([_begun(trace, s, ear)[0] for s in sure])))  # fmt: skip


def _unpicked(flux: float, dip: float) -> bool:
    """Whether a leap too wide for one hand's legato was left unpicked, as a tapped note is."""
    return dip < _DIP_DB and flux < _LOUD_STRIKE


def with_taps(notes: list[HeardNote]) -> list[HeardNote]:
    """A short note a leap above its neighbours, left with no pick, was most likely tapped (common practice, no
    source)."""
    out = list(notes)
    for i, (a, b) in enumerate(itertools.pairwise(notes)):
        if b.onset - a.onset < 0.02:
            continue
        measured = b.evidence
        before = notes[i - 1] if i else None
        leapt = before is None or a.onset - before.end > FOLLOWS_ON_S or a.pitch - before.pitch >= _TAP_LEAP
        left = b.onset - a.end < FOLLOWS_ON_S and measured.jump_cents <= -100 * (_TAP_FRETS - 0.5)
        if leapt and left and a.end - a.onset < 0.3 and not a.bend and _unpicked(measured.flux, measured.dip_db):
            out[i], out[i + 1] = replace(a, attack=Attack.TAP), replace(out[i + 1], attack=Attack.PULL)
    for i, a in enumerate(out):
        # The last of a tapped passage is held: the same pitch as the taps before it, reached by the same leap.
        recent = out[max(0, i - 8) : i]
        again = any(b.attack is Attack.TAP and b.pitch == a.pitch and a.onset - b.onset < _TAPS_S for b in recent)
        leap = i and a.pitch - out[i - 1].pitch >= _TAP_LEAP and a.onset - out[i - 1].end < FOLLOWS_ON_S
        if again and leap and not a.bend:
            out[i] = replace(a, attack=Attack.TAP)
    return out


def _slides_from_and_to_nowhere(
    trace: Trace, segments: list[Segment]
) -> tuple[list[Segment], dict[int, frozenset[Mark]]]:
    """Ends the notes that are slid off where the slide begins.

    Returns the segments, and the marks by a segment's first frame.
    """
    out: list[Segment] = []
    marks: dict[int, frozenset[Mark]] = {}
    i = 0
    while i < len(segments):
        s = segments[i]
        found = {Mark.SLIDE_IN} if s.slid_in else set()
        end, j = s.end, i + 1
        while j < len(segments) and segments[j].start == end and _falls_away(segments[j]):
            end, j = segments[j].end, j + 1
        to_rest = j > i + 1 and (j == len(segments) or segments[j].start > end or segments[j].flux > 0)
        if to_rest and s.end - s.start >= 16:
            found.add(Mark.SLIDE_OFF)
            # The first frets of the slide are still in it.
            y = trace.cents[s.start : s.end]
            s = replace(s, end=s.start + int(np.flatnonzero(np.abs(y - np.median(y)) < 60)[-1]) + 1)
            i = j
        else:
            last = i + 1 >= len(segments) or segments[i + 1].start > s.end
            cut = _falls_at_end(trace, s) if last else None
            if cut:
                found.add(Mark.SLIDE_OFF)
                s = replace(s, end=cut)
            i += 1
        marks[s.start] = frozenset(found)
        out.append(s)
    return out, marks


def _falls_at_end(trace: Trace, s: Segment) -> int | None:
    """The frame from which the note is slid off into silence, faster and further than a release, or None."""
    y = trace.cents[s.start : s.end]
    level = float(np.median(y))
    steady = np.flatnonzero(np.abs(y - level) < 60)
    tail = y[steady[-1] + 1 :] if len(steady) else y[:0]
    if not 8 <= len(tail) <= 70 or level - float(np.min(tail[-4:])) < 250 or np.any(np.diff(tail) > 60):
        return None
    speed = (level - float(np.min(tail))) / (len(tail) * HOP * 1000)
    return s.start + int(steady[-1]) + 1 if speed > 2.2 and steady[-1] >= 12 else None


def _falls_away(s: Segment) -> bool:
    return s.cause == "slide" and s.jump_cents < -60 and s.flux < 0.5 and s.end - s.start <= 24
