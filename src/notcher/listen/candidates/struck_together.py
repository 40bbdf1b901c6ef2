"""Puts the notes of the other strings beside those of the contour, and takes out what was only the contour changing
over from one ringing string to another.

What is struck together is judged strike by strike: the contour's note that begins there, the pitches that the contour
visits with no further strike, and the pitches that the spectrum says began there too.
"""

from dataclasses import dataclass, field, replace

import numpy as np

from notcher.listen.candidates.heard_note import FOLLOWS_ON_S, HeardNote
from notcher.listen.candidates.second_string import second_contour
from notcher.listen.candidates.shape import read_shape
from notcher.listen.candidates.voices import (
    AFTER_S,
    BEFORE_S,
    WINDOW,
    NewPitch,
    StrikeSpectra,
    new_pitches,
)
from notcher.listen.frames.bands import STEP
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.ear import LEAD_IN_S, begins_beside, begun_near, followed, most_near
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.onsets import peaks
from notcher.listen.frames.spectrum import HOP, LOW_RATE
from notcher.models.classifier import classifier
from notcher.score.measured import Measured, SecondString
from notcher.score.note import LEGATO, Attack, Bend, BendKind, Mark

# Seconds within which two strikes are one.
_SAME_S = 0.04
# Cents a contour moves after a strike from which other pitches may be its smear.
_MOVING_CENTS = 45.0
# Semitones between strings struck together in a lead (common practice, no source).
_WIDEST = 16
# Flux from which a strike is looked at though the contour did not change.
_UNSEEN_STRIKE = 0.22
# Strings sound together in one lick and one at a time in another: what is clear near by helps to decide what is not.
_NEAR_S, _CLEAR, _OFTEN = 6.0, 0.4, 0.2
_AMONG_OTHERS, _BY_ITSELF = 0.2, 0.6
# Strength against the contour's note from which another takes its place.
_OVERRULES = 1.25
# Pitches tried at a strike; three strings beside the contour's are the most a lead strikes.
_LOOKED_AT = 5
_MOST_TOGETHER = 4
# Seconds a strike's strings ring, within which a contour that comes back was only elsewhere.
_RINGS_S = 2.5
# Semitones from a pitch to its partials.
_PARTIAL_STEPS = (0, 12, 19, 24)
# Cents of a leap no fretting hand makes, and flux under which nobody struck.
_VISITED_FROM_CENTS, _UNSTRUCK = 340.0, 0.3
# Growth at a strike, as a share of the spectrum's, from which a pitch is new, or struck again.
_NEW, _RESTRUCK = 0.2, 0.12
# Seconds that a contour lay on a wrong pitch at most.
_MISLED_S = 0.1
# A contour this high is more often a partial of two strings together than a note (MIDI).
_SELDOM_ABOVE, _MISREAD = 79.5, 1.15
# Likelihood under which the ear hears no string on the contour's pitch; seconds of the shortest note.
_NO_STRING, _SHORTEST_S = 0.2, 0.05
# How surely a string must be heard to be followed on its partials, which takes its time.
_FOLLOWED_FINELY = 0.3
# Semitones between a pitch and its partials that a contour is misled by.
_PARTIALS_AWAY = (12, 19, 24, 28, 31, 34, 36)


@dataclass(frozen=True, slots=True)
class _Candidate:
    """A pitch that may have begun, and how likely it did, 0 to 1."""

    new: NewPitch
    likely: float


@dataclass(slots=True)
class _Strike:
    """time in seconds; note: the contour's note that begins there, or None; visited: those it changes over to.

    until: when the next one comes. Filled in by _looked_at: the spectra, the contour's pitch after it (MIDI, offset
    taken out, or None), whether that moves, whether it followed a partial instead of a note, and what may have begun
    besides.
    """

    time: float
    note: HeardNote | None
    visited: list[HeardNote] = field(default_factory=list)
    spectra: StrikeSpectra | None = None
    known: float | None = None
    until: float = float("inf")
    moving: bool = False
    misread: bool = False
    candidates: list[_Candidate] = field(default_factory=list)


def with_other_strings(frames: Frames, trace: Trace, notes: list[HeardNote], offset_cents: float) -> list[HeardNote]:
    """The contour's notes with those that other strings sounded beside them, in time order."""
    strikes = [_looked_at(frames, trace, s, offset_cents) for s in _strikes(frames, notes)]
    clear = np.array([s.time for s in strikes if any(c.likely > _CLEAR for c in s.candidates)])
    times = np.array([s.time for s in strikes])
    kept: list[HeardNote] = []
    for strike, following in zip(strikes, [*strikes[1:], None], strict=True):
        strike.until = following.time if following is not None else float("inf")
        near = np.abs(times - strike.time) < _NEAR_S
        others = float(np.sum((np.abs(clear - strike.time) < _NEAR_S) & (np.abs(clear - strike.time) > 0.02)))
        least = _AMONG_OTHERS if others >= _OFTEN * max(1, int(near.sum()) - 1) and others else _BY_ITSELF
        _judge(frames, strike, [c for c in strike.candidates if c.likely > least], kept, offset_cents)
    return sorted(kept, key=lambda n: (n.onset, -n.pitch))


def _strikes(frames: Frames, notes: list[HeardNote]) -> list[_Strike]:
    """All strikes in time order: the contour's own notes each with what it changes over to, and alone also strikes at
    which the contour did not change."""
    out: list[_Strike] = []
    for n in notes:
        measured = n.evidence
        before = out[-1] if out else None
        unstruck = measured.flux < _UNSTRUCK and n.attack is not Attack.SLIDE
        if before is not None and before.note is not None and unstruck:
            end = max(m.end for m in (before.note, *before.visited))
            again = any(m.pitch == n.pitch for m in (before.note, *before.visited))
            leaps = abs(measured.jump_cents) > _VISITED_FROM_CENTS or (again and before.visited)
            if leaps and n.onset - end < FOLLOWS_ON_S and n.onset - before.time < _RINGS_S:
                before.visited.append(n)
                continue
        out.append(_Strike(n.onset, n))
    if frames.alone:
        own = [s.time for s in out]
        for k in peaks(frames.flux, threshold=_UNSEEN_STRIKE):
            time = max(0.0, float(k) * HOP - 0.006)
            # What is heard after it must not be the next note already.
            if not any(-_SAME_S < t - time < AFTER_S + WINDOW / LOW_RATE for t in own):
                out.append(_Strike(time, None))
    return sorted(out, key=lambda s: s.time)


def _looked_at(frames: Frames, trace: Trace, strike: _Strike, offset_cents: float) -> _Strike:
    """The strike with what the spectrum says of it; not looked at where a slide or a dead stroke began it."""
    note = strike.note
    if note is not None and (note.attack in (Attack.SLIDE, Attack.TAP) or Mark.DEAD in note.marks):
        return strike
    length = WINDOW / LOW_RATE
    strike.spectra = StrikeSpectra.at(
        frames.lead_between(strike.time - BEFORE_S - length, strike.time - BEFORE_S),
        frames.lead_between(strike.time + AFTER_S, strike.time + AFTER_S + length),
        offset_cents,
    )
    strike.known, low, high = _contour_after(trace, strike.time, offset_cents)
    strike.moving = strike.known is not None and high - low > _MOVING_CENTS / 100
    if strike.known is not None and strike.known > _SELDOM_ABOVE:
        best = new_pitches(strike.spectra, most=1)[0]
        lower = best.pitch < strike.known - 6
        if lower and strike.spectra.level(best.pitch) > _MISREAD * strike.spectra.level(strike.known):
            strike.misread, strike.known, strike.moving = True, None, False
    if strike.known is not None and not begins_beside(frames.ear, strike.time, strike.known + offset_cents / 100):
        return strike
    for new in new_pitches(strike.spectra, known=strike.known, most=_LOOKED_AT):
        if strike.known is not None:
            away = abs(new.pitch - strike.known)
            smeared = strike.moving and any(low - 1.2 <= new.pitch - up <= high + 1.2 for up in _PARTIAL_STEPS)
            if away < 0.8 or away > _WIDEST or smeared:
                continue
        if all(abs(new.pitch - c.new.pitch) > 1 for c in strike.candidates):
            features = _features(new, strike, frames, offset_cents)
            likely = classifier("string").chance(features, time=strike.time, pitch=new.pitch)
            strike.candidates.append(_Candidate(new, likely))
    return strike


def _features(new: NewPitch, strike: _Strike, frames: Frames, offset_cents: float) -> dict[str, float]:
    midi = new.pitch + offset_cents / 100
    interval = new.pitch - strike.known if strike.known is not None else 0.0
    struck, fingered, anywhere = begun_near(frames.ear, strike.time, midi)
    return {
        "strength": min(new.strength, 2.0), "moving": float(strike.moving),
        "note there": float(strike.note is not None),
        "legato there": float(strike.note is not None and strike.note.attack in LEGATO), "share": new.share,
        "growth": new.growth, "fundamental": new.fundamental,
        "octaves away": float(strike.known is not None and round(interval) % 12 == 0), "interval": interval,
        "rank": float(new.rank), "level": min(new.level, 3.0), "pitch": float(new.pitch), "alone": float(frames.alone),
        "struck": struck, "fingered": fingered, "struck anywhere": anywhere,
        "sounds at once": most_near(frames.ear.sounds, strike.time + 0.06, midi),
    }  # fmt: skip


def _judge(
    frames: Frames, strike: _Strike, candidates: list[_Candidate], kept: list[HeardNote], offset_cents: float
) -> None:
    """Decides what began at a strike and adds it to the notes kept so far."""
    note, spectra = strike.note, strike.spectra
    if spectra is None:
        kept += [n for n in (note, *strike.visited) if n is not None]
        return
    believed = [c.new for c in candidates][: _MOST_TOGETHER - 1]
    if note is not None:
        note = _own_note(note, strike, spectra, believed, kept, steady=not strike.moving)
    believed = _keep_visited(strike, spectra, note, believed, kept)
    if note is not None:
        kept.append(note)
    for other in believed:
        found = string_beside(
            frames, strike.time, other.pitch, strike.known, offset_cents, until=strike.until,
            heard=SecondString(round(other.strength, 2), round(other.share, 2)),
        )  # fmt: skip
        if found is not None and not any(
            abs(m.onset - found.onset) < _SAME_S and m.pitch == found.pitch for m in kept[-5:]
        ):
            kept.append(found)


def _keep_visited(
    strike: _Strike, spectra: StrikeSpectra, note: HeardNote | None, believed: list[NewPitch], kept: list[HeardNote]
) -> list[NewPitch]:
    """Keeps those of the notes the contour went to after a strike that are notes; what is still believed beside them.

    One that is a partial of what began, or rings on from before, is none; one that is new in the spectrum began with
    the strike.
    """
    own = [note.pitch] if note is not None else []
    for visited in strike.visited:
        begun = [*own, *(b.pitch for b in believed)]
        partial = any(abs(visited.pitch - p) in _PARTIALS_AWAY for p in begun)
        rings_on = any(m.pitch == visited.pitch and visited.onset < m.end + 0.2 for m in kept[-6:])
        if partial or visited.pitch in begun or rings_on:
            continue
        there = spectra.level(visited.pitch) > 0.3 * spectra.level(strike.known or visited.pitch)
        if spectra.growth(visited.pitch) > _NEW and there:
            believed = _without(believed, visited.pitch)
            kept.append(replace(visited, onset=round(strike.time, 4), attack=Attack.PICK))
        elif visited.end - visited.onset > 0.08:
            kept.append(visited)
    return believed


def _without(believed: list[NewPitch], pitch: int) -> list[NewPitch]:
    return [b for b in believed if abs(b.pitch - pitch) > 1]


def _own_note(
    note: HeardNote,
    strike: _Strike,
    spectra: StrikeSpectra,
    believed: list[NewPitch],
    kept: list[HeardNote],
    *,
    steady: bool,
) -> HeardNote | None:
    """The contour's own note at a strike, or None where it only rang on, or was misread for a moment."""
    if strike.misread and believed:
        return None
    if believed and believed[0].strength > _OVERRULES and steady:
        return None
    previous = next(
        (k for k, m in enumerate(reversed(kept)) if m.pitch == note.pitch and m.end > note.onset - 0.05), None
    )
    rang_on = previous is not None and abs(note.evidence.jump_cents) < 60 and spectra.growth(note.pitch) < _RESTRUCK
    if rang_on and believed and previous is not None:
        at = len(kept) - 1 - previous
        kept[at] = replace(kept[at], end=max(kept[at].end, note.end))
        return None
    end = max(m.end for m in (note, *strike.visited))
    if strike.visited and note.end - note.onset < _MISLED_S and note.bend is None:
        longest = max(strike.visited, key=lambda m: m.end - m.onset)
        if spectra.level(longest.pitch) > 1.3 * spectra.level(note.pitch):
            strike.visited.remove(longest)
            return replace(longest, onset=note.onset, attack=Attack.PICK, end=end, evidence=note.evidence)
    same = any(m.pitch == note.pitch or abs(m.pitch - note.pitch) in _PARTIALS_AWAY for m in strike.visited)
    return replace(note, end=end) if same else note


def _contour_after(trace: Trace, time: float, offset_cents: float) -> tuple[float | None, float, float]:
    """The contour's MIDI pitch shortly after a strike, and the lowest and highest it goes through meanwhile."""
    at = round(time / HOP)
    steady, way = trace.cents[at + 12 : at + 20], trace.cents[at + 3 : at + 21]
    steady, way = steady[np.isfinite(steady)], way[np.isfinite(way)]
    if not len(steady) or not len(way):
        return None, 0.0, 0.0
    middle, low, high = ((float(v) - offset_cents) / 100 for v in (np.median(steady), np.min(way), np.max(way)))
    return middle, low, high


def string_beside(
    frames: Frames, time: float, pitch: int, known: float | None, offset_cents: float, *, until: float,
    heard: SecondString,
) -> HeardNote | None:  # fmt: skip
    """A note on a string that began beside the contour's; None where it cannot be followed. time: of its strike, until:
    of the next one, in seconds; known: MIDI pitch of the contour there; heard: how it was found."""
    midi = pitch + offset_cents / 100
    heard_on = followed(frames.ear, time, midi, _RINGS_S)
    # Where the ear hears nothing of the contour's pitch, that is no string whose partials would have to be left out.
    if known is not None and most_near(frames.ear.sounds, time + 0.06, known + offset_cents / 100) < _NO_STRING:
        known = None
    cents, lead_in = np.zeros(0), LEAD_IN_S
    if heard.strength >= _FOLLOWED_FINELY:
        longest = len(heard_on) * STEP
        cents, lead_in = second_contour(frames, time, pitch, known, offset_cents, longest)
    by_ear = len(cents) * HOP < _SHORTEST_S
    if by_ear:
        # All its partials lie on another string's: what is left is where the ear heard it.
        at = np.arange(0.0, len(heard_on) * STEP - 1e-9, HOP)
        cents = np.interp(at, np.arange(len(heard_on)) * STEP, heard_on * 100 - offset_cents) if len(at) else at
        lead_in = LEAD_IN_S
    if len(cents) * HOP < _SHORTEST_S:
        return None
    # What comes after the next strike may be another string that took over.
    alone = max(6, int((until - time - lead_in) / HOP)) if np.isfinite(until) else len(cents)
    shape = read_shape(cents[:alone], lead_in=lead_in)
    end = time + lead_in + len(cents) * HOP
    bend: Bend | None = shape.bend
    # A contour read beside a louder one goes astray more easily than a string is bent.
    if bend is not None and (
        abs(shape.pitch - pitch) > int(by_ear)
        or bend.starts_raised
        or bend.kind is BendKind.CURL
        or bend.target_cents < 100
    ):
        bend = None
    return HeardNote(
        round(time, 4), round(end, 4), shape.pitch if bend is not None else pitch, Attack.PICK, bend, None, frozenset(),
        round(float(np.clip(heard.strength, 0.2, 0.9)), 2),
        Measured(base_error_cents=round(shape.base_error, 1), other=heard),
    )  # fmt: skip
