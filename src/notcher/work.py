"""The work from a sound file to a project: decode, listen, place, cut into phrases.

The command line and the window both come through here.
"""

from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path

from notcher.audio.decode import Audio, file_hash, load
from notcher.listen.listener import Heard, listen
from notcher.listen.notes import HeardNote
from notcher.place.hand import Wanted
from notcher.place.solver import place
from notcher.score.note import Note
from notcher.score.project import Project, Recording, Request
from notcher.score.tuning import STANDARD, Tuning
from notcher.teach.phrasing import propose_phrases

Progress = Callable[[str, float], None]


def describe(path: Path, audio: Audio) -> Recording:
    """The recording as a project refers to it."""
    return Recording(str(path), file_hash(path), round(audio.duration, 4), audio.file_rate, audio.file_channels)


def measure(
    audio: Audio,
    recording: Recording,
    *,
    tuning: Tuning = STANDARD,
    lead: str = "auto",
    start: float = 0.0,
    end: float | None = None,
    progress: Progress | None = None,
    cancelled: Callable[[], bool] | None = None,
) -> Project:
    """A project with proposed notes and phrases from a decoded recording.

    Raises AudioError where there is nothing to hear, CancelledError when asked to stop.
    """
    heard = listen(
        audio, lead=lead, start=start, end=end, cancelled=cancelled,
        progress=(lambda x: progress("Listening", x)) if progress else None,
    )  # fmt: skip
    notes = placed_notes(heard.notes, tuning)
    project = Project(
        recording=recording,
        tuning=tuning,
        offset_cents=heard.offset.cents,
        lead=heard.lead,
        request=Request(title=Path(recording.path).stem.replace("_", " ").replace("-", " ").strip().capitalize()),
        contour=heard.trace.stored(),
        phrases=propose_phrases(notes, duration=audio.duration),
    )
    return project.with_notes(notes)


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


def measure_again(project: Project, heard: Heard, *, start: float, end: float) -> Project:
    """Replace the proposed notes between two times by newly heard ones; confirmed and added notes stay."""
    stay = [n for n in project.notes if n.confirmed or n.by_hand or not start <= n.onset < end]
    fresh = [
        replace(n, id=f"m{round(n.onset * 1000)}-{i}")
        for i, n in enumerate(placed_notes(heard.notes, project.tuning))
        if start <= n.onset < end and not any(abs(s.onset - n.onset) < 0.03 for s in stay)
    ]
    return project.with_notes([*stay, *fresh])


def transcribe(
    path: Path,
    *,
    tuning: Tuning = STANDARD,
    lead: str = "auto",
    start: float = 0.0,
    end: float | None = None,
    progress: Progress | None = None,
) -> tuple[Project, tuple[str, ...]]:
    """Load and measure a sound file: the project, and sentences about what is odd with the file."""
    audio = load(path, progress=(lambda x: progress("Reading", x)) if progress else None)
    project = measure(
        audio, describe(path, audio), tuning=tuning, lead=lead, start=start, end=end, progress=progress
    )
    return project, audio.warnings
