"""Opening a score from elsewhere by its ending: one row a reader."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from notcher.formats.errors import FileFormatError
from notcher.formats.incoming.found import ReadScore
from notcher.formats.limits import MIDI, SCORE, TEXT, Kind, read_limited


@dataclass(frozen=True, slots=True)
class Reader:
    """endings: of its files; kind: what they are and how large they may be; read: bytes and the name of the part that
    is wanted, '' for the guitar's. read raises FileFormatError for what it cannot read, in a clause."""

    endings: tuple[str, ...]
    kind: Kind
    read: Callable[[bytes, str], ReadScore]


def _musicxml(data: bytes, part: str) -> ReadScore:
    from notcher.formats.incoming.musicxml import read_musicxml

    return read_musicxml(data, part=part)


def _midi(data: bytes, part: str) -> ReadScore:
    from notcher.formats.incoming.midi import read_midi

    return read_midi(data, part=part)


def _text_tab(data: bytes, part: str) -> ReadScore:
    from notcher.formats.incoming.text_tab import read_text_tab

    return read_text_tab(data)


READERS: tuple[Reader, ...] = (
    Reader((".musicxml", ".xml", ".mxl"), SCORE, _musicxml),
    Reader((".mid", ".midi"), MIDI, _midi),
    Reader((".txt", ".tab"), TEXT, _text_tab),
)


def endings() -> tuple[str, ...]:
    """Of all scores that can be read."""
    return tuple(ending for reader in READERS for ending in reader.endings)


def is_score(path: Path) -> bool:
    """Whether a file's ending is that of a score that can be read."""
    return path.suffix.lower() in endings()


def read_score(path: Path, *, part: str = "") -> ReadScore:
    """What a score says. part: the name of the part to read, '' for the guitar's.

    Raises FileFormatError, in one line, for what cannot be read.
    """
    reader = next((r for r in READERS if path.suffix.lower() in r.endings), None)
    if reader is None:
        raise FileFormatError(
            "'{ending}' is no score that can be read; use {endings}", ending=path.suffix, endings=", ".join(endings())
        )
    data = read_limited(path, reader.kind)
    if not data:
        raise FileFormatError("'{name}' is empty", name=path.name)
    try:
        found = reader.read(data, part)
    except FileFormatError as error:
        raise FileFormatError("'{name}': {error}", name=path.name, error=error) from error
    if not found.notes:
        raise FileFormatError("'{name}' holds no note that could be read", name=path.name)
    return found
