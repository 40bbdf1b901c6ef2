"""What a value's type alone does not say of it, beside its type: what it means, within which limits it lies, and under
which name it stands in the project file. The file's schema and its codec are made from it (formats/schema.py,
formats/codec.py), so that a field is declared once.
"""

from dataclasses import dataclass
from typing import Annotated, Any

from notcher.score.limits import LONGEST_S


@dataclass(frozen=True, slots=True)
class Declared:
    """description: what a reader of the file is told; limits: keywords of JSON Schema; name: its name in the file where
    that is another than the field's, '' for the field's own; may_lack: whether a file may leave it out."""

    description: str = ""
    limits: tuple[tuple[str, Any], ...] = ()
    name: str = ""
    may_lack: bool = False


def declared(description: str = "", *, name: str = "", may_lack: bool = False, **limits: Any) -> Declared:
    """For Annotated. limits: as JSON Schema names them (minimum, exclusiveMinimum, enum, pattern ...)."""
    return Declared(description, tuple(limits.items()), name, may_lack)


def within(low: float, high: float, description: str = "") -> Declared:
    """A number from low to high, both included."""
    return declared(description, minimum=low, maximum=high)


Seconds = Annotated[float, within(0, LONGEST_S)]
"""A time in the recording."""
Chance = Annotated[float, within(0, 1)]
