"""The whole way from a recording to heard notes, in blocks so that a long recording takes bounded memory."""

import logging
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from notcher.audio import RATE
from notcher.audio.decode import Audio, AudioError, FloatArray
from notcher.audio.lead import banded, has_bass, views
from notcher.listen.contour import LOWEST_HZ, Trace, trace_pitch
from notcher.listen.notes import HeardNote, energy_db, offset_of, read_notes
from notcher.listen.offset import Offset
from notcher.listen.onsets import onset_strength
from notcher.listen.seat import propose_isolation
from notcher.listen.segments import Segment, segment
from notcher.listen.spectrum import HOP
from notcher.score.isolation import Isolation, Seat

log = logging.getLogger(__name__)

_BLOCK_S = 40.0
_MARGIN_S = 1.0


class CancelledError(Exception):
    """The person stopped the measuring."""


@dataclass(frozen=True, eq=False)
class Heard:
    """What was heard. lead: how it was isolated (never Seat.AUTO); trace covers the whole recording."""

    notes: tuple[HeardNote, ...]
    trace: Trace
    offset: Offset
    lead: Isolation


@dataclass(frozen=True, slots=True)
class _Ear:
    """How to listen: alone, or in a mix, where drums and chords must not count as notes."""

    strike: float
    rise_db: float
    lowest_hz: float
    alone: bool


_ALONE = _Ear(strike=0.35, rise_db=0.0, lowest_hz=LOWEST_HZ, alone=True)
_MIXED = _Ear(strike=0.3, rise_db=2.5, lowest_hz=140.0, alone=False)


def listen(
    audio: Audio,
    *,
    lead: Isolation = Isolation(),
    start: float = 0.0,
    end: float | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Heard:
    """Measure a recording from start to end seconds.

    Raises AudioError where the stretch holds no sound or no lead can be heard in it, CancelledError when asked to stop.
    """
    end = audio.duration if end is None else min(end, audio.duration)
    if not 0 <= start < end:
        raise AudioError(
            f"nothing lies between {start:.1f} s and {end:.1f} s; the recording lasts {audio.duration:.1f} s"
        )
    if lead.seat is Seat.AUTO:
        lead = propose_isolation(audio.between(start, end))
    ear = _MIXED if has_bass(audio.between(start, end)) else _ALONE
    n = int(audio.duration / HOP)
    raw = Trace.silent(n)
    flux, energy = np.zeros(n), np.full(n, -100.0)
    at = start
    while at < end:
        if cancelled and cancelled():
            raise CancelledError
        low, high = max(start, at - _MARGIN_S), min(end, at + _BLOCK_S + _MARGIN_S)
        part = audio.between(low, high)
        heard = views(part, lead)
        whole = banded(part, lead) if lead.seat is not Seat.MIX and not ear.alone else None
        trace = trace_pitch(heard, whole, lowest_hz=ear.lowest_hz)
        mono = heard[0]
        first, skip = round(at / HOP), round(at / HOP) - round(low / HOP)
        count = max(0, min(len(trace) - skip, round(min(_BLOCK_S, end - at) / HOP), n - first))
        rows, source = slice(first, first + count), slice(skip, skip + count)
        raw.put(first, trace.part(source))
        flux[rows], energy[rows] = onset_strength(mono)[source], energy_db(mono)[source]
        at += _BLOCK_S
        if progress:
            progress(min(1.0, (at - start) / (end - start)))
    trace = raw.sounding()
    segments = segment(trace, flux, strike=ear.strike, rise_db=ear.rise_db)
    if not ear.alone:
        segments = _of_the_lead(trace, segments)
    if not segments:
        raise AudioError(
            "no lead could be heard here; choose another part of the recording, or say where the lead sits "
            "(--lead mix, centre, left or right)"
        )
    offset = offset_of(trace, segments)
    notes = read_notes(trace, segments, energy, offset)
    return Heard(tuple(notes), _with_starts(trace, segments), offset, lead)


def _of_the_lead(trace: Trace, segments: list[Segment]) -> list[Segment]:
    """Leaves out what is most likely another instrument: faint, unsure, or far from where the lead plays."""
    if not segments:
        return []
    loud = np.array([float(np.median(trace.level[s.start : s.end])) for s in segments])
    sure = np.array([float(np.mean(trace.confidence[s.start : s.end])) for s in segments])
    length = np.array([s.end - s.start for s in segments])
    usual = float(np.average(loud, weights=length * sure))
    kept = (loud > usual - 16) & (sure > 0.55)
    # Out of silence with no pick at all: an echo of what was played, or another instrument.
    unstruck = np.array([s.cause == "rest" and s.flux == 0 for s in segments])
    kept &= ~(unstruck & (loud < usual - 5))
    log.debug("kept %d of %d segments as the lead's", int(kept.sum()), len(segments))
    return [s for s, keep in zip(segments, kept, strict=True) if keep]


def _with_starts(trace: Trace, segments: list[Segment]) -> Trace:
    """The trace with sound only inside segments, and each note's first pitch carried back to its onset."""
    cents = np.full_like(trace.cents, np.nan)
    for s in segments:
        cents[s.start : s.end] = trace.cents[s.start : s.end]
    for s in segments:
        first = round(s.onset / HOP)
        if first < s.start:
            cents[first : s.start] = trace.cents[s.start]
    return replace(trace, cents=cents)
