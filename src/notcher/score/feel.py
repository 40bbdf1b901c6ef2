"""How a band goes: the feels that a backing is played in, a row each."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Feel:
    """name: its own, by which it is kept; label: as it is said; between: where in a beat drums strike between two;
    bass, chords: how they go (notcher.harmony.band); half: whether the drums answer once a bar."""

    name: str
    label: str
    between: tuple[float, ...]
    bass: str
    chords: str
    half: bool = False


FEELS = (
    Feel("even", "even eighths", (0.5,), "beats", "held"),
    Feel("shuffle", "shuffle", (2 / 3,), "walk", "answer"),
    Feel("slow", "slow and wide", (), "held", "held", half=True),
    Feel("driving", "driving", (0.5,), "eighths", "eighths"),
    Feel("threes", "three to a beat", (1 / 3, 2 / 3), "held", "held"),
)
"""Every feel (common practice, no source)."""
BY_NAME = {feel.name: feel for feel in FEELS}
