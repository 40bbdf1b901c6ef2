"""Where harmonics are found: natural ones at the nodes of open strings, pinch harmonics where the picking hand
touches a node as it strikes."""

from dataclasses import dataclass

from notcher.score.errors import ScoreError
from notcher.score.pitch import fret_distance, harmonic_node_fret, harmonic_partial, harmonic_rise
from notcher.score.tuning import Tuning

PINCHED_PARTIALS = (3, 4, 5)
"""Those that sing: an octave and a fifth, two octaves, and a third over them (common practice, no source)."""
_NEAREST_MM = 35.0
HIGHEST_TOUCHED = 8
"""Partials above are hardly ever played (common practice, no source)."""
# How unlikely each partial is to be the one that was touched (common practice, no source), and by how much less where
# the finger is still at the same fret from the harmonic before, so many seconds ago at most.
_UNUSUAL = {2: 0.0, 3: 1.0, 4: 2.0, 5: 4.0, 6: 5.0, 7: 7.0, 8: 7.0}
_SAME_FRET, _STAYS_S = 3.5, 3.0


@dataclass(frozen=True, slots=True)
class Node:
    """A place to touch an open string. partial: which it sounds, None where it is the lowest at that fret."""

    string: int
    fret: int
    partial: int | None

    @property
    def sounds(self) -> int:
        """The partial that sounds."""
        return self.partial or harmonic_partial(self.fret)


def natural_places(pitch: int, tuning: Tuning) -> list[Node]:
    """All nodes that sound a MIDI pitch, the usual ones first."""
    found: list[Node] = []
    for string in tuning.numbers:
        for partial in range(2, HIGHEST_TOUCHED + 1):
            if round(tuning.pitch(string, 0) + harmonic_rise(partial)) != pitch:
                continue
            fret = round(harmonic_node_fret(partial))
            try:
                plain = harmonic_partial(fret) == partial
            except ScoreError:
                plain = False
            found.append(Node(string, fret, None if plain else partial))
    return sorted(found, key=lambda n: (_UNUSUAL[n.sounds], n.string))


def likeliest_node(pitch: int, tuning: Tuning, before: Node | None, seconds: float) -> Node | None:
    """Where a natural harmonic was touched, before: the last one, so many seconds ago; None where no node sounds it."""
    places = natural_places(pitch, tuning)
    stays = before.fret if before is not None and seconds < _STAYS_S else -1
    return min(places, key=lambda n: _UNUSUAL[n.sounds] - _SAME_FRET * (n.fret == stays), default=None)


def pinch_nodes(fret: int, partial: int, tuning: Tuning, *, scale_mm: float) -> list[float]:
    """Distances from the bridge, mm, nearest first, at which a partial of the string stopped at a fret has a node where
    the picking hand can be: between the bridge and the neck's end.

    The nodes of partial n divide the string that sounds into n equal parts (N. H. Fletcher and T. D. Rossing, The
    Physics of Musical Instruments, chapter 2). fret: counted from the capo.
    """
    sounding = scale_mm - fret_distance(fret + tuning.capo, scale_length=scale_mm)
    end = scale_mm - fret_distance(tuning.frets, scale_length=scale_mm)
    nodes = (k * sounding / partial for k in range(1, partial))
    return [node for node in nodes if _NEAREST_MM <= node <= end]
