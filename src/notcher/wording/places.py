"""What a place for a phrase is called."""

from collections.abc import Sequence

from notcher.place.phrases import PhrasePlace
from notcher.wording.names import ordinal
from notcher.wording.say import tr

_SHOWN_WAY = 4


def way_words(positions: Sequence[int], *, most: int = _SHOWN_WAY) -> str:
    """The positions of a hand one after the other, '9th → 6th'."""
    way = [p for k, p in enumerate(positions) if k == 0 or positions[k - 1] != p]
    return " → ".join(ordinal(p) for p in way[:most]) + (" …" if len(way) > most else "")


def called(offer: PhrasePlace, offers: Sequence[PhrasePlace]) -> str:
    """A place by the hand's position; by its way where another of those offered has the same."""
    if sum(o.position == offer.position for o in offers) == 1:
        return tr("{nth} position", nth=ordinal(offer.position))
    return way_words([h.position for h in offer.hand])
