"""Puts the notes of the other strings beside those of the contour, and takes out what was only the contour changing over
from one ringing string to another."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.listen.contour import Trace
from notcher.listen.frames import Frames
from notcher.listen.notes import HeardNote
from notcher.listen.onsets import peaks
from notcher.listen.second import second_contour
from notcher.listen.shape import read_shape
from notcher.listen.spectrum import HOP, LOW_RATE
from notcher.listen.voices import AFTER_S, BEFORE_S, WINDOW, NewPitch, new_pitches
from notcher.score.note import Attack, Mark

_SAME_S = 0.04
_MOVING_CENTS = 45.0
_WIDEST = 16
# Chosen on the development phrases: how strong another string must be, alone and in a mix; and where the contour moves.
_STRENGTH_ALONE, _STRENGTH_MIXED, _STRENGTH_MOVING = 0.4, 0.55, 0.6
_UNSEEN_ALONE, _STRIKE_ALONE = 0.5, 0.35
_OVERRULES = 1.25
_SHARE = 0.5
_MOST_TOGETHER = 4
_RINGS_S = 2.5
_PARTIAL_STEPS = (0, 12, 19, 24)


@dataclass(frozen=True, slots=True)
class _Strike:
    """time in seconds; note: the contour's note that begins there, or None."""

    time: float
    note: HeardNote | None


def with_other_strings(frames: Frames, trace: Trace, notes: list[HeardNote], offset_cents: float) -> list[HeardNote]:
    """The contour's notes with those that other strings sounded beside them, in time order."""
    found: list[HeardNote] = []
    dropped: set[int] = set()
    for strike in _strikes(frames, notes):
        known, low, high = _contour_after(trace, strike.time, offset_cents)
        length = WINDOW / LOW_RATE
        new = new_pitches(
            frames.lead_between(strike.time - BEFORE_S - length, strike.time - BEFORE_S),
            frames.lead_between(strike.time + AFTER_S, strike.time + AFTER_S + length),
            offset_cents, known=known,
        )  # fmt: skip
        kept = _believed(new, strike, known, low, high, alone=frames.alone)
        if strike.note is not None and kept and kept[0].strength > _OVERRULES and high - low < _MOVING_CENTS / 100:
            dropped.add(id(strike.note))
        for other in kept:
            note = _note_of(frames, strike, other, known, offset_cents)
            if note is not None:
                found.append(note)
    own = [n for n in notes if id(n) not in dropped]
    return sorted(_without_changeovers(own, found), key=lambda n: (n.onset, -n.pitch))


def _strikes(frames: Frames, notes: list[HeardNote]) -> list[_Strike]:
    """Where a string was struck: the picked notes, and alone also strikes at which the contour did not change."""
    out = [_Strike(n.onset, n) for n in notes if n.attack in (Attack.PICK, Attack.RAKE) and Mark.DEAD not in n.marks]
    if frames.alone:
        for k in peaks(frames.flux, threshold=_STRIKE_ALONE):
            time = max(0.0, float(k) * HOP - 0.006)
            if all(abs(time - s.time) > _SAME_S for s in out):
                out.append(_Strike(time, None))
    return sorted(out, key=lambda s: s.time)


def _contour_after(trace: Trace, time: float, offset_cents: float) -> tuple[float | None, float, float]:
    """The contour's MIDI pitch shortly after a strike, and the lowest and highest it goes through meanwhile."""
    at = round(time / HOP)
    steady, way = trace.cents[at + 12 : at + 20], trace.cents[at + 3 : at + 21]
    steady, way = steady[np.isfinite(steady)], way[np.isfinite(way)]
    if not len(steady) or not len(way):
        return None, 0.0, 0.0
    middle, low, high = (
        (float(v) - offset_cents) / 100 for v in (np.median(steady), np.min(way), np.max(way))
    )
    return middle, low, high


def _believed(
    new: list[NewPitch], strike: _Strike, known: float | None, low: float, high: float, *, alone: bool
) -> list[NewPitch]:
    least = (_STRENGTH_ALONE if strike.note is not None else _UNSEEN_ALONE) if alone else _STRENGTH_MIXED
    moving = known is not None and high - low > _MOVING_CENTS / 100
    if moving:
        least = max(least, _STRENGTH_MOVING)
    out: list[NewPitch] = []
    for other in new:
        if other.strength < least or other.share < _SHARE or len(out) >= _MOST_TOGETHER - 1:
            break
        if known is not None:
            smeared = any(low - 1.2 <= other.pitch - up <= high + 1.2 for up in _PARTIAL_STEPS) if moving else False
            if smeared or abs(other.pitch - known) < 0.8 or abs(other.pitch - known) > _WIDEST:
                continue
        if all(abs(other.pitch - o.pitch) > 1 for o in out):
            out.append(other)
    return out


def _note_of(
    frames: Frames, strike: _Strike, other: NewPitch, known: float | None, offset_cents: float
) -> HeardNote | None:
    cents, lead_in = second_contour(frames, strike.time, other.pitch, known, offset_cents)
    if len(cents) * HOP < 0.05:
        return None
    shape = read_shape(cents, lead_in=lead_in)
    end = strike.time + lead_in + len(cents) * HOP
    evidence = (
        ("second_string", 1.0), ("strength", round(other.strength, 2)), ("partials_there", round(other.share, 2)),
        ("flux", 0.0), ("dip_db", 0.0), ("jump_cents", 0.0), ("base_error_cents", round(shape.base_error, 1)),
    )  # fmt: skip
    return HeardNote(
        round(strike.time, 4), round(end, 4), shape.pitch, Attack.PICK, shape.bend, shape.vibrato, frozenset(),
        round(float(np.clip(other.strength, 0.2, 0.9)), 2), evidence,
    )  # fmt: skip


def _without_changeovers(own: list[HeardNote], others: list[HeardNote]) -> list[HeardNote]:
    """Drops the contour's unstruck notes on a pitch that another string is sounding already."""
    kept: list[HeardNote] = []
    for n in own:
        measured = dict(n.evidence)
        unstruck = measured.get("flux", 0.0) < 0.3
        sounding = [
            m for m in [*kept, *others]
            if m.onset < n.onset - 0.02 and n.onset < m.end + 0.12 and n.onset - m.onset < _RINGS_S and m.pitch == n.pitch
        ]  # fmt: skip
        if unstruck and n.attack is not Attack.SLIDE and any(m in others for m in sounding):
            continue
        previous = kept[-1] if kept else None
        if unstruck and previous is not None and sounding and n.pitch == previous.pitch:
            kept[-1] = replace(previous, end=max(previous.end, n.end))
            continue
        if any(abs(m.onset - n.onset) < _SAME_S and m.pitch == n.pitch for m in others):
            others = [m for m in others if not (abs(m.onset - n.onset) < _SAME_S and m.pitch == n.pitch)]
        kept.append(n)
    return [*kept, *others]
