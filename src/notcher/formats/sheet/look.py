"""How a sheet is to look: what of the rhythm it shows, its paper, its type, and what stands beside the tab."""

from dataclasses import dataclass
from enum import StrEnum

from notcher.formats.errors import FileFormatError
from notcher.formats.sheet.neck import Necks
from notcher.formats.sheet.shapes import A4, Paper
from notcher.wording import later

SMALLEST, LARGEST = 0.7, 1.6
# Points of the usual size that a head and four systems with both staves take, full as they may be.
_FOUR_SYSTEMS = 935.0


class Rhythm(StrEnum):
    """What of the rhythm stands under the numbers."""

    STEMS = "stems"
    COUNTS = "counts"
    BOTH = "both"
    NEITHER = "neither"


RHYTHM_WORDS = {
    Rhythm.BOTH: later("stems and counts"), Rhythm.STEMS: later("stems"), Rhythm.COUNTS: later("counts"),
    Rhythm.NEITHER: later("no rhythm"),
}  # fmt: skip
"""Each as it is offered."""


@dataclass(frozen=True, slots=True)
class Look:
    """rhythm: what is shown of it, None for what suits: all without a staff, counts under one; run_on: phrases follow
    one another on a line; size: of all that is drawn, 1 for the usual; staff: whether one stands over the tab; neck:
    where each phrase's first line has its places on the neck over it; framed: ids of notes whose
    numbers stand in a frame."""

    rhythm: Rhythm | None = None
    paper: Paper = A4
    run_on: bool = False
    size: float = 1.0
    staff: bool = False
    neck: Necks | None = None
    framed: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        if not SMALLEST <= self.size <= LARGEST:
            raise FileFormatError(
                "the size goes from {low:.0f} to {high:.0f} % of the usual, got {size:.0f}", low=100 * SMALLEST,
                high=100 * LARGEST, size=100 * self.size,
            )  # fmt: skip

        if self.run_on and self.neck is not None:
            raise FileFormatError("a neck stands over each phrase; leave it out, or begin a line with each phrase")

    @property
    def scale(self) -> float:
        """How large all is drawn: with a staff so that four systems go on a page, the first one with its head, too."""
        return self.size * (min(1.0, self.paper.height / _FOUR_SYSTEMS) if self.staff else 1.0)

    @property
    def stems(self) -> bool:
        """Whether stems stand under the numbers."""
        return self.rhythm in (Rhythm.STEMS, Rhythm.BOTH) or (self.rhythm is None and not self.staff)

    @property
    def counts(self) -> bool:
        """Whether counts stand there."""
        return self.rhythm in (Rhythm.COUNTS, Rhythm.BOTH, None)


USUAL = Look()
