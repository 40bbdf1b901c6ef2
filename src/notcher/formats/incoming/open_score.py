"""Opening a score from elsewhere by its ending."""

from pathlib import Path

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import ReadScore
from notcher.formats.limits import MIDI, SCORE, TEXT, Kind, read_limited

_KINDS: dict[str, Kind] = {
    ".musicxml": SCORE, ".xml": SCORE, ".mxl": SCORE, ".mid": MIDI, ".midi": MIDI, ".txt": TEXT, ".tab": TEXT,
}  # fmt: skip
ENDINGS = tuple(_KINDS)


def is_score(path: Path) -> bool:
    """Whether a file's ending is that of a score that can be read."""
    return path.suffix.lower() in ENDINGS


def read_score(path: Path, *, part: str = "") -> ReadScore:
    """What a MusicXML, MIDI or text tab file says. part: the name of the part to read, '' for the guitar's.

    Raises FileFormatError, in one line, for what cannot be read.
    """
    kind = _KINDS.get(path.suffix.lower())
    if kind is None:
        raise FileFormatError(f"'{path.suffix}' is no score that can be read; use {', '.join(ENDINGS)}")
    data = read_limited(path, kind)
    if not data:
        raise FileFormatError(f"'{path.name}' is empty")
    try:
        if kind is SCORE:
            from notcher.formats.incoming.musicxml import read_musicxml

            found = read_musicxml(data, part=part)
        elif kind is MIDI:
            from notcher.formats.incoming.midi import read_midi

            found = read_midi(data, part=part)
        else:
            from notcher.formats.incoming.text_tab import read_text_tab

            found = read_text_tab(data)
    except FileFormatError as error:
        raise FileFormatError(f"'{path.name}': {error}") from error
    if not found.notes:
        raise FileFormatError(f"'{path.name}' holds no note that could be read")
    return found
