"""Where the lead sits between left and right, and whether anything plays along: proposed from the sound."""

import numpy as np

from notcher.audio import RATE
from notcher.audio.lead import pan_profile, views
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.survey import Survey
from notcher.listen.frames.network import PITCHES_HZ, STEP, score_pitches
from notcher.score.isolation import Isolation, StereoPosition

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
# Of the way from middle (0) to side (1): nearer than this is the middle, nearer than that is the same place.
_CENTRE, _ITSELF = 0.09, 0.15
# Of the way to the next instrument that counts as the lead's, and the least width.
_SHARE_OF_THE_WAY, _NARROWEST = 0.6, 0.3


def propose_isolation(audio: Audio, found: Survey) -> Isolation:
    """The place whose sound carries the most of one clear line, over the loudest seconds.

    found: what the recording is like. Mono, fake stereo, and left and right as each other's opposite come back as
    Seat.MIX.
    """
    low_hz = Isolation().low_hz if found.bass else _LOW_ALONE_HZ
    if found.flat or found.inverted:
        return Isolation(StereoPosition.MIX, low_hz=low_hz)
    excerpt = audio.between(*found.loudest(_EXCERPT_S))
    places, share, unclear = pan_profile(excerpt)
    at = [i for i in range(1, len(share) - 1) if share[i] >= share[i - 1] and share[i] > share[i + 1]]
    peaks = [(float(share[i]), float(np.clip(places[i], -1, 1))) for i in at if share[i] > _LEAST_SHARE]
    pans = {round(p if abs(p) > _CENTRE else 0.0, 2) for _, p in sorted(peaks, reverse=True)[:_MOST_PLACES]} | {0.0}
    tried = [
        Isolation(StereoPosition.PAN, pan=pan, width=_width(pan, [p for _, p in peaks]), low_hz=low_hz)
        for pan in sorted(pans)
    ]
    sides = Isolation(StereoPosition.SIDES, low_hz=low_hz)
    scores = {i: _line(excerpt, i) for i in tried}
    if unclear > _UNCLEAR:
        scores[sides] = _SIDES_BONUS * _line(excerpt, sides)
    return max(scores, key=lambda i: scores[i])


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
