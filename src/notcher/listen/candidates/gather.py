"""All that may be a note in some frames: single strings, struck together, second strings, missed; and what of it only
comes again."""

import logging
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from notcher.audio.recording import NoLeadError
from notcher.listen.candidates.delay_repeats import delay_of, is_a_delay, without_repeats
from notcher.listen.candidates.missed import Candidate, with_missed
from notcher.listen.candidates.pushed import with_pushed
from notcher.listen.candidates.segments import Segment, segment
from notcher.listen.candidates.single_strings import offset_of, read_notes, with_taps
from notcher.listen.candidates.struck_together import with_other_strings
from notcher.listen.candidates.tuning_offset import Offset
from notcher.listen.frames.contour import Trace, runs
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.clause import Clause

log = logging.getLogger(__name__)

NO_LEAD = Clause(
    "no lead could be heard here; choose another part of the recording, or say where the lead sits "
    "(everywhere, in the centre, left, right or on both sides)"
)
# Confidence and level from which a stretch in a mix counts as the lead: for a note, and for the contour that is shown.
_A_NOTE, _A_TRACE = (0.5, 17.0), (0.15, 36.0)
# Network's confidence and a third of the likelihood's share. Measured: white noise gives 0.14 at most; the least sure
# hundredth of the development phrases' stretches 0.37 alone and 0.15 over a backing.
_PITCHED_ALONE, _PITCHED = 0.25, 0.16
# In a mix by the level of its own partials, alone by its energy.
_AUDIBLE_DB, _RINGS_ON_CENTS = {False: 30.0, True: 40.0}, 60.0
# Frames (150 ms) that say how sure a note is as it begins.
_BEGINS = 30
# Where the lead plays alone, only what is hardly a pitch at all is left out.
_ALONE_NOTE = (0.4, 45.0)


@dataclass(frozen=True, eq=False)
class Candidates:
    """All that may be a note in some frames, in time order. notes: each once; repeats: what only comes again, `delay`
    seconds after it was played (None where nothing does); trace: where something sounds its pitch; ringing: the same
    with each note's beginning and end; offset: of the tuning."""

    notes: tuple[Candidate, ...]
    repeats: tuple[Candidate, ...]
    trace: Trace
    ringing: Trace
    offset: Offset
    delay: float | None

    @property
    def in_time(self) -> list[Candidate]:
        """All of them, what only comes again among them."""
        return sorted([*self.notes, *self.repeats], key=lambda c: c.note.onset)


def gather(frames: Frames) -> Candidates:
    """All that may be a note, before any of it is judged. Raises NoLeadError where no lead can be heard."""
    found, trace, ringing, offset = _found(frames)
    delay = delay_of(frames.sound)
    if delay is not None and not is_a_delay(frames, found, offset.cents, delay):
        delay = None
    notes, repeats = without_repeats(frames, found, offset.cents, delay)
    return Candidates(tuple(notes), tuple(repeats), trace, ringing, offset, delay)


def _found(frames: Frames) -> tuple[list[Candidate], Trace, Trace, Offset]:
    """What may be notes, the trace where something sounds, the same rung out, and the tuning's offset."""
    trace = frames.trace.sounding()
    trace, segments = segment(trace, frames.flux, frames.energy, frames.ear, alone=frames.alone)
    least = _PITCHED_ALONE if frames.alone else _PITCHED
    heard = segments if frames.alone else _of_the_lead(trace, segments, *_A_TRACE, alone=False)
    segments = [s for s in segments if _is_pitched(frames.trace, s, least)]
    segments = _of_the_lead(trace, segments, *(_ALONE_NOTE if frames.alone else _A_NOTE), alone=frames.alone)
    if not segments:
        raise NoLeadError(NO_LEAD)
    offset = offset_of(trace, segments)
    notes = read_notes(trace, segments, frames.energy, frames.ear, offset, alone=frames.alone)
    notes = with_taps(with_other_strings(frames, trace, notes, offset.cents))
    ringing = _rung_out(_with_starts(trace, segments, heard), frames)
    found = with_pushed(frames, with_missed(frames, trace, notes, offset.cents), offset.cents)
    return found, trace, ringing, offset


def _rung_out(trace: Trace, frames: Frames) -> Trace:
    """The trace with each stretch followed on to where its string can no longer be heard, which is longer than it is
    sure to sound."""
    cents, own = trace.cents.copy(), frames.trace.cents
    loud = frames.energy if frames.alone else frames.trace.level
    audible = loud > np.percentile(loud[np.isfinite(cents)], 95) - _AUDIBLE_DB[frames.alone]
    stretches = runs(np.isfinite(cents))
    for (_, end), following in zip(stretches, [*(a for a, _ in stretches[1:]), len(cents)], strict=True):
        level = float(np.median(cents[max(0, end - 6) : end]))
        close = np.abs(own[end:following] - level) < _RINGS_ON_CENTS
        goes_on = audible[end:following] & close
        stop = end + (int(np.argmin(goes_on)) if not goes_on.all() else len(goes_on))
        cents[end:stop] = own[end:stop]
    return replace(trace, cents=cents)


def _is_pitched(trace: Trace, s: Segment, least: float) -> bool:
    """Whether the network heard a pitch at all: in noise it is sure of none, and its likelihood is spread over all."""
    rows = slice(s.start, s.end)
    return float(np.mean(trace.confidence[rows]) + 0.3 * np.mean(trace.share[rows])) >= least


def _of_the_lead(
    trace: Trace, segments: list[Segment], least: float, loud_db: float, *, alone: bool
) -> list[Segment]:  # fmt: skip
    """Leaves out what is most likely another instrument: faint or unsure. least: confidence from which it is the lead;
    loud_db: how far below the usual level it may lie."""
    if not segments:
        return []
    loud = np.array([float(np.median(trace.level[s.start : s.end])) for s in segments])
    sure = np.array([_sure(trace.confidence[s.start : s.end], alone=alone) for s in segments])
    length = np.array([s.end - s.start for s in segments])
    usual = float(np.average(loud, weights=length * sure))
    kept = (loud > usual - loud_db) & (sure > least)
    # Out of silence with no pick at all: an echo of what was played, or another instrument.
    unstruck = np.array([s.cause == "rest" and s.flux == 0 for s in segments])
    kept &= ~(unstruck & (loud < usual - 5))
    log.debug("kept %d of %d segments as the lead's", int(kept.sum()), len(segments))
    return [s for s, keep in zip(segments, kept, strict=True) if keep]


def _sure(confidence: NDArray[np.float64], *, alone: bool) -> float:
    """How sure a note is: on the whole, or where the lead plays alone as it begins: a string that rings on grows faint
    and is no less a note. In a mix what begins may be another instrument."""
    return float(max(np.mean(confidence), np.mean(confidence[:_BEGINS]) if alone else 0.0))


def _with_starts(trace: Trace, segments: list[Segment], heard: list[Segment]) -> Trace:
    """The trace with sound only inside what was heard, and each note's first pitch carried back to its onset."""
    cents = np.full_like(trace.cents, np.nan)
    for s in (*heard, *segments):
        cents[s.start : s.end] = trace.cents[s.start : s.end]
    for s in segments:
        first = round(s.onset / HOP)
        if first < s.start:
            cents[first : s.start] = trace.cents[s.start]
    return replace(trace, cents=cents)
