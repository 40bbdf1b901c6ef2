"""From a recording to a project: decode, listen, place, cut into phrases. Command line and window both come through
here."""

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from notcher import stopping
from notcher.audio.decode import SHORTEST, file_hash, load
from notcher.audio.lines import lines_of_project
from notcher.audio.recording import Audio, AudioError, SilentError
from notcher.beat.hear_beats import hear_beats
from notcher.formats.printable import printable
from notcher.frame_cache import FrameCache
from notcher.listen.classify.confirmed_notes import Known
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.raised import raised_for
from notcher.listen.frames.spectrum import at_low_rate
from notcher.listen.listener import Stages, listen
from notcher.pipeline.place_heard import placed_notes
from notcher.score.chords import with_heard
from notcher.score.clause import Clause
from notcher.score.isolation import FIND_OUT, Isolation, StereoPosition
from notcher.score.note import Attack, Mark, Note, struck_together
from notcher.score.plays import Plays
from notcher.score.project import AS_PLAYED, Contour, Project, Recording, Request
from notcher.score.tuning import STANDARD, Tuning
from notcher.score.versions import of_the_recording, show_version, shown_as
from notcher.teach.phrasing import propose_phrases
from notcher.teach.take import LONGEST_TAKE_S
from notcher.wording import later

Progress = Callable[[str, float], None]


def describe(path: Path, audio: Audio) -> Recording:
    """The recording as a project refers to it."""
    return Recording(str(path), file_hash(path), round(audio.duration, 4), audio.file_rate, audio.file_channels)


def listen_kept(
    audio: Audio,
    sha256: str,
    *,
    lead: Isolation = FIND_OUT,
    plays: Plays = Plays.LINE,
    start: float = 0.0,
    end: float | None = None,
    first: float | None = None,
    on_part: Callable[[Transcription, float, float], None] | None = None,
    progress: Callable[[float], None] | None = None,
    confirmed: Sequence[Known] = (),
    doubt: bool = True,
    tuning: Tuning = STANDARD,
    staged: Callable[[Stages], None] | None = None,
) -> tuple[Transcription, str | None]:
    """As listener.listen, with frames kept on disk; also a sentence on what could not be kept, if so.

    sha256: the recording's; tuning: of the guitar, which says how low is listened; plays: what is listened for. Raises
    as listen.
    """
    lowest = min(tuning.open_pitches)
    kept = FrameCache(sha256, raised_for(lowest))
    heard = listen(
        audio, lead=lead, plays=plays, start=start, end=end, first=first, on_part=on_part, progress=progress,
        kept=kept, confirmed=confirmed, doubt=doubt, lowest=lowest, staged=staged,
    )  # fmt: skip
    return heard, kept.trouble


def take_heard(
    audio: Audio, *, tuning: Tuning = STANDARD, progress: Callable[[float], None] | None = None
) -> Transcription | None:
    """What a learner's take holds; None where nothing can be heard in it. Raises AudioError for one that is too long,
    CancelledError when asked to stop."""
    if audio.duration > LONGEST_TAKE_S:
        raise AudioError(
            "a take lasts up to {most:.0f} minutes, this one {minutes:.0f}; cut out the part that was played",
            most=LONGEST_TAKE_S / 60, minutes=audio.duration / 60,
        )  # fmt: skip
    try:
        heard = listen(audio, lead=Isolation(StereoPosition.MIX), progress=progress, lowest=min(tuning.open_pitches))
    except AudioError:
        return None
    if not heard.notes:
        return None
    return replace(heard, sound=at_low_rate(audio))


def take_in(
    path: Path, *, tuning: Tuning = STANDARD, progress: Callable[[float], None] | None = None
) -> Transcription | None:
    """What the take in a sound file holds; None for silence. Raises AudioError for a file that is no take."""
    try:
        audio = load(path)
    except SilentError:
        return None
    return take_heard(audio, tuning=tuning, progress=progress)


def known_of(project: Project) -> tuple[Known, ...]:
    """What the person decided of a project's notes, for judging the rest by it."""
    out: list[Known] = []
    open_since = True
    for n in project.notes:
        if not (n.confirmed or n.by_hand) or not of_the_recording(project, n.onset):
            open_since = True
            continue
        by_hand = n.attack in (Attack.HAMMER, Attack.PULL)
        out.append(Known(n.onset, n.pitch(project.tuning), by_hand, follows=not open_since))
        open_since = False
    return tuple(out)


def measured_project(
    audio: Audio,
    recording: Recording,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    plays: Plays = Plays.LINE,
    start: float = 0.0,
    end: float | None = None,
    doubt: bool = True,
    staged: Callable[[Stages], None] | None = None,
    progress: Progress | None = None,
) -> Project:
    """A project with proposed notes and phrases from a decoded recording. doubt, staged: as listener.listen has them.

    Raises AudioError where there is nothing to hear, CancelledError when asked to stop.
    """
    heard, _ = listen_kept(
        audio, recording.sha256, lead=lead, plays=plays, start=start, end=end, doubt=doubt,
        tuning=tuning, staged=staged, progress=(lambda x: progress(later("Listening"), x)) if progress else None,
    )  # fmt: skip
    empty = Project(recording, tuning=tuning, plays=plays, request=Request(title=title_of(Path(recording.path))))
    return stopping.apart(lambda: with_proposals(empty, heard, start=start, end=audio.duration if end is None else end))


def with_proposals(
    project: Project, heard: Transcription, *, start: float, end: float, placed: Sequence[Note] | None = None
) -> Project:
    """The project with what was heard between two times; confirmed and added notes stay as they are.

    placed: the heard notes already on the neck, where that was done beforehand (placing takes its time).

    What is heard is what was played: versions of phrases stay as they are. Phrases are proposed where there are none;
    the tuning offset is taken over from a measuring of the whole, or where there was none. Where the lead may sit as
    well becomes the way to compare with, unless one was chosen.
    """
    showing = {p.id: p.showing for p in project.phrases}
    project = shown_as(project, AS_PLAYED)
    stay = [n for n in project.notes if n.confirmed or n.by_hand or not start <= n.onset < end]
    if placed is None:
        placed = placed_notes(heard.notes, project.tuning, phrases=project.phrases, beside=stay)
    proposed = placed
    fresh = _beside(stay, [n for n in proposed if start <= n.onset < end])
    whole = start <= 0.01 and end >= project.recording.duration - 0.01
    contour = heard.trace.stored()
    if not whole and project.contour is not None:
        contour = _spliced(project.contour, contour, start, end)
    measured = replace(
        project,
        contour=contour,
        offset_cents=heard.offset.cents if whole or not project.notes else project.offset_cents,
        lead=heard.lead,
        other_lead=project.other_lead or heard.other_lead,
        gaps=tuple(
            sorted(
                (
                    *(g for g in project.gaps if not start <= g.start < end),
                    *(g for g in heard.gaps if start <= g.start < end),
                ),
                key=lambda g: g.start,
            )
        ),
        phrases=project.phrases or propose_phrases([*stay, *fresh], duration=project.recording.duration),
    ).with_notes([*stay, *fresh])
    for phrase_id, name in showing.items():
        measured = show_version(measured, phrase_id, name)
    return measured


def _beside(stay: Sequence[Note], proposed: Sequence[Note]) -> list[Note]:
    """The proposed notes that none of those that stay is struck with, under ids of their own."""
    fresh = [n for n in proposed if not any(struck_together(s.onset, n.onset) for s in stay)]
    taken = {n.id for n in stay}
    if not taken:
        return fresh
    free = (f"n{k}" for k in itertools.count(1) if f"n{k}" not in taken)
    return [replace(n, id=next(free)) for n in fresh]


def _spliced(old: Contour, new: Contour, start: float, end: float) -> Contour:
    """The old contour with the new one between two times; the old one as a whole where their frames differ."""
    if old.hop != new.hop or old.start != new.start:
        return new
    a, b = round((start - old.start) / old.hop), round((end - old.start) / old.hop)
    return Contour(
        old.start, old.hop, old.decicents[:a] + new.decicents[a:b] + old.decicents[b:],
        old.percent[:a] + new.percent[a:b] + old.percent[b:],
    )  # fmt: skip


def transcribed(
    path: Path,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    plays: Plays = Plays.LINE,
    start: float = 0.0,
    end: float | None = None,
    beat: bool = True,
    staged: Callable[[Stages], None] | None = None,
    progress: Progress | None = None,
) -> tuple[Project, tuple[Clause, ...]]:
    """Load and measure a sound file: the project, and sentences about what is odd with the file or in doubt.

    beat: whether a steady beat is looked for, in the whole recording, as the window does; staged: as listener.listen
    has it. Raises AudioError.
    """
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    low, high = checked_range(audio, start, end)
    project = measured_project(
        audio, describe(path.resolve(), audio), tuning=tuning, lead=lead, plays=plays, start=low, end=high,
        staged=staged, progress=progress,
    )  # fmt: skip
    doubts: tuple[Clause, ...] = ()
    if beat:
        if progress:
            progress(later("Finding the beat"), 0.0)
        found = stopping.apart(lambda: hear_beats(audio))
        project = project.with_tempo(found.tempo if found is not None else None)
        doubt = found.doubt() if found is not None else None
        doubts = (doubt,) if doubt is not None else ()
    if progress:
        progress(later("Hearing the chords"), 0.0)
    measured = project
    return stopping.apart(lambda: with_harmony(measured, audio)), (*audio.warnings, *doubts)


def with_harmony(project: Project, audio: Audio) -> Project:
    """The project with the key and the chords that are heard in its recording; what was decided stays.

    Raises CancelledError when asked to stop.
    """
    from notcher.harmony.hearing import hear
    from notcher.harmony.roles import sounding

    lead = [(n.onset, n.end, sounding(n, project)) for n in project.notes if Mark.DEAD not in n.marks]
    heard = hear(
        audio, lines_of_project(project, audio.duration), lead, project.tempo,
        isolation=project.lead, offset_cents=project.offset_cents,
    )  # fmt: skip
    return with_heard(project, heard.chords, heard.keys)


def checked_range(audio: Audio, start: float, end: float | None) -> tuple[float, float]:
    """A part of a recording in seconds, cut to what there is. Raises AudioError where nothing is left to hear."""
    high = audio.duration if end is None else end
    if not (math.isfinite(start) and math.isfinite(high)):
        raise AudioError(
            "a part of a recording goes from one second to another, got {start} to {high}", start=start, high=high
        )
    low, high = max(0.0, start), min(high, audio.duration)
    if high - low < SHORTEST:
        raise AudioError(
            "nothing can be heard from {start:g} s to {high:g} s; the recording lasts {duration:.1f} s, and at "
            "least {shortest:g} s of it are needed",
            start=start,
            high=high,
            duration=audio.duration,
            shortest=SHORTEST,
        )
    return low, high


def title_of(path: Path) -> str:
    """A title from a file's name."""
    return printable(path.stem.replace("_", " ").replace("-", " ")).capitalize()
