"""Whether beats fall into three throughout, so that three eighths write them more plainly than triplets do."""

from collections.abc import Sequence

from notcher.rhythm.quantize import Place

# Of the notes off the beat: how many there must be, the share of them on thirds and their halves, and the share on the
# first third, which a shuffle leaves out (common practice, no source).
_FEWEST, _ON_THIRDS, _ON_THE_FIRST = 12, 0.8, 0.15


def falls_into_threes(places: Sequence[Place], *, swung: bool = False) -> bool:
    """Whether notes written in quarters, by their places, would better be written in three eighths each. swung: whether
    second halves of beats are played late, on thirds."""
    off = [p for p in places if not p.grace and p.span == 1 and p.start != p.group]
    if len(off) < _FEWEST:
        return False
    thirds = sum(p.division in (3, 6) or (swung and p.division == 2) for p in off) / len(off)
    first = sum(3 * (p.start - p.group) == 1 for p in off) / len(off)
    return thirds >= _ON_THIRDS and first >= _ON_THE_FIRST
