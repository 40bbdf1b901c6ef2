"""How the lead is taken out of the recording: where it sits between left and right, its band, and how hard."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from notcher.score.declared import declared, within
from notcher.score.errors import ScoreError

LOWEST_HZ, HIGHEST_HZ = 40.0, 16000.0


class StereoPosition(StrEnum):
    """Where the lead sits: to be found out, everywhere, at one place between left and right, or on both sides."""

    AUTO = "auto"
    MIX = "mix"
    PAN = "pan"
    SIDES = "sides"


@dataclass(frozen=True, slots=True)
class Isolation:
    """pan: -1 (left) to 1 (right), and width: how far around it still counts, both for Seat.PAN only.

    low_hz, high_hz: the band that is kept. strength: 0 (nothing is taken away) to 1 (all that does not fit).
    """

    stereo_position: Annotated[StereoPosition, declared(name="seat")] = StereoPosition.AUTO
    pan: Annotated[float, within(-1, 1, "-1 left to 1 right, for seat pan")] = 0.0
    width: Annotated[float, within(0.05, 1)] = 0.5
    low_hz: float = 150.0
    high_hz: float = 8000.0
    strength: Annotated[float, within(0, 1)] = 1.0

    def __post_init__(self) -> None:
        if not -1 <= self.pan <= 1:
            raise ScoreError("the lead's place goes from -1 (left) to 1 (right), got {pan}", pan=self.pan)
        if not 0.05 <= self.width <= 1:
            raise ScoreError("the width around the lead's place goes from 0.05 to 1, got {width}", width=self.width)
        if not LOWEST_HZ <= self.low_hz < self.high_hz <= HIGHEST_HZ:
            raise ScoreError(
                "the lead's band lies within {lowest_hz:g} to {highest_hz:g} Hz, lower end first, "
                "got {low_hz:g} to {high_hz:g} Hz",
                lowest_hz=LOWEST_HZ,
                highest_hz=HIGHEST_HZ,
                low_hz=self.low_hz,
                high_hz=self.high_hz,
            )
        if not 0 <= self.strength <= 1:
            raise ScoreError("the strength goes from 0 to 1, got {strength}", strength=self.strength)

    @classmethod
    def named(cls, name: str) -> "Isolation":
        """One of the names of NAMED_ISOLATIONS. Raises ScoreError for another."""
        try:
            return NAMED_ISOLATIONS[name]
        except KeyError:
            raise ScoreError(
                "the lead is one of {names}, got '{name}'", names=", ".join(NAMED_ISOLATIONS), name=name
            ) from None


FIND_OUT = Isolation()
"""Where the lead sits is to be found out by listening."""
NAMED_ISOLATIONS = {
    "auto": FIND_OUT,
    "mix": Isolation(StereoPosition.MIX),
    "centre": Isolation(StereoPosition.PAN),
    "left": Isolation(StereoPosition.PAN, pan=-0.6, width=0.6),
    "right": Isolation(StereoPosition.PAN, pan=0.6, width=0.6),
    "sides": Isolation(StereoPosition.SIDES),
}
