"""How a film is to look and sound."""

from dataclasses import dataclass

from notcher.formats.errors import FileFormatError
from notcher.formats.practice import FASTEST, MOST_ROUNDS, SLOWEST

SMALLEST, LARGEST, RATES = 240, 4096, (24, 25, 30, 50, 60)


@dataclass(frozen=True, slots=True)
class Film:
    """pace: percent; hear: what, of practice.HEARD, '' for the recording where it is, else the written tab; width,
    height: pixels, even; rate: frames a second; layer: whether the ground is transparent; counted: whether it begins
    with a count; click: whether one goes along."""

    pace: int = 50
    hear: str = ""
    rounds: int = 1
    width: int = 1280
    height: int = 720
    rate: int = 30
    counted: bool = True
    click: bool = True
    dark: bool = False
    staff: bool = False
    layer: bool = False
    dialect: int = 0

    def __post_init__(self) -> None:
        if not SLOWEST <= self.pace <= FASTEST:
            raise FileFormatError(
                "a pace goes from {low} to {high} % of the recording, got {paces}", low=SLOWEST, high=FASTEST,
                paces=self.pace,
            )  # fmt: skip
        if not 1 <= self.rounds <= MOST_ROUNDS:
            raise FileFormatError("there are 1 to {most} rounds, got {rounds}", most=MOST_ROUNDS, rounds=self.rounds)
        for value in (self.width, self.height):
            if not SMALLEST <= value <= LARGEST or value % 2:
                raise FileFormatError(
                    "a film is {low} to {high} pixels wide and high, in even numbers, got {value}", low=SMALLEST,
                    high=LARGEST, value=value,
                )  # fmt: skip
        if self.rate not in RATES:
            rates = ", ".join(str(r) for r in RATES)
            raise FileFormatError("a film has {rates} frames a second, got {rate}", rates=rates, rate=self.rate)
