"""A picture of systems under one another: what strips and cards are."""

from dataclasses import dataclass

from notcher.formats.sheet.shapes import Shape, moved
from notcher.formats.sheet.systems import System

EDGE = 2.0
"""Points that are left free around what is drawn."""


@dataclass(frozen=True, slots=True)
class Picture:
    """Systems under one another, in points: each with the y of its top; width and height of all, and how far from the
    left they stand."""

    systems: tuple[tuple[float, System], ...]
    width: float
    height: float
    name: str
    edge: float = EDGE

    @property
    def shapes(self) -> list[Shape]:
        """All that is drawn."""
        return [moved(s, self.edge, y) for y, system in self.systems for s in system.shapes]
