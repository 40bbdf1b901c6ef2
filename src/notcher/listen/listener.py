"""The whole way from a recording to heard notes, in four stages: frames (what every 5 ms hold), candidates (all that
may be a note), classify (what is thought of each), decide (one reading of them all)."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from notcher.audio.faster import faster
from notcher.audio.recording import Audio, AudioError, NoLeadError
from notcher.audio.survey import survey
from notcher.listen.candidates.gather import NO_LEAD, Candidates, gather
from notcher.listen.candidates.tuning_offset import Offset
from notcher.listen.classify.confirmed_notes import Known
from notcher.listen.classify.judge import Classified, classify
from notcher.listen.decide.decide import decide
from notcher.listen.decide.lead_presence import is_a_lead
from notcher.listen.decide.put_back import Raised, put_back
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.contour import runs
from notcher.listen.frames.measure import Frames, KeptBlocks, Setup, measure_frames
from notcher.listen.frames.raised import USUAL_LOWEST
from notcher.listen.frames.spectrum import HOP
from notcher.listen.frames.stereo_position import propose_isolation
from notcher.score.isolation import FIND_OUT, Isolation, StereoPosition
from notcher.score.plays import Plays
from notcher.stopping import apart, look_for_stop

# Seconds of the part in view that are heard first, so that its notes are there soon (docs/MEASUREMENTS.md).
_GLANCE_S = 7.0


@dataclass(frozen=True, eq=False)
class Stages:
    """What each stage of listening said."""

    frames: Frames
    candidates: Candidates
    classified: Classified
    transcription: Transcription


def listen(
    audio: Audio,
    *,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    first: float | None = None,
    on_part: Callable[[Transcription, float, float], None] | None = None,
    progress: Callable[[float], None] | None = None,
    plays: Plays = Plays.LINE,
    kept: KeptBlocks | None = None,
    confirmed: Sequence[Known] = (),
    doubt: bool = True,
    lowest: int = USUAL_LOWEST,
    staged: Callable[[Stages], None] | None = None,
) -> Transcription:
    """Measure a recording from start to end seconds.

    lowest: MIDI pitch of the guitar's lowest open string; where it lies below D2 the recording is heard raised
    (listen/decide/put_back.py), and the frames that are kept are of that. first: a time that is in view, to be measured
    before the rest; on_part gets what is heard after it as soon as that is known, with the times between which, and
    then more around it. plays: what is listened for. kept: where frames are found that were measured earlier, and put
    as soon as they are measured; it gets times in seconds of what is heard. confirmed: what the person decided already,
    from which what is still open is judged. staged gets what every stage said (as it is heard, where that is raised).
    doubt: whether a lead may be missing at all, where nobody says its place; a riff is never doubted.

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
                plays=plays, kept=kept, confirmed=raised.known(confirmed), doubt=doubt, staged=staged,
            ),
            audio.duration,
        )  # fmt: skip
    # Whoever says where the lead sits, or that a riff is to be heard, knows that there is one.
    doubted = lead.stereo_position is StereoPosition.AUTO and doubt and plays is Plays.LINE
    found = apart(partial(survey, audio, start, end))
    other: Isolation | None = None
    if lead.stereo_position is StereoPosition.AUTO:
        proposed = apart(partial(propose_isolation, audio, found, plays))
        lead, other = proposed.lead, proposed.other
    else:
        lead = plays.heard_in(lead)
    wanted = _Wanted(audio, Setup(lead, not found.bass, plays), start, end, first, kept)
    frames = _measured(wanted, on_part, progress)
    try:
        stages = apart(partial(read_stages, frames, confirmed))
    except NoLeadError:
        if doubted:
            raise
        return _nothing(frames)
    if doubted and not frames.alone and not _is_a_lead(frames, stages.transcription):
        raise NoLeadError(NO_LEAD)
    if other is not None:
        stages = replace(stages, transcription=replace(stages.transcription, other_lead=other))
    if staged is not None:
        staged(stages)
    return stages.transcription


@dataclass(frozen=True, slots=True)
class _Wanted:
    """What is to be measured, how, from when to when, the time that is in view, in seconds, and where blocks are
    kept."""

    audio: Audio
    setup: Setup
    start: float
    end: float
    first: float | None
    kept: KeptBlocks | None


def _measured(
    wanted: _Wanted,
    on_part: Callable[[Transcription, float, float], None] | None,
    progress: Callable[[float], None] | None,
) -> Frames:
    """All frames of a stretch; what is in view is said first, and then each block's part."""
    start, end, first = wanted.start, wanted.end, wanted.first
    if first is not None and on_part is not None and end - start > 2 * _GLANCE_S:
        _glance(wanted, max(start, first - 0.5), on_part)
    frames: Frames | None = None
    measuring = measure_frames(wanted.audio, wanted.setup, start=start, end=end, first=first, kept=wanted.kept)
    for known, share in measuring:
        if frames is None and on_part is not None and share < 1:
            _say_part(known, on_part)
        frames = known
        if progress:
            progress(share)
    assert frames is not None
    return frames


def read_stages(frames: Frames, known: Sequence[Known] = ()) -> Stages:
    """Read the notes out of measured frames, stage by stage; known: what the person decided of them already. Raises
    NoLeadError where no lead can be heard in them."""
    candidates = gather(frames)
    classified = classify(frames, candidates)
    return Stages(frames, candidates, classified, decide(frames, classified, known))


def read_frames(frames: Frames, known: Sequence[Known] = ()) -> Transcription:
    """As read_stages: what the last stage says."""
    return read_stages(frames, known).transcription


def _put_back_part(
    raised: Raised, duration: float, on_part: Callable[[Transcription, float, float], None] | None
) -> Callable[[Transcription, float, float], None] | None:
    if on_part is None:
        return None
    f = raised.factor
    return lambda heard, start, end: on_part(put_back(raised, heard, duration), start * f, end * f)


def _nothing(frames: Frames) -> Transcription:
    """What is heard where nothing is a note."""
    silent = replace(frames.trace, cents=np.full_like(frames.trace.cents, np.nan))
    return Transcription((), silent, Offset(0.0, 0.0, 0), frames.lead)


def _is_a_lead(frames: Frames, heard: Transcription) -> bool:
    return is_a_lead(heard.trace, frames.energy, frames.ear, heard.notes, heard.offset.spread)


def _glance(wanted: _Wanted, start: float, on_part: Callable[[Transcription, float, float], None]) -> None:
    """What is in view, measured by itself so that something is seen soon; the blocks, which are always cut alike, take
    its place."""
    end = min(wanted.end, start + _GLANCE_S)
    for frames, _ in measure_frames(wanted.audio, wanted.setup, start=start, end=end):
        look_for_stop()
        _say_part(frames, on_part)


def _say_part(frames: Frames, on_part: Callable[[Transcription, float, float], None]) -> None:
    low, high = runs(frames.done)[0]
    try:
        heard = apart(lambda: read_frames(frames.only(low, high)))
    except AudioError:
        return
    on_part(heard, low * HOP, high * HOP)
