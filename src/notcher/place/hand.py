"""The schools of fingering."""

from enum import StrEnum


class Hand(StrEnum):
    """A finger a fret; three strong fingers, the little one spared; rather stretch than shift."""

    PER_FRET = "per-fret"
    STRONG_THREE = "strong-three"
    STRETCH = "stretch"
