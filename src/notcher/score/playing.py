"""How the solo is played: the schools of the two hands, the guitar's string length, its strings."""

import math
import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import declared, within
from notcher.score.errors import ScoreError
from notcher.score.limits import check_count
from notcher.score.pitch import midi_to_hz
from notcher.score.tuning import MOST_STRINGS

USUAL_SCALE_MM, SHORTEST_SCALE_MM, LONGEST_SCALE_MM = 648, 480, 800
"""Length of a string from nut to bridge, mm: the usual one of electric guitars (25.5 inches; common practice, no
source), and those of a child's guitar and of the longest with eight strings."""
THINNEST, THICKEST = 5.0, 100.0
"""Gauges that a guitar can have, thousandths of an inch."""
_STEEL_KG_M3 = 7850.0
# The share of a solid string's mass that a wound one of the same gauge has: between its rounds there is air (from
# memory: 0.82 to 0.84 by the unit weights that makers print; they differ by some 3 in 100).
_WOUND = 0.83
_MM_AN_INCH = 25.4
_GAUGE = re.compile(r"0?\.?([0-9]{1,3}(?:\.[0-9])?)(w?)", re.IGNORECASE)


class Hand(StrEnum):
    """Schools of fingering: a finger a fret; three strong fingers, the little one spared; rather stretch than shift."""

    PER_FRET = "per-fret"
    STRONG_THREE = "strong-three"
    STRETCH = "stretch"


class Picking(StrEnum):
    """Schools of the pick: down and up in turn; the same way on where the next string lies that way; down alone."""

    ALTERNATE = "alternate"
    ECONOMY = "economy"
    DOWN = "down"


@dataclass(frozen=True, slots=True)
class Gauge:
    """How thick a string is, in thousandths of an inch, and whether it is wound."""

    thousandths: Annotated[float, within(THINNEST, THICKEST, "of an inch")]
    wound: bool = False

    def __post_init__(self) -> None:
        if not THINNEST <= self.thousandths <= THICKEST:
            raise ScoreError(
                "strings are {thinnest:g} to {thickest:g} thousandths of an inch thick, got {value:g}",
                thinnest=THINNEST, thickest=THICKEST, value=self.thousandths,
            )  # fmt: skip

    @property
    def kg_a_metre(self) -> float:
        """Mass a length, of steel: a round bar's, less the air between the rounds of a wound string."""
        mm = self.thousandths / 1000 * _MM_AN_INCH
        solid = _STEEL_KG_M3 * math.pi / 4 * (mm / 1000) ** 2
        return solid * (_WOUND if self.wound else 1.0)

    def __str__(self) -> str:
        return f"{self.thousandths:g}{'w' if self.wound else ''}"


@dataclass(frozen=True, slots=True)
class Playing:
    """hand, picking: the schools. scale_mm: from nut to bridge. gauges: of the strings from the thinnest on, () where
    nobody said."""

    hand: Hand = Hand.PER_FRET
    picking: Picking = Picking.ALTERNATE
    scale_mm: Annotated[int, within(SHORTEST_SCALE_MM, LONGEST_SCALE_MM, "from nut to bridge")] = USUAL_SCALE_MM
    gauges: Annotated[
        tuple[Gauge, ...], declared("from the thinnest string on; none: not said", maxItems=MOST_STRINGS)
    ] = ()

    def __post_init__(self) -> None:
        if not SHORTEST_SCALE_MM <= self.scale_mm <= LONGEST_SCALE_MM:
            raise ScoreError(
                "strings are {shortest} to {longest} mm long from nut to bridge, got {scale}",
                shortest=SHORTEST_SCALE_MM, longest=LONGEST_SCALE_MM, scale=self.scale_mm,
            )  # fmt: skip
        check_count(len(self.gauges), MOST_STRINGS, Clause("gauges"))

    def gauge(self, string: int) -> Gauge | None:
        """A string's, None where nobody said."""
        return self.gauges[string - 1] if string <= len(self.gauges) else None

    def tension(self, string: int, open_pitch: float) -> float | None:
        """Newtons with which a string pulls that sounds open_pitch (MIDI) from nut to bridge: T = mu (2 L f)^2, mu its
        mass a length (Mersenne's law; N. H. Fletcher and T. D. Rossing, The Physics of Musical Instruments, chapter 2:
        f = sqrt(T / mu) / 2L). None where its gauge is not known."""
        gauge = self.gauge(string)
        if gauge is None:
            return None
        return gauge.kg_a_metre * (2 * self.scale_mm / 1000 * midi_to_hz(open_pitch)) ** 2


USUAL = Playing()
"""As where nobody said."""


def gauges_of(text: str, strings: int) -> tuple[Gauge, ...]:
    """Gauges as they are written, from the thinnest string on: '10 13 17 26w 36w 46w'; nothing is none.

    Raises ScoreError where one is no gauge, or where there are not as many as strings.
    """
    parts = [p for p in re.split(r"[\s,;/-]+", text.strip()) if p]
    found: list[Gauge] = []
    for part in parts:
        match = _GAUGE.fullmatch(part)
        if match is None:
            raise ScoreError(
                "'{part}' is no gauge; write thousandths of an inch from the thinnest string on, wound ones with a w: "
                "10 13 17 26w 36w 46w", part=part,
            )  # fmt: skip
        found.append(Gauge(float(match[1]), bool(match[2])))
    if found and len(found) != strings:
        raise ScoreError(
            "{given} gauges for {strings} strings; write one for each, from the thinnest on", given=len(found),
            strings=strings,
        )  # fmt: skip
    return tuple(found)
