"""How sure each part of a proposed note is."""

from dataclasses import astuple, dataclass
from typing import Annotated

from notcher.score.declared import within
from notcher.score.errors import ScoreError


@dataclass(frozen=True, slots=True)
class Sure:
    """Chances, 0 to 1, that a note's pitch, its onset (within 50 ms), how it is reached, and its bend are right."""

    pitch: Annotated[float, within(0, 1, "the chance that its pitch is right")]
    onset: Annotated[float, within(0, 1, "the chance that its onset, within 50 ms is right")]
    attack: Annotated[float, within(0, 1, "the chance that how it is reached is right")]
    bend: Annotated[float, within(0, 1, "the chance that its bend is right")]

    def __post_init__(self) -> None:
        for chance in astuple(self):
            if not 0 <= chance <= 1:
                raise ScoreError("a chance lies between 0 and 1, got {chance}", chance=chance)
