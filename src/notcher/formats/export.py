"""Everything that can be handed out: one row a kind, read by the command line, the window, the docs and the tests."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING

from notcher.formats.errors import FileFormatError
from notcher.formats.heading import title
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.printable import with_printable_words
from notcher.formats.printing import WITHOUT, With
from notcher.place.solver import in_full
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.stopping import apart
from notcher.teach.layers import Layer, layered
from notcher.wording import later

if TYPE_CHECKING:
    from notcher.formats.sheet.shapes import Page


class Needs(Enum):
    """What a project must have for a kind to be written."""

    NOTHING = "nothing"
    NOTES = "notes"
    CONTOUR = "contour"
    CHORDS = "chords"


@dataclass(frozen=True, slots=True)
class Handout:
    """What is written: the project, those of its notes that are wanted, the phrases they lie in (none: all), and what
    is wanted with them. ending: of the file, '' for a kind's first."""

    project: Project
    notes: tuple[Note, ...]
    phrases: tuple[Phrase, ...]
    beside: With = WITHOUT
    ending: str = ""


@dataclass(frozen=True, slots=True)
class ExportKind:
    """name: as it is said with --as; endings: of its files, the first is given to a name without one; label, what_for:
    in the window. printed: whether people's words go into it as they are read, so that they must be printable."""

    name: str
    endings: tuple[str, ...]
    label: str
    what_for: str
    render: Callable[[Handout], bytes]
    needs: Needs = Needs.NOTES
    printed: bool = True

    def can_be_made_of(self, project: Project) -> bool:
        """Whether a project has what this kind needs."""
        match self.needs:
            case Needs.NOTES:
                return bool(project.notes)
            case Needs.CONTOUR:
                return project.contour is not None
            case Needs.CHORDS:
                return bool(project.chords)
            case Needs.NOTHING:
                return True


def _pdf(h: Handout) -> bytes:
    from notcher.formats.sheet.layout import lay_out
    from notcher.formats.sheet.writers import pdf_bytes

    return pdf_bytes(lay_out(h.project, h.notes, h.beside.look, h.beside.said), title=title(h.project))


def _png(h: Handout) -> bytes:
    from notcher.formats.sheet.writers import png_bytes

    return png_bytes(_pdf(h))


def _svg(h: Handout) -> bytes:
    from notcher.formats.sheet.layout import lay_out
    from notcher.formats.sheet.writers import svg_text

    return svg_text(lay_out(h.project, h.notes, h.beside.look, h.beside.said), title=title(h.project)).encode()


def _musicxml(h: Handout) -> bytes:
    from notcher.formats.musicxml import musicxml

    return musicxml(h.project, h.notes, staff=h.beside.look.staff).encode()


def _midi(h: Handout) -> bytes:
    from notcher.formats.midi import midi_bytes

    return midi_bytes(h.project, h.notes)


def _text(h: Handout) -> bytes:
    from notcher.formats.text_tab import text_tab

    return text_tab(h.project, h.notes, hands=h.beside.hands, said=h.beside.said).encode()


def _notes(h: Handout) -> bytes:
    from notcher.formats.tables import notes_json

    return notes_json(h.project, h.notes).encode()


def _harmony(h: Handout) -> bytes:
    from notcher.formats.harmony import harmony_json

    return harmony_json(h.project, h.notes).encode()


def _written(h: Handout) -> bytes:
    from notcher.formats.written import written_json

    return written_json(h.project, h.notes).encode()


def _captions(h: Handout) -> bytes:
    from notcher.formats.captions import captions_of, srt, timing_of, webvtt

    timing = timing_of(h.phrases, pace=h.beside.pace, offset=h.beside.offset)
    found = captions_of(h.project, h.notes, timing, dialect=h.beside.dialect)
    return (srt(found) if h.ending == ".srt" else webvtt(found)).encode()


def _cues(h: Handout) -> bytes:
    from notcher.formats.captions import cues, timing_of

    timing = timing_of(h.phrases, pace=h.beside.pace, offset=h.beside.offset)
    return cues(h.project, h.notes, timing, dialect=h.beside.dialect).encode()


def _chapters(h: Handout) -> bytes:
    from notcher.formats.captions import chapters, timing_of

    timing = timing_of(h.phrases, pace=h.beside.pace, offset=h.beside.offset)
    return chapters(h.project, h.notes, timing).encode()


def _contour(h: Handout) -> bytes:
    from notcher.formats.tables import contour_csv

    start = min((p.start for p in h.phrases), default=0.0)
    return contour_csv(h.project, start=start, end=max((p.end for p in h.phrases), default=None)).encode()


def _backing(h: Handout) -> bytes:
    from notcher.formats.backing import backing_bytes

    return backing_bytes(h.project, h.phrases, ending=h.ending or ".wav")


EXPORTS: tuple[ExportKind, ...] = (
    ExportKind("pdf", (".pdf",), "PDF", "tab to print", _pdf),
    ExportKind("musicxml", (".musicxml", ".xml"), "MusicXML", "for notation programs", _musicxml),
    ExportKind("midi", (".mid", ".midi"), "MIDI", "one channel a string", _midi),
    ExportKind("text", (".txt", ".tab"), "Text tab", "for a message", _text),
    ExportKind("svg", (".svg",), "SVG", "a picture of any size", _svg),
    ExportKind("png", (".png",), "PNG", "a picture", _png),
    ExportKind("notes", (".json",), "Notes", "as data, JSON", _notes, Needs.NOTHING, printed=False),
    ExportKind(
        "harmony", (".json",), "Harmony", "key, chords and degrees, JSON", _harmony, Needs.NOTHING, printed=False
    ),
    ExportKind(
        "written", (".json",), "Written", "bars, values and counts, JSON", _written, Needs.NOTHING, printed=False
    ),
    ExportKind("captions", (".vtt", ".srt"), "Captions", "of the cue lines, for a video", _captions),
    ExportKind("cues", (".txt",), "Cues", "each stroke in words, with its time", _cues),
    ExportKind("chapters", (".txt",), "Chapters", "of a video, each with its time", _chapters),
    ExportKind(
        "backing",
        (".wav", ".flac", ".ogg", ".mid"),
        "Backing",
        "the band, as sound or MIDI",
        _backing,
        Needs.CHORDS,
        printed=False,
    ),
    ExportKind("contour", (".csv",), "Pitch", "as measured, CSV", _contour, Needs.CONTOUR, printed=False),
)
BY_NAME = {kind.name: kind for kind in EXPORTS}
# Of two kinds with one ending, a file is of the first unless it is said; sound is only written where it is said.
_BY_ENDING = {ending: kind for kind in reversed(EXPORTS) for ending in kind.endings if kind.name != "backing"}
_LACKS = {
    Needs.NOTES: later("there are no notes to write; measure the recording or add notes first"),
    Needs.CHORDS: later("no chords are known to play; hear them (Ctrl+K) or enter them (O)"),
    Needs.CONTOUR: later("this project has no measured contour; measure the recording first"),
}
# Of projects and recordings, which no export is.
_NEVER = frozenset({".notcher", ".wav", ".flac", ".ogg", ".oga", ".mp3", ".aif", ".aiff", ".mxl"})


def kind_of(path: Path, said: str | None) -> ExportKind:
    """The kind to write: what was said, else from the file's ending. Raises FileFormatError, listing the kinds, and for
    an ending that belongs to another kind of file."""
    ending = path.suffix.lower()
    if said is None:
        if ending not in _BY_ENDING:
            endings = ", ".join(sorted(_BY_ENDING))
            raise FileFormatError(
                "what to write cannot be told from '{name}'; end it in {endings}, or say --as KIND",
                name=path.name,
                endings=endings,
            )
        return _BY_ENDING[ending]
    if said not in BY_NAME:
        raise FileFormatError(
            "'{said}' is no kind of export; the kinds are {names}", said=said, names=", ".join(BY_NAME)
        )
    if (ending in _NEVER and ending not in BY_NAME[said].endings) or (
        ending in _BY_ENDING and ending not in BY_NAME[said].endings
    ):
        raise FileFormatError(
            "'{name}' ends as another kind of file than {said}; choose another ending", name=path.name, said=said
        )
    return BY_NAME[said]


def chosen_notes(project: Project, phrases: Sequence[Phrase]) -> tuple[Note, ...]:
    """All notes, or those that start in the given phrases."""
    if not phrases:
        return project.notes
    return tuple(n for n in project.notes if any(p.start <= n.onset < p.end for p in phrases))


def as_wanted(project: Project, beside: With) -> Project:
    """The project with the layer that is wanted, and with fingers and strokes where they are."""
    if beside.layer is not Layer.COLOUR:
        project = project.with_notes(layered(project.notes, beside.layer))
    return in_full(project) if beside.hands else project


def render(
    project: Project, kind: str, phrases: Sequence[Phrase] = (), beside: With = WITHOUT, *, ending: str = ""
) -> bytes:  # fmt: skip
    """One export as bytes; ending: of the kind's files, where it has several.

    Raises FileFormatError for a kind that is none, or where there is nothing to write.
    """
    if kind not in BY_NAME:
        raise FileFormatError(
            "'{kind}' is no kind of export; the kinds are {names}", kind=kind, names=", ".join(BY_NAME)
        )
    row = BY_NAME[kind]
    notes = chosen_notes(project, phrases)
    if not row.can_be_made_of(project) or (row.needs is Needs.NOTES and not notes):
        raise FileFormatError(_LACKS[row.needs])
    if row.printed:
        project = with_printable_words(project)
        project = as_wanted(project, beside)
        notes = chosen_notes(project, phrases)
    return apart(lambda: row.render(Handout(project, notes, tuple(phrases), beside, ending)))


def printed_pages(project: Project, phrases: Sequence[Phrase], beside: With) -> "list[Page]":
    """The pages as they are printed. Raises FileFormatError where there is nothing to print."""
    from notcher.formats.sheet.layout import lay_out

    notes = chosen_notes(project, phrases)
    if not notes:
        raise FileFormatError(_LACKS[Needs.NOTES])
    project = with_printable_words(as_wanted(project, beside))
    return lay_out(project, chosen_notes(project, phrases), beside.look, beside.said)


def export(
    project: Project,
    path: Path,
    *,
    kind: str | None = None,
    phrases: Sequence[Phrase] = (),
    beside: With = WITHOUT,
    outputs: Outputs = FRESH,
) -> str:
    """Write one export whole or not at all; returns its kind.

    Raises FileFormatError.
    """
    row = kind_of(path, kind)
    outputs.check(path)
    outputs.write(path, render(project, row.name, phrases, beside, ending=path.suffix.lower()))
    return row.name
