"""Everything that can be handed out, by kind."""

from collections.abc import Sequence
from pathlib import Path

from notcher.formats.atomic import write_bytes
from notcher.formats.errors import FileFormatError
from notcher.formats.heading import title
from notcher.formats.printable import with_printable_words
from notcher.score.note import Note
from notcher.score.project import Phrase, Project

ENDINGS = {
    ".musicxml": "musicxml", ".xml": "musicxml", ".mid": "midi", ".midi": "midi", ".txt": "text", ".tab": "text",
    ".pdf": "pdf", ".svg": "svg", ".png": "png", ".json": "notes", ".csv": "contour",
}  # fmt: skip
KINDS = ("notes", "contour", "musicxml", "midi", "text", "pdf", "svg", "png")
# Of projects and recordings, which no export is.
_NEVER = frozenset({".notcher", ".wav", ".flac", ".ogg", ".oga", ".mp3", ".aif", ".aiff", ".mxl"})
_NEED_NOTES = frozenset(KINDS) - {"notes", "contour"}


def kind_of(path: Path, said: str | None) -> str:
    """The kind to write: what was said, else from the file's ending. Raises FileFormatError, listing the kinds."""
    if said is not None:
        if said not in KINDS:
            raise FileFormatError(f"'{said}' is no kind of export; the kinds are {', '.join(KINDS)}")
        other = ENDINGS.get(path.suffix.lower(), said)
        if path.suffix.lower() in _NEVER or other != said:
            raise FileFormatError(f"'{path.name}' ends as another kind of file than {said}; choose another ending")
        return said
    kind = ENDINGS.get(path.suffix.lower())
    if kind is None:
        raise FileFormatError(
            f"what to write cannot be told from '{path.name}'; end it in {', '.join(sorted(ENDINGS))}, or say --as KIND"
        )
    return kind


def chosen_notes(project: Project, phrases: Sequence[Phrase]) -> tuple[Note, ...]:
    """All notes, or those that start in the given phrases."""
    if not phrases:
        return project.notes
    return tuple(n for n in project.notes if any(p.start <= n.onset < p.end for p in phrases))


def render(project: Project, kind: str, phrases: Sequence[Phrase] = ()) -> bytes:
    """One export as bytes. Raises FileFormatError where there is nothing to write."""
    if kind not in ("notes", "contour"):
        project = with_printable_words(project)
    notes = chosen_notes(project, phrases)
    if not notes and kind in _NEED_NOTES:
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    match kind:
        case "notes":
            from notcher.formats.tables import notes_json

            return notes_json(project, notes).encode()
        case "contour":
            from notcher.formats.tables import contour_csv

            if project.contour is None:
                raise FileFormatError("this project has no measured contour; measure the recording first")
            start = min((p.start for p in phrases), default=0.0)
            end = max((p.end for p in phrases), default=None)
            return contour_csv(project, start=start, end=end).encode()
        case "musicxml":
            from notcher.formats.musicxml import musicxml

            return musicxml(project, notes).encode()
        case "midi":
            from notcher.formats.midi import midi_bytes

            return midi_bytes(project, notes)
        case "text":
            from notcher.formats.text_tab import text_tab

            return text_tab(project, notes).encode()
    from notcher.formats.sheet.layout import lay_out
    from notcher.formats.sheet.writers import pdf_bytes, png_bytes, svg_text

    pages = lay_out(project, notes)
    if kind == "svg":
        return svg_text(pages, title=title(project)).encode()
    pdf = pdf_bytes(pages, title=title(project))
    return png_bytes(pdf) if kind == "png" else pdf


def export(project: Project, path: Path, *, kind: str | None = None, phrases: Sequence[Phrase] = ()) -> str:
    """Write one export whole or not at all; returns its kind. Raises FileFormatError."""
    chosen = kind_of(path, kind)
    write_bytes(path, render(project, chosen, phrases))
    return chosen
