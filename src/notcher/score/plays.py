"""What plays: what the person says, and what is listened for by it."""

from dataclasses import replace
from enum import StrEnum

from notcher.score.isolation import Isolation

# Hz from which a low string is heard that bass and drums do not cover: the low E sounds at 82 Hz, of a guitar tuned
# down less.
_LOW_STRINGS_HZ = 60.0


class Plays(StrEnum):
    """One line, as a lead guitar plays it, or a riff and chords: low strings struck together, often recorded twice."""

    LINE = "line"
    RIFF = "riff"

    def heard_in(self, lead: Isolation) -> Isolation:
        """How it is taken out of the recording where the lower end of its band was not chosen."""
        if self is Plays.RIFF and lead.low_hz == Isolation().low_hz:
            return replace(lead, low_hz=_LOW_STRINGS_HZ)
        return lead
