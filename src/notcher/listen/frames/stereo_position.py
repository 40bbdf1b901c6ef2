"""Where the lead sits between left and right, and whether anything plays along: proposed from the sound."""

from dataclasses import dataclass

import numpy as np

from notcher.audio import RATE
from notcher.audio.lead import pan_profile, views
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.survey import Survey
from notcher.listen.frames.ear import begun, hear
from notcher.listen.frames.network import PITCHES_HZ, STEP, score_pitches
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.plays import Plays

# Seconds of the loudest stretch that are judged: enough for a phrase, quick enough to wait for.
_EXCERPT_S = 12
# Hz a lead mostly plays in, from an octave above the low E on (common practice, no source).
_LOWEST_HZ, _HIGHEST_HZ = 165.0, 1500.0
# Hz kept from where no bass plays along: all of a guitar.
_LOW_ALONE_HZ = 60.0
# Chosen on the development phrases.
_LEAST_SHARE = 0.02
# Places that are tried: each costs a listening.
_MOST_PLACES = 3
# Share of sound at no clear place, over which the whole mix is taken; what two sides must be better by, as both carry
# it.
_UNCLEAR, _SIDES_BONUS = 0.22, 1.7
# Of the best place's line, from which another place is heard as well; of the clearest place's, from which it is
# offered; likelihood from which a stroke is one, and how many weak ones each place is taken to have besides: a few
# strokes say little.
_CLOSE, _OFFERED, _STROKE, _FEW = 0.5, 0.85, 0.4, 8
# MIDI pitch under which a riff's strokes lie (E4; fifths and octaves on the three lowest strings).
_RIFF_BELOW = 64.0
# Of the way from middle (0) to side (1): nearer than this is the middle, nearer than that is the same place.
_CENTRE, _ITSELF = 0.09, 0.15
# Of the way to the next instrument that counts as the lead's, and the least width.
_SHARE_OF_THE_WAY, _NARROWEST = 0.6, 0.3


@dataclass(frozen=True, slots=True)
class Proposed:
    """How the lead is taken out, and the next likely way; None where there is hardly another."""

    lead: Isolation
    other: Isolation | None = None


def propose_isolation(audio: Audio, found: Survey, plays: Plays = Plays.LINE) -> Proposed:
    """Where what plays sits, by its sound over the loudest seconds: a line at the place whose sound carries the most of
    one clear line, and where two carry about as much, at the one from which the ear hears its strokes more clearly; a
    riff at the place from which its low strokes are heard most clearly.

    found: what the recording is like. Mono, fake stereo, and left and right as each other's opposite come back as
    Seat.MIX.
    """
    low_hz = Isolation().low_hz if found.bass and plays is Plays.LINE else _LOW_ALONE_HZ
    everywhere = Isolation(StereoPosition.MIX, low_hz=low_hz)
    if found.flat or found.inverted:
        return Proposed(everywhere)
    excerpt = audio.between(*found.loudest(_EXCERPT_S))
    pans, unclear = _pans(excerpt, low_hz)
    sides = Isolation(StereoPosition.SIDES, low_hz=low_hz)
    if plays is Plays.RIFF:
        return _ranked({i: _clearness(excerpt, i, below=_RIFF_BELOW) for i in (*pans, sides, everywhere)})
    lines = {i: _line(excerpt, i) for i in pans}
    if unclear > _UNCLEAR:
        lines[sides] = _SIDES_BONUS * _line(excerpt, sides)
    close = [i for i, score in lines.items() if score >= _CLOSE * max(lines.values())]
    return _ranked({i: _clearness(excerpt, i) for i in close} if len(close) > 1 else {close[0]: 1.0})


def _ranked(scores: dict[Isolation, float]) -> Proposed:
    best, *others = sorted(scores, key=lambda i: -scores[i])
    other = others[0] if others and scores[others[0]] >= _OFFERED * scores[best] else None
    return Proposed(best, other)


def _pans(excerpt: FloatArray, low_hz: float) -> tuple[list[Isolation], float]:
    """The places between left and right from which the most sound comes, the centre among them, and the share of sound
    at no clear place."""
    places, share, unclear = pan_profile(excerpt)
    at = [i for i in range(1, len(share) - 1) if share[i] >= share[i - 1] and share[i] > share[i + 1]]
    peaks = [(float(share[i]), float(np.clip(places[i], -1, 1))) for i in at if share[i] > _LEAST_SHARE]
    pans = {round(p if abs(p) > _CENTRE else 0.0, 2) for _, p in sorted(peaks, reverse=True)[:_MOST_PLACES]} | {0.0}
    return [
        Isolation(StereoPosition.PAN, pan=pan, width=_width(pan, [p for _, p in peaks]), low_hz=low_hz)
        for pan in sorted(pans)
    ], unclear


def _clearness(excerpt: FloatArray, isolation: Isolation, *, below: float = np.inf) -> float:
    """How clearly strokes are heard from this place, 0 to 1: the mean square of their likelihoods. below: MIDI pitch
    under which a stroke counts."""
    strokes = [s.likely**2 for s in begun(hear(views(excerpt, isolation)[0]), _STROKE) if s.midi < below]
    return sum(strokes) / (len(strokes) + _FEW)


def _width(pan: float, places: list[float]) -> float:
    """As wide as its nearest neighbour between left and right allows."""
    near = min((abs(p - pan) for p in places if abs(p - pan) > _ITSELF), default=2.0)
    return round(float(np.clip(_SHARE_OF_THE_WAY * near, _NARROWEST, Isolation().width)), 2)


def _line(samples: FloatArray, isolation: Isolation) -> float:
    """How loud a clear line in a lead's range is, in what this isolation leaves."""
    total = 0.0
    sounds = views(samples, isolation)
    for mono in sounds:
        scores = score_pitches(mono)
        if not len(scores.log_p):
            continue
        hz = PITCHES_HZ[np.argmax(scores.log_p, axis=1)]
        squared = np.concatenate(([0.0], np.cumsum(mono.astype(np.float64) ** 2)))
        at = np.clip((np.arange(len(hz)) * STEP * RATE).astype(int), 0, len(mono) - 1)
        upto = np.minimum(at + 512, len(mono))
        loud = np.sqrt((squared[upto] - squared[at]) / np.maximum(upto - at, 1))
        total += float(np.mean(scores.confidence * ((hz > _LOWEST_HZ) & (hz < _HIGHEST_HZ)) * loud))
    return total / len(sounds)
