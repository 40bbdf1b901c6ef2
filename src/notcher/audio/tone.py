"""Notcher's own plucked-string tone, for hearing the written tab beside the recording.

A sum of partials with the amplitudes of a string plucked at a fifth of its length and decays that grow with the
partial: a_k proportional to sin(k pi p) / k^2 (Fletcher and Rossing, The Physics of Musical Instruments, ch. 2),
softened to k^1.3 for a driven guitar. Bends, vibrato and slides move the phase, so they sound as written.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.score.note import Attack, BendKind, Mark, Note
from notcher.score.pitch import harmonic_rise, midi_to_hz
from notcher.score.project import Project

_PARTIALS = 14
_PLUCK = 0.2
# Seconds that a slide takes, and between two notes that are still joined by one.
_GLIDE, _JOINED_S = 0.07, 0.06
_TRILL_S, _RING_S, _RAKE_S = 0.07, 0.8, 0.06
# Strings a rake crosses where nobody said how many; how much louder an accent is.
_RAKED, _ACCENT = 3, 1.5
_DIP_S, _SCOOP_S, _SWELL_S, _TREMOLO_S = 0.09, 0.09, 0.35, 0.09


def cents_of(note: Note, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cents above the fretted pitch at t seconds from the onset (shape (n,)): the bend as measured or written,
    and the vibrato where the bend's own points do not hold it already."""
    cents = np.zeros_like(t)
    if note.bend:
        shape = note.bend.written_shape(note.duration)
        cents = np.interp(t, [p[0] for p in shape], [p[1] for p in shape])
    if note.vibrato and not (note.bend and note.bend.points):
        since = np.clip(t - note.vibrato.start, 0.0, None)
        ramp = np.clip(since / 0.12, 0.0, 1.0)
        cents = cents + note.vibrato.extent_cents * ramp * (1 - np.cos(2 * np.pi * note.vibrato.rate_hz * since))
    return cents + _by_the_bar(note, t) + _from_and_to_nowhere(note, t)


def _from_and_to_nowhere(note: Note, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cents of slides that name no fret, and of a trill with the note a whole step above (depths and times are common
    practice, no source)."""
    cents = np.zeros_like(t)
    if Mark.SLIDE_IN in note.marks:
        cents = cents - np.round(4 * np.clip(1 - t / 0.1, 0, 1)) * 100
    if Mark.SLIDE_OFF in note.marks:
        cents = cents - np.round(7 * np.clip((t - note.duration + 0.2) / 0.2, 0, 1)) * 100
    if Mark.TRILL in note.marks:
        cents = cents + np.where(t % (2 * _TRILL_S) >= _TRILL_S, 200.0, 0.0)
    return cents


def _by_the_bar(note: Note, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Cents that the bar adds: a dip in the middle, a dive over the second half, a scoop at the start (depths and times
    are common practice, no source)."""
    cents = np.zeros_like(t)
    if Mark.BAR_DIP in note.marks:
        away = np.clip(np.abs(t - note.duration / 2) / _DIP_S, 0.0, 1.0)
        cents = cents - 50.0 * (1 + np.cos(np.pi * away))
    if Mark.BAR_DIVE in note.marks:
        cents = cents - 700.0 * np.clip((t / note.duration - 0.4) / 0.6, 0.0, 1.0)
    if Mark.BAR_SCOOP in note.marks:
        cents = cents - 150.0 * np.clip(1 - t / _SCOOP_S, 0.0, 1.0)
    return cents


def render(project: Project, start: float, end: float) -> FloatArray:
    """The notes that sound between start and end seconds, shape (n,), at the recording's own tuning offset."""
    out = np.zeros(max(0, round((end - start) * RATE)), np.float32)
    following: dict[str, Note] = {}
    by_string: dict[int, Note] = {}
    for note in reversed(project.notes):
        if note.string in by_string:
            following[note.id] = by_string[note.string]
        by_string[note.string] = note
    for note in project.notes:
        if note.onset - _RAKE_S >= end:
            break
        if note.onset + _lasts(note) + 0.1 <= start:
            continue
        sound = _sound(note, following.get(note.id), project)
        at = round((note.onset - _lead_in(note) - start) * RATE)
        low, high = max(0, at), min(len(out), at + len(sound))
        if high > low:
            out[low:high] += sound[low - at : high - at]
    return np.asarray(np.tanh(out * 0.9) * 0.8, dtype=np.float32)


def _sound(note: Note, following: Note | None, project: Project) -> FloatArray:
    """From _lead_in(note) seconds before its onset on. following: the next note on its string. A slide is under way
    while the note before still sounds: where it arrives, the next note begins."""
    length = _lasts(note)
    t = np.arange(round((length + 0.05) * RATE)) / RATE
    cents = cents_of(note, t)
    if following is not None and following.attack is Attack.SLIDE and following.onset - note.end < _JOINED_S:
        glide = min(_GLIDE, note.duration / 2)
        gone = np.clip((t - (following.onset - note.onset - glide)) / glide, 0, 1)
        cents = cents + np.round((following.fret - note.fret) * gone) * 100
    by_finger = note.attack in (Attack.HAMMER, Attack.PULL, Attack.SLIDE) or Mark.LEFT_HAND in note.marks
    by_finger = by_finger and Mark.REPICKED not in note.marks
    attack = 0.012 if by_finger else 0.002
    loud = {Attack.PULL: 0.7, Attack.SLIDE: 0.7}.get(note.attack, 0.75) if by_finger else 1.0
    since = _since_picked(note, t)
    out = _string(note, project, cents, since) * np.where(since < t, np.clip(since / attack, 0, 1), 1.0)
    if Mark.SWELL in note.marks:
        attack = min(_SWELL_S, note.duration / 2)
    if note.bend is not None and note.bend.kind is BendKind.MUTED:
        shape = note.bend.written_shape(note.duration)
        top = next((at for at, c in shape if c >= max(c for _, c in shape) - 5), 0.0)
        out *= np.clip(1 - (t - top - 0.04) / 0.05, 0, 1)
    envelope = np.clip(t / attack, 0, 1) * np.clip((length + 0.05 - t) / 0.05, 0, 1)
    sound = 0.32 * loud * (_ACCENT if Mark.ACCENT in note.marks else 1.0) * envelope * out
    if note.attack is Attack.RAKE:
        sound = np.concatenate([_raked_strings(note.raked_strings or _RAKED), sound])
    return sound.astype(np.float32)


def _string(
    note: Note, project: Project, cents: NDArray[np.float64], since: NDArray[np.float64]
) -> NDArray[np.float64]:
    """The plucked string's partials. cents: above the struck pitch; since: seconds from the last stroke; shape (n,)."""
    base = midi_to_hz(struck_pitch(note, project), offset_cents=project.offset_cents)
    phase = 2 * np.pi * np.cumsum(base * 2.0 ** (cents / 1200.0)) / RATE
    decay = 14.0 if Mark.DEAD in note.marks else 7.0 if Mark.PALM_MUTE in note.marks else 0.9
    pluck, softness = _hand(note)
    out = np.zeros_like(since)
    for k in range(1, _PARTIALS + 1):
        if base * k > 9000:
            break
        out += np.sin(k * np.pi * pluck) / k**softness * np.exp(-since * decay * (1 + 0.25 * k)) * np.sin(k * phase)
    return out


def _lasts(note: Note) -> float:
    """Seconds it sounds: half of its value where it is staccato, longer where it rings on."""
    if note.share_that_sounds < 1:
        return note.duration * note.share_that_sounds
    return note.duration + (_RING_S if Mark.LET_RING in note.marks else 0.0)


def _lead_in(note: Note) -> float:
    """Seconds that sound before the onset: the strings a rake drags over."""
    return _RAKE_S if note.attack is Attack.RAKE else 0.0


def _raked_strings(count: int) -> NDArray[np.float64]:
    """So many dead strings on the way, low to high; shape (n,)."""
    t = np.arange(round(_RAKE_S * RATE)) / RATE
    out = np.zeros_like(t)
    for k in range(count):
        hz = 98.0 * 1.5**k
        since = t - k * _RAKE_S / count
        out += np.where(since >= 0, np.exp(-since * 120) * np.sin(2 * np.pi * hz * since), 0.0)
    return 0.18 * out


def _since_picked(note: Note, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Seconds since the string was last picked, at t seconds from the onset."""
    if Mark.TREMOLO in note.marks:
        return t % _TREMOLO_S
    if note.bend is not None and note.bend.kind is BendKind.STAGGERED:
        shape = note.bend.written_shape(note.duration)
        again = shape[min(1, len(shape) - 1)][0] / 2
        return np.where(t >= again, t - again, t)
    return t


def _hand(note: Note) -> tuple[float, float]:
    """Where along the string it is plucked, and how fast its partials get weaker: an up stroke and a tap are brighter
    (common practice, no source)."""
    if Mark.UP_STROKE in note.marks:
        return 0.13, 1.3
    if Mark.DOWN_STROKE in note.marks:
        return 0.24, 1.3
    return _PLUCK, 1.1 if note.attack is Attack.TAP else 1.3


def struck_pitch(note: Note, project: Project) -> float:
    """The MIDI pitch that sounds as a note is struck: of a harmonic its own, not the fretted one."""
    if Mark.NATURAL_HARMONIC in note.marks:
        return note.sounding_pitch(project.tuning)
    # A pinch harmonic is heard on an upper partial; the fourth, two octaves up, is the commonest (no source).
    pinched = Mark.PINCH_HARMONIC in note.marks
    return note.pitch(project.tuning) + (harmonic_rise(note.partial or 4) if pinched else 0.0)


def reference_tone(pitch: float, *, seconds: float = 2.0, offset_cents: float = 0.0) -> FloatArray:
    """A plucked string at a MIDI pitch to tune by, shape (n,), from A = 440 or offset_cents away from it."""
    t = np.arange(round(seconds * RATE)) / RATE
    base = midi_to_hz(pitch, offset_cents=offset_cents)
    out = np.zeros_like(t)
    for k in range(1, _PARTIALS + 1):
        out += (
            np.sin(k * np.pi * _PLUCK) / k**1.3 * np.exp(-t * 0.7 * (1 + 0.25 * k)) * np.sin(2 * np.pi * base * k * t)
        )
    envelope = np.clip(t / 0.003, 0, 1) * np.clip((seconds - t) / 0.1, 0, 1)
    return np.asarray(0.32 * envelope * out, dtype=np.float32)


def click(*, strength: int = 1) -> FloatArray:
    """One click, shape (n,). strength: 2 for the first of a bar, 1 for a beat, 0 for a part of one."""
    t = np.arange(round(0.05 * RATE)) / RATE
    pitch, loud = {2: (1760.0, 0.4), 1: (1318.5, 0.36)}.get(strength, (1046.5, 0.18))
    return (loud * np.exp(-t * 90) * np.sin(2 * np.pi * pitch * t)).astype(np.float32)
