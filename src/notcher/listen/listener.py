"""The whole way from a recording to heard notes: frames measured in blocks, then read as notes."""

import logging
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from notcher.audio.faster import faster
from notcher.audio.recording import Audio, AudioError, NoLeadError
from notcher.audio.survey import survey
from notcher.listen.chosen import chosen_of
from notcher.listen.contour import Trace, runs
from notcher.listen.figures import with_figures
from notcher.listen.frames import Frames, measure_frames
from notcher.listen.hand import with_hands
from notcher.listen.learned import Known
from notcher.listen.lower import USUAL_LOWEST, Raised
from notcher.listen.missed import Candidate, with_missed
from notcher.listen.notes import HeardNote, offset_of, read_notes, with_taps
from notcher.listen.offset import Offset
from notcher.listen.presence import is_a_lead
from notcher.listen.reconciled import reconciled
from notcher.listen.repeats import delay_of, silenced, without_repeats
from notcher.listen.seat import propose_isolation
from notcher.listen.segments import Segment, segment
from notcher.listen.spectrum import HOP
from notcher.listen.timbre import with_techniques
from notcher.listen.together import with_other_strings
from notcher.score.clause import Clause
from notcher.score.gap import Gap
from notcher.score.isolation import FIND_OUT, Isolation, Seat
from notcher.stopping import apart, look_for_stop

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
# Seconds of the part in view that are heard first, so that its notes are there soon (docs/MEASUREMENTS.md).
_GLANCE_S = 7.0
# In a mix by the level of its own partials, alone by its energy.
_AUDIBLE_DB, _RINGS_ON_CENTS = {False: 30.0, True: 40.0}, 60.0
# Frames (150 ms) that say how sure a note is as it begins.
_BEGINS = 30
# Where the lead plays alone, only what is hardly a pitch at all is left out.
_ALONE_NOTE = (0.4, 45.0)


@dataclass(frozen=True, eq=False)
class Heard:
    """What was heard. lead: how it was isolated (never Seat.AUTO); trace covers the whole recording; gaps: where
    something may have been missed; left: what was heard and is hardly a note, each with its chance; delay:
    seconds after which all of it comes again, None where it does not; sound: what was heard, mono at LOW_RATE, where it
    is kept for a closer look."""

    notes: tuple[HeardNote, ...]
    trace: Trace
    offset: Offset
    lead: Isolation
    gaps: tuple[Gap, ...] = ()
    left: tuple[HeardNote, ...] = ()
    delay: float | None = None
    sound: NDArray[np.float32] | None = None


def listen(
    audio: Audio,
    *,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    first: float | None = None,
    on_part: Callable[[Heard, float, float], None] | None = None,
    progress: Callable[[float], None] | None = None,
    frames_found: Callable[[Isolation, float, float], Frames | None] | None = None,
    frames_made: Callable[[Frames, float, float], None] | None = None,
    confirmed: Sequence[Known] = (),
    doubt: bool = True,
    lowest: int = USUAL_LOWEST,
) -> Heard:
    """Measure a recording from start to end seconds.

    lowest: MIDI pitch of the guitar's lowest open string; where it lies below D2 the recording is heard raised
    (listen/lower.py), and the frames that are found and made are of that. first: a time that is in view, to be measured
    before the rest; on_part gets what is heard after it as soon as that is known, with the times between which, and
    then more around it. frames_found and frames_made look for frames measured earlier, and take those measured now;
    both get times in seconds of what is heard. confirmed: what the person decided already, from which what is still
    open is judged. doubt: whether a lead may be missing at all, where nobody says its place.

    Raises NoLeadError where no lead can be heard and nobody said that there is one, AudioError where the stretch holds
    no sound, CancelledError when asked to stop.
    """
    end = audio.duration if end is None else min(end, audio.duration)
    if not 0 <= start < end:
        raise AudioError(
            "nothing lies between {start:.1f} s and {end:.1f} s; the recording lasts {duration:.1f} s",
            start=start,
            end=end,
            duration=audio.duration,
        )
    raised = Raised.to_hear(lowest)
    if raised is not None:
        f = raised.factor
        return put_back(
            raised,
            listen(
                faster(audio, f), lead=lead, start=start / f, end=end / f, first=None if first is None else first / f,
                on_part=_put_back_part(raised, audio.duration, on_part), progress=progress,
                frames_found=frames_found, frames_made=frames_made, confirmed=raised.known(confirmed), doubt=doubt,
            ),
            audio.duration,
        )  # fmt: skip
    # Whoever says where the lead sits knows that there is one.
    doubted = lead.seat is Seat.AUTO and doubt
    found = apart(partial(survey, audio, start, end))
    if lead.seat is Seat.AUTO:
        lead = apart(partial(propose_isolation, audio, found))
    frames = frames_found(lead, start, end) if frames_found else None
    if frames is None:
        if first is not None and on_part is not None and end - start > 2 * _GLANCE_S:
            at = max(start, first - 0.5)
            _glance(audio, lead, alone=not found.bass, start=at, end=end, on_part=on_part)
        measuring = measure_frames(audio, lead, alone=not found.bass, start=start, end=end, first=first)
        for known, share in measuring:
            if frames is None and on_part is not None and share < 1:
                _say_part(known, on_part)
            frames = known
            if progress:
                progress(share)
        assert frames is not None
        frames = frames.single()
        if frames_made:
            frames_made(frames, start, end)
    try:
        heard = apart(partial(read_frames, frames, confirmed))
    except NoLeadError:
        if doubted:
            raise
        return _nothing(frames)
    if doubted and not frames.alone and not _is_a_lead(frames, heard):
        raise NoLeadError(NO_LEAD)
    return heard


def put_back(raised: Raised, heard: Heard, duration: float) -> Heard:
    """What was heard raised in a recording of so many seconds, as it was played."""
    return replace(
        heard,
        notes=tuple(map(raised.note, heard.notes)),
        trace=raised.trace(heard.trace, duration),
        gaps=tuple(map(raised.gap, heard.gaps)),
        left=tuple(map(raised.note, heard.left)),
        delay=None if heard.delay is None else heard.delay * raised.factor,
    )


def _put_back_part(
    raised: Raised, duration: float, on_part: Callable[[Heard, float, float], None] | None
) -> Callable[[Heard, float, float], None] | None:
    if on_part is None:
        return None
    f = raised.factor
    return lambda heard, start, end: on_part(put_back(raised, heard, duration), start * f, end * f)


def _nothing(frames: Frames) -> Heard:
    """What is heard where nothing is a note."""
    silent = replace(frames.trace, cents=np.full_like(frames.trace.cents, np.nan))
    return Heard((), silent, Offset(0.0, 0.0, 0), frames.lead)


def _is_a_lead(frames: Frames, heard: Heard) -> bool:
    return is_a_lead(heard.trace, frames.energy, frames.ear, heard.notes, heard.offset.spread)


def _glance(
    audio: Audio,
    lead: Isolation,
    *,
    alone: bool,
    start: float,
    end: float,
    on_part: Callable[[Heard, float, float], None],
) -> None:
    """What is in view, measured by itself so that something is seen soon; the blocks, which are always cut alike, take
    its place."""
    end = min(end, start + _GLANCE_S)
    for frames, _ in measure_frames(audio, lead, alone=alone, start=start, end=end):
        look_for_stop()
        _say_part(frames, on_part)


def _say_part(frames: Frames, on_part: Callable[[Heard, float, float], None]) -> None:
    low, high = runs(frames.done)[0]
    try:
        heard = apart(lambda: read_frames(frames.only(low, high)))
    except AudioError:
        return
    on_part(heard, low * HOP, high * HOP)


@dataclass(frozen=True, eq=False)
class Scene:
    """All that may be a note in some frames, in time order. trace: where something sounds its pitch; ringing: the same
    with each note's beginning and end."""

    candidates: list[Candidate]
    trace: Trace
    ringing: Trace
    offset: Offset


def read_frames(frames: Frames, known: Sequence[Known] = ()) -> Heard:
    """Read the notes out of measured frames; known: what the person decided of them already. Raises AudioError where no
    lead can be heard in them."""
    scene = candidates_in(frames)
    offset = scene.offset.cents
    delay = delay_of(frames.sound)
    candidates, repeats = without_repeats(frames, scene.candidates, offset, delay)
    notes, gaps, left = chosen_of(frames, scene.trace, candidates, offset, known)
    if not notes:
        raise NoLeadError(NO_LEAD)
    notes = with_hands(frames, notes, offset)
    notes = with_figures(frames, with_techniques(frames, notes, offset, delay))
    trace = silenced(reconciled(scene.ringing, notes, offset, frames.ear), repeats, notes, offset)
    return Heard(tuple(notes), trace, scene.offset, frames.lead, gaps, left, delay)


def candidates_in(frames: Frames) -> Scene:
    """All that may be a note, before it is judged. Raises AudioError where no lead can be heard."""
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
    return Scene(with_missed(frames, trace, notes, offset.cents), trace, ringing, offset)


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
