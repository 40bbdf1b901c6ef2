"""One note at a time that a person points at: what is heard there that is not written yet."""

from collections.abc import Sequence

import numpy as np

from notcher.audio.recording import Audio, AudioError
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.frames.evidence import Evidence, explain
from notcher.listen.frames.raised import USUAL_LOWEST
from notcher.listen.frames.spectrum import HOP
from notcher.listen.listener import listen
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured
from notcher.score.note import Attack

# Seconds around a moment that are listened to: what rings there, and what follows.
_BEFORE_S, _AFTER_S = 1.5, 2.0
# Seconds within which a note that is found is the one that was pointed at.
_NEAR_S = 0.09
# Seconds within which the pointed onset moves to a strike.
_SNAP_S = 0.07
# Seconds a note lasts whose end is not heard: half a beat at 120.
_LASTS_S = 0.25
# Of the likelihood over a note, from which a pitch is there; more for one that may be an overtone of a known one.
_LEAST_SHARE, _SHARE_OF_AN_OCTAVE = 0.04, 0.2
# Semitones within which two pitches are one, and within which one lies on its fret.
_SAME, _BETWEEN_FRETS = 0.7, 0.35
# Semitones from a pitch to its second, third and fourth partial.
_OVERTONES = (12, 19, 24)


def heard_here(
    audio: Audio,
    lead: Isolation,
    at: float,
    *,
    known: Sequence[float],
    offset_cents: float | None,
    lowest: int = USUAL_LOWEST,
) -> HeardNote | None:
    """The note that begins at about a time in seconds, or else the likeliest pitch that sounds there; None where
    nothing is heard but what is known.

    known: pitches (MIDI) that are written there already. offset_cents: of the recording, None to measure it here;
    lowest: as listener.listen has it.
    Raises CancelledError when asked to stop.
    """
    if lead.stereo_position is StereoPosition.AUTO:
        lead = Isolation(StereoPosition.MIX)
    start, end = max(0.0, at - _BEFORE_S), min(audio.duration, at + _AFTER_S)
    try:
        heard = listen(audio, lead=lead, start=start, end=end, lowest=lowest)
    except AudioError:
        heard = None
    if heard is not None:
        near = [n for n in heard.notes if abs(n.onset - at) <= _NEAR_S and _is_new(n.pitch, known)]
        if near:
            return min(near, key=lambda n: abs(n.onset - at))
        offset_cents = heard.offset.cents if offset_cents is None else offset_cents
    found = explain(audio, lead, at, min(audio.duration, at + _LASTS_S), lowest=lowest)
    pitch = _likeliest(found, known, offset_cents or 0.0)
    if pitch is None:
        return None
    onset = _snapped(found, at)
    return HeardNote(
        round(onset, 4), round(min(audio.duration, onset + _LASTS_S), 4), pitch[0], Attack.PICK, None, None,
        frozenset(), round(min(1.0, pitch[1]), 2), Measured(),
    )  # fmt: skip


def _is_new(pitch: float, known: Sequence[float]) -> bool:
    return all(abs(pitch - k) > _SAME for k in known)


def _likeliest(found: Evidence, known: Sequence[float], offset_cents: float) -> tuple[int, float] | None:
    """The likeliest pitch on a fret that is not known, nor an overtone of one that is; and its share."""
    for w in found.weighed:
        midi = (w.cents - offset_cents) / 100
        pitch = round(midi)
        overtone = any(round(pitch - k) in _OVERTONES for k in known)
        least = _SHARE_OF_AN_OCTAVE if overtone else _LEAST_SHARE
        if w.share >= least and abs(midi - pitch) < _BETWEEN_FRETS and _is_new(pitch, known):
            return pitch, w.share
    return None


def _snapped(found: Evidence, at: float) -> float:
    """The strongest onset near a time, or that time where there is none."""
    first, last = (round((at + d - found.start) / HOP) for d in (-_SNAP_S, _SNAP_S))
    first, last = max(0, first), min(len(found.flux), last + 1)
    if first >= last or float(np.max(found.flux[first:last])) <= 0:
        return at
    return found.start + (first + int(np.argmax(found.flux[first:last]))) * HOP
