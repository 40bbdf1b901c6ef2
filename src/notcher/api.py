"""Notcher for scripts, without a window: read, transcribe, edit, save, and write every kind of export.

These names stay as they are. Errors are NotcherErrors: one sentence each.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Unpack

from notcher.document.recovery import LeftBehind, left_behind
from notcher.document.store import Document, open_document
from notcher.formats import project_file
from notcher.formats.export import render as written
from notcher.formats.incoming.open_score import is_score
from notcher.formats.printing import Printing, With, with_options
from notcher.pipeline.import_score import read_in
from notcher.pipeline.transcribe import transcribed
from notcher.score.errors import NotcherError
from notcher.score.isolation import FIND_OUT, Isolation
from notcher.score.plays import Plays
from notcher.score.project import Phrase, Project
from notcher.score.tuning import STANDARD, Tuning
from notcher.score.versions import shown_named

__all__ = [
    "Document", "LeftBehind", "NotcherError", "Project", "left_behind", "open_document", "read", "render", "transcribe",
]  # fmt: skip


def read(path: Path | str) -> Project:
    """A project from any file that Notcher reads as notes: a project, or a score as MusicXML, MIDI or text tab.

    Raises FileFormatError. A recording is measured by `transcribe`.
    """
    place = Path(path)
    return read_in(place).project if is_score(place) else project_file.load(place)


def render(
    project: Project,
    kind: str,
    phrases: Sequence[Phrase] = (),
    beside: With | None = None,
    *,
    ending: str = "",
    **options: Unpack[Printing],
) -> bytes:
    """One kind of export as bytes, of some phrases or of all. beside: all that is said beside the notes; without it the
    options are what `notcher export` has by those names (formats/printing.py). ending: of the kind's files, where it
    has several.

    Raises a NotcherError for a kind, a version or a paper that there is not, TypeError for an option that there is not.
    """
    given = with_options(options)
    shown = shown_named(project, options.get("showing"))
    return written(shown, kind, phrases, given if beside is None else beside, ending=ending)


def transcribe(
    path: Path | str,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    plays: Plays = Plays.LINE,
    start: float = 0.0,
    end: float | None = None,
    beat: bool = True,
) -> Project:
    """A project with proposed notes from a recording; plays: one line, or a riff and chords; start, end: seconds; beat:
    whether the beat is looked for.

    Raises AudioError where there is nothing to hear.
    """
    return transcribed(Path(path), tuning=tuning, lead=lead, plays=plays, start=start, end=end, beat=beat)[0]
