"""Where along the string a pinch harmonic is found: the picking hand touches a node as it strikes."""

from notcher.score.pitch import fret_distance
from notcher.score.tuning import Tuning

PINCHED_PARTIALS = (3, 4, 5)
"""Those that sing: an octave and a fifth, two octaves, and a third over them (common practice, no source)."""
_NEAREST_MM = 35.0


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
