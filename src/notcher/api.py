"""Notcher for scripts, without a window: read, transcribe, edit, save, and write every kind of export.

These names stay as they are. Errors are NotcherErrors: one sentence each.
"""

from collections.abc import Sequence
from pathlib import Path

from notcher.document.recovery import LeftBehind, left_behind
from notcher.document.store import Document, open_document
from notcher.formats import project_file
from notcher.formats.export import With
from notcher.formats.export import render as written
from notcher.formats.heading import Said
from notcher.formats.incoming.open_score import is_score
from notcher.formats.sheet.look import look_of
from notcher.pipeline.import_score import read_in
from notcher.pipeline.transcribe import transcribed
from notcher.score.errors import NotcherError
from notcher.score.isolation import FIND_OUT, Isolation
from notcher.score.project import Phrase, Project
from notcher.score.tuning import STANDARD, Tuning
from notcher.score.versions import shown_named
from notcher.teach.layers import Layer, layer_of
from notcher.wording.lesson import shown_words

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
    showing: str | None = None,
    layer: str = Layer.COLOUR,
    staff: bool = False,
    hands: bool = False,
    rhythm: str | None = None,
    paper: str = "a4",
    run_on: bool = False,
    size: float = 100,
    neck: bool = False,
    left_handed: bool = False,
    series: str = "",
    pace: float = 100.0,
    offset: float = 0.0,
    dialect: int = 0,
) -> bytes:
    """One kind of export as bytes, of some phrases or of all. beside: all that is said beside the notes; without it the
    options are what `notcher export` has by those names. ending: of the kind's files, where it has several.

    Raises a NotcherError for a kind, a version or a paper that there is not.
    """
    shown = shown_named(project, showing)
    if beside is None:
        look = look_of(staff=staff, rhythm=rhythm, paper=paper, run_on=run_on, size=size, neck=neck,
                       left_handed=left_handed)  # fmt: skip
        said = Said(shown=shown_words(showing, layer_of(layer)), series=series)
        beside = With(hands, layer_of(layer), look, said, pace, offset, dialect)
    return written(shown, kind, phrases, beside, ending=ending)


def transcribe(
    path: Path | str,
    *,
    tuning: Tuning = STANDARD,
    lead: Isolation = FIND_OUT,
    start: float = 0.0,
    end: float | None = None,
    beat: bool = True,
) -> Project:
    """A project with proposed notes from a recording; start, end: seconds; beat: whether the beat is looked for.

    Raises AudioError where there is nothing to hear.
    """
    return transcribed(Path(path), tuning=tuning, lead=lead, start=start, end=end, beat=beat)[0]
