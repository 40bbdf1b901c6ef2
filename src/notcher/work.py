"""The work from a sound file to a project: decode, listen, place, cut into phrases.

The command line and the window both come through here.
"""

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from pathlib import Path

from notcher import kept
from notcher.audio.decode import file_hash, load
from notcher.audio.recording import Audio
from notcher.listen.frames import Frames
from notcher.listen.listener import Heard, listen
from notcher.listen.notes import HeardNote
from notcher.place.hand import Wanted
from notcher.place.solver import place
from notcher.score.isolation import FIND_OUT, Isolation
from notcher.score.note import Note
from notcher.score.project import Contour, Project, Recording, Request
from notcher.score.tuning import STANDARD, Tuning
from notcher.teach.phrasing import propose_phrases

Progress = Callable[[str, float], None]


def describe(path: Path, audio: Audio) -> Recording:
    """The recording as a project refers to it."""
    return Recording(str(path), file_hash(path), round(audio.duration, 4), audio.file_rate, audio.file_channels)


def hear(
    audio: Audio,
    sha256: str,
    *,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    first: float | None = None,
    on_part: Callable[[Heard, float, float], None] | None = None,
    progress: Callable[[float], None] | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> tuple[Heard, str | None]:
    """As listener.listen, with frames kept on disk; also a sentence on what could not be kept, if so.

    sha256: the recording's. Raises as listen.
    """
    trouble: list[str | None] = [None]

    def made(frames: Frames, low: float, high: float) -> None:
        trouble[0] = kept.keep(frames, sha256, low, high)

    heard = listen(
        audio, lead=lead, start=start, end=end, first=first, on_part=on_part, progress=progress, cancelled=cancelled,
        frames_found=lambda isolation, low, high: kept.find(sha256, isolation, low, high), frames_made=made,
    )  # fmt: skip
    return heard, trouble[0]


def measure(
    audio: Audio,
    recording: Recording,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    progress: Progress | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Project:
    """A project with proposed notes and phrases from a decoded recording.

    Raises AudioError where there is nothing to hear, CancelledError when asked to stop.
    """
    heard, _ = hear(
        audio, recording.sha256, lead=lead, start=start, end=end, cancelled=cancelled,
        progress=(lambda x: progress("Listening", x)) if progress else None,
    )  # fmt: skip
    title = Path(recording.path).stem.replace("_", " ").replace("-", " ").strip().capitalize()
    empty = Project(recording, tuning=tuning, request=Request(title=title))
    return with_heard(empty, heard, start=start, end=audio.duration if end is None else end)


def placed_notes(heard: Iterable[HeardNote], tuning: Tuning) -> list[Note]:
    """Heard notes with a string and a fret each, numbered n1, n2 ..."""
    ordered = sorted(heard, key=lambda n: (n.onset, -n.pitch))
    wanted = [
        Wanted(n.onset, n.end, n.pitch, n.attack, n.bend.target_cents if n.bend else 0, n.vibrato is not None)
        for n in ordered
    ]
    return [
        Note(
            f"n{i}", h.onset, h.end, p.string, p.fret, attack=h.attack, bend=h.bend, vibrato=h.vibrato, marks=h.marks,
            confidence=h.confidence, evidence=h.evidence,
        )
        for i, (h, p) in enumerate(zip(ordered, place(wanted, tuning), strict=True), 1)
    ]  # fmt: skip


def with_heard(
    project: Project, heard: Heard, *, start: float, end: float, placed: Sequence[Note] | None = None
) -> Project:
    """The project with what was heard between two times; confirmed and added notes stay as they are.

    placed: the heard notes already on the neck, where that was done beforehand (placing takes its time).

    Phrases are proposed where there are none; the tuning offset is taken over from a measuring of the whole, or where
    there was none.
    """
    stay = [n for n in project.notes if n.confirmed or n.by_hand or not start <= n.onset < end]
    taken = {n.id for n in stay}
    fresh = [
        n for n in (placed_notes(heard.notes, project.tuning) if placed is None else placed)
        if start <= n.onset < end and not any(abs(s.onset - n.onset) < 0.03 for s in stay)
    ]  # fmt: skip
    if taken:
        free = (f"n{k}" for k in itertools.count(1) if f"n{k}" not in taken)
        fresh = [replace(n, id=next(free)) for n in fresh]
    whole = start <= 0.01 and end >= project.recording.duration - 0.01
    contour = heard.trace.stored()
    if not whole and project.contour is not None:
        contour = _spliced(project.contour, contour, start, end)
    phrases = project.phrases or propose_phrases([*stay, *fresh], duration=project.recording.duration)
    measured = replace(
        project,
        contour=contour,
        offset_cents=heard.offset.cents if whole or not project.notes else project.offset_cents,
        lead=heard.lead,
        phrases=phrases,
    )
    return measured.with_notes([*stay, *fresh])


def _spliced(old: Contour, new: Contour, start: float, end: float) -> Contour:
    """The old contour with the new one between two times; the old one as a whole where their frames differ."""
    if old.hop != new.hop or old.start != new.start:
        return new
    a, b = round((start - old.start) / old.hop), round((end - old.start) / old.hop)
    return Contour(
        old.start, old.hop, old.decicents[:a] + new.decicents[a:b] + old.decicents[b:],
        old.percent[:a] + new.percent[a:b] + old.percent[b:],
    )  # fmt: skip


def transcribe(
    path: Path,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    progress: Progress | None = None,
) -> tuple[Project, tuple[str, ...]]:
    """Load and measure a sound file: the project, and sentences about what is odd with the file."""
    audio = load(path, progress=(lambda x: progress("Reading", x)) if progress else None)
    project = measure(audio, describe(path, audio), tuning=tuning, lead=lead, start=start, end=end, progress=progress)
    return project, audio.warnings


def retuned(project: Project, tuning: Tuning) -> Project:
    """The same sounding notes on a guitar tuned otherwise, every place found anew: what sounds does not change."""
    wanted = [Wanted.of(n, n.pitch(project.tuning), fixed=False) for n in project.notes]
    notes = [
        replace(n, string=p.string, fret=p.fret, held=False)
        for n, p in zip(project.notes, place(wanted, tuning), strict=True)
    ]
    return replace(project, tuning=tuning).with_notes(notes)
