"""How sure each part of a proposed note is."""

from dataclasses import astuple, dataclass

from notcher.score.errors import ScoreError


@dataclass(frozen=True, slots=True)
class Sure:
    """Chances, 0 to 1, that a note's pitch, its onset (within 50 ms), how it is reached, and its bend are right."""

    pitch: float
    onset: float
    attack: float
    bend: float

    def __post_init__(self) -> None:
        for chance in astuple(self):
            if not 0 <= chance <= 1:
                raise ScoreError("a chance lies between 0 and 1, got {chance}", chance=chance)
