"""How a band goes: the feels that a backing is played in, a row each."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Feel:
    """name: its own, by which it is kept; label: as it is said; off: where in the beat its second half falls; bass,
    chords: how they go (notcher.harmony.band); hats: whether there are strokes between the beats; half: whether the
    drums answer once a bar."""

    name: str
    label: str
    off: float
    bass: str
    chords: str
    hats: bool
    half: bool = False


FEELS = (
    Feel("even", "even eighths", 0.5, "beats", "held", True),
    Feel("shuffle", "shuffle", 2 / 3, "walk", "answer", True),
    Feel("slow", "slow and wide", 0.5, "held", "held", False, half=True),
    Feel("driving", "driving", 0.5, "eighths", "eighths", True),
)
"""Every feel (common practice, no source)."""
BY_NAME = {feel.name: feel for feel in FEELS}
