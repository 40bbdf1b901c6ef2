"""Written scores as projects, alone or laid along a recording."""

from dataclasses import dataclass, replace
from pathlib import Path

from notcher import stopping
from notcher.audio.decode import load
from notcher.formats.incoming.build import project_of, put_elsewhere
from notcher.formats.incoming.open_score import read_score
from notcher.pipeline.transcribe import Progress, describe, measured_project, title_of
from notcher.rhythm.lineup import LinedUp, line_up
from notcher.score.project import Project
from notcher.score.tuning import Tuning
from notcher.wording import later


@dataclass(frozen=True, slots=True)
class ReadIn:
    """A score that was read: the project, the part it came from and the other ones, how many notes lay outside the
    neck, and what was not understood."""

    project: Project
    part: str
    parts: tuple[str, ...]
    moved: int
    skipped: tuple[str, ...]


def read_in(path: Path, *, tuning: Tuning | None = None, part: str = "") -> ReadIn:
    """A project without a recording from a MusicXML, MIDI or text tab file. tuning: where the score names none.

    Raises FileFormatError.
    """
    score = stopping.apart(lambda: read_score(path, part=part))
    project = stopping.apart(lambda: project_of(score, tuning=tuning, title=title_of(path)))
    return ReadIn(project, score.part, score.parts, put_elsewhere(score, project), score.skipped)


def with_recording(score: Project, path: Path, *, progress: Progress | None = None) -> tuple[Project, LinedUp]:
    """A score lined up with a recording: the project, and how much of it was found.

    Raises AudioError, and ScoreError where too little fits.
    """
    audio = load(path, progress=(lambda x: progress(later("Reading"), x)) if progress else None)
    recording = describe(path.resolve(), audio)
    heard = measured_project(audio, recording, tuning=score.tuning, lead=score.lead, doubt=False, progress=progress)
    lined = stopping.apart(lambda: line_up(score, heard.notes, recording))
    return replace(lined.over(heard), request=score.request, states=score.states), lined
