"""What every reader takes at most, in one place, so that no file can eat the machine.

The sizes are far above anything that music needs: a project of 3,000 notes takes 2 MB, a score of 300 pages 20 MB.
"""

import math
import re
import stat
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

from notcher.formats.errors import FileFormatError
from notcher.score.clause import Clause
from notcher.wording import later, tr

LONGEST_BEATS = 100_000
"""Of a score."""
LONGEST_LINE = 2_000
"""Characters in a line of text tab that are looked at."""
MOST_DIGITS = 15
"""In a number: a float holds no more."""
LARGEST_DENOMINATOR = 10**9
"""Of a place in beats: tuplets within tuplets stay far below."""
DEEPEST = 64
"""Elements in elements."""
MOST_ELEMENTS = 1_000_000
"""In one XML file."""


@dataclass(frozen=True, slots=True)
class Kind:
    """name: of what it is, after an article; most_bytes: how large its files may be."""

    name: str
    most_bytes: int


PROJECT = Kind(later("project"), 60_000_000)
JOURNAL = Kind(later("recovery file"), 400_000_000)
SCORE = Kind(later("score"), 20_000_000)
MIDI = Kind(later("MIDI file"), 2_000_000)
TEXT = Kind(later("text tab"), 2_000_000)
NOTES = Kind(later("document of notes"), 60_000_000)
SETTINGS = Kind(later("settings file"), 1_000_000)


def read_limited(path: Path, kind: Kind) -> bytes:
    """All of a plain file. Raises FileFormatError for what is too large, no plain file, missing or unreadable."""
    try:
        status = path.stat()
        if stat.S_ISDIR(status.st_mode):
            raise FileFormatError("'{path}' is a folder; choose the {name} in it", path=path, name=Clause(kind.name))
        # A pipe or a device may never end.
        if not stat.S_ISREG(status.st_mode):
            raise FileFormatError("'{path}' is no plain file; copy it to one first", path=path)
        with path.open("rb") as f:
            data = f.read(kind.most_bytes + 1)
    except FileNotFoundError as error:
        raise FileFormatError(
            "there is no {name} '{path}'; check the name", name=Clause(kind.name), path=path
        ) from error
    except ValueError as error:
        raise FileFormatError("'{path}' is no name of a file; check it", path=path) from error
    except OSError as error:
        raise FileFormatError(
            "'{path}' cannot be read ({strerror}); check its permissions", path=path, strerror=error.strerror
        ) from error
    if len(data) > kind.most_bytes:
        raise FileFormatError(
            "'{name}' is larger than the {most_bytes} MB that a {kind} may have",
            name=path.name,
            most_bytes=kind.most_bytes // 1_000_000,
            kind=Clause(kind.name),
        )
    return data


_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]{1,3})?")


def number(text: str) -> float:
    """A number written with at most MOST_DIGITS digits. Raises ValueError for anything else: infinities, digits of
    other scripts, and numbers whose length alone would cost minutes."""
    clean = text.strip()
    if len(clean) > MOST_DIGITS + 10 or not _NUMBER.fullmatch(clean):
        raise ValueError(tr("'{clean}' is no number", clean=clean[:20]))
    value = float(clean)
    if abs(value) > 10**MOST_DIGITS:
        raise ValueError(tr("{clean} is too large a number", clean=clean[:20]))
    return value


def whole(text: str) -> int:
    """A whole number, as `number`. Raises ValueError."""
    value = number(text)
    if value != int(value):
        raise ValueError(tr("'{text}' is no whole number", text=text.strip()[:20]))
    return int(value)


def fraction(text: str) -> Fraction:
    """A number as a fraction of small parts, as `number`. Raises ValueError."""
    return Fraction(number(text)).limit_denominator(10**6)


def check_values(data: Any, *, free: frozenset[str] = frozenset()) -> None:
    """Raises ValueError, naming the place, for what JSON can say and no value may be: numbers that are none or beyond
    all measure, and halves of letters. free: names under which half letters may stand (a file's name holds bytes)."""
    waiting: list[tuple[str, Any]] = [("", data)]
    while waiting:
        place, value = waiting.pop()
        if isinstance(value, dict):
            waiting += [(key, v) for key, v in value.items()]
            waiting += [(tr("a name"), key) for key in value]
        elif isinstance(value, list):
            waiting += [(place, v) for v in value]
        elif isinstance(value, float) and not math.isfinite(value):
            raise ValueError(tr("{place} is no number", place=place))
        elif isinstance(value, (int, float)) and abs(value) > 10**MOST_DIGITS:
            raise ValueError(tr("{place} is too large a number", place=place))
        elif isinstance(value, str) and place not in free and _HALF_LETTER.search(value):
            raise ValueError(tr("{place} holds half a letter", place=place))


_HALF_LETTER = re.compile("[\ud800-\udfff]")
