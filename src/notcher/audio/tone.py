"""Notcher's own plucked-string tone, for hearing the written tab beside the recording.

A sum of partials with the amplitudes of a string plucked at a fifth of its length and decays that grow with the
partial: a_k proportional to sin(k pi p) / k^2 (Fletcher and Rossing, The Physics of Musical Instruments, ch. 2),
softened to k^1.3 for a driven guitar. Bends, vibrato and slides move the phase, so they sound as written.
"""

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.score.note import Attack, Mark, Note
from notcher.score.pitch import midi_to_hz
from notcher.score.project import Project

_PARTIALS = 14
_PLUCK = 0.2
_GLIDE = 0.07
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
    return cents + _by_the_bar(note, t)


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
    by_string: dict[int, Note] = {}
    for note in project.notes:
        if note.onset >= end:
            break
        previous, by_string[note.string] = by_string.get(note.string), note
        if note.end + 0.1 <= start:
            continue
        sound = _sound(note, previous, project)
        at = round((note.onset - start) * RATE)
        low, high = max(0, at), min(len(out), at + len(sound))
        if high > low:
            out[low:high] += sound[low - at : high - at]
    return np.asarray(np.tanh(out * 0.9) * 0.8, dtype=np.float32)


def _sound(note: Note, previous: Note | None, project: Project) -> FloatArray:
    t = np.arange(round((note.duration + 0.05) * RATE)) / RATE
    cents = cents_of(note, t)
    reached = previous is not None and note.onset - previous.end < 0.06
    if note.attack is Attack.SLIDE and previous is not None and reached:
        gap = 100.0 * (previous.fret - note.fret)
        cents = cents + np.round(gap / 100 * np.clip(1 - t / _GLIDE, 0, 1)) * 100
    if Mark.SLIDE_IN in note.marks:
        cents = cents - np.round(4 * np.clip(1 - t / 0.1, 0, 1)) * 100
    if Mark.SLIDE_OFF in note.marks:
        cents = cents - np.round(7 * np.clip((t - note.duration + 0.2) / 0.2, 0, 1)) * 100
    base = midi_to_hz(_struck_pitch(note, project), offset_cents=project.offset_cents)
    phase = 2 * np.pi * np.cumsum(base * 2.0 ** (cents / 1200.0)) / RATE
    muted = note.marks & {Mark.PALM_MUTE, Mark.DEAD}
    decay = 14.0 if Mark.DEAD in muted else 7.0 if muted else 0.9
    out = np.zeros_like(t)
    # Tremolo: the string is picked anew, each time from the start of its decay.
    since = t % _TREMOLO_S if Mark.TREMOLO in note.marks else t
    for k in range(1, _PARTIALS + 1):
        if base * k > 9000:
            break
        out += np.sin(k * np.pi * _PLUCK) / k**1.3 * np.exp(-since * decay * (1 + 0.25 * k)) * np.sin(k * phase)
    attack = 0.012 if note.attack in (Attack.HAMMER, Attack.PULL, Attack.SLIDE) else 0.002
    loud = {Attack.HAMMER: 0.75, Attack.PULL: 0.7, Attack.SLIDE: 0.7}.get(note.attack, 1.0)
    if Mark.TREMOLO in note.marks:
        out *= np.clip(since / attack, 0, 1)
    if Mark.SWELL in note.marks:
        attack = min(_SWELL_S, note.duration / 2)
    envelope = np.clip(t / attack, 0, 1) * np.clip((note.duration + 0.05 - t) / 0.05, 0, 1)
    return (0.32 * loud * envelope * out).astype(np.float32)


def _struck_pitch(note: Note, project: Project) -> float:
    if Mark.NATURAL_HARMONIC in note.marks:
        return note.sounding_pitch(project.tuning)
    # A pinch harmonic is heard on an upper partial; the fourth, two octaves up, is the commonest (no source).
    return note.pitch(project.tuning) + (24.0 if Mark.PINCH_HARMONIC in note.marks else 0.0)


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


def click(*, accent: bool) -> FloatArray:
    """One beat of the count-in, shape (n,)."""
    t = np.arange(round(0.05 * RATE)) / RATE
    pitch = 1760.0 if accent else 1318.5
    return (0.4 * np.exp(-t * 90) * np.sin(2 * np.pi * pitch * t)).astype(np.float32)
