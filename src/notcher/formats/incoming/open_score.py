"""Opening a score from elsewhere by its ending."""

from pathlib import Path

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import LONGEST_BYTES, ReadScore

ENDINGS = (".musicxml", ".xml", ".mxl", ".mid", ".midi", ".txt", ".tab")


def is_score(path: Path) -> bool:
    """Whether a file's ending is that of a score that can be read."""
    return path.suffix.lower() in ENDINGS


def read_score(path: Path, *, part: str = "") -> ReadScore:
    """What a MusicXML, MIDI or text tab file says. part: the name of the part to read, '' for the guitar's.

    Raises FileFormatError, in one line, for what cannot be read.
    """
    try:
        size = path.stat().st_size
        if size > LONGEST_BYTES:
            raise FileFormatError(
                f"'{path.name}' has {size / 1e6:.0f} MB, more than any solo needs; "
                f"scores of up to {LONGEST_BYTES / 1e6:.0f} MB are read"
            )
        data = path.read_bytes()
    except OSError as error:
        raise FileFormatError(f"'{path}' cannot be read: {error.strerror or error}") from error
    if not data:
        raise FileFormatError(f"'{path.name}' is empty")
    try:
        match path.suffix.lower():
            case ".musicxml" | ".xml" | ".mxl":
                from notcher.formats.incoming.musicxml import read_musicxml

                found = read_musicxml(data, part=part)
            case ".mid" | ".midi":
                from notcher.formats.incoming.midi import read_midi

                found = read_midi(data, part=part)
            case ".txt" | ".tab":
                from notcher.formats.incoming.text_tab import read_text_tab

                found = read_text_tab(data)
            case other:
                raise FileFormatError(f"'{other}' is no score that can be read; use {', '.join(ENDINGS)}")
    except FileFormatError as error:
        raise FileFormatError(f"'{path.name}': {error}") from error
    if not found.notes:
        raise FileFormatError(f"'{path.name}' holds no note that could be read")
    return found
