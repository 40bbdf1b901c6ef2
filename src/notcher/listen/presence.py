"""Whether what was heard in a mix is a lead at all, or only the clearest of what accompanies none.

A lead keeps to the frets of one tuning and to one loudness, pauses for breath, and is bent or shaken now and then;
what is pieced together from chords, pads and drums wanders between the frets, in loudness too, and hardly ever stops.
"""

from collections.abc import Sequence

import numpy as np

from notcher.listen.contour import Trace
from notcher.listen.notes import HeardNote

# Measured on the development phrases over backings (6 and 0 dB) against the backings of other phrases alone; the
# figures are in docs/MEASUREMENTS.md.
_OFF_FRET_CENTS, _SPREAD_CENTS, _UNEVEN_DB, _WITHOUT_REST, _BENT = 3.0, 2.4, 4.15, 0.83, 0.22
_SIGNS = 4
_FEWEST_NOTES = 12


def is_a_lead(trace: Trace, notes: Sequence[HeardNote], spread_cents: float) -> bool:
    """Whether a lead plays here. trace: where something sounds its pitch; spread_cents: of the tuning offset.

    Four of the five signs must speak against it, so that a lead that is out of tune, or never rests, still counts.
    """
    sounds = np.isfinite(trace.cents)
    if len(notes) < _FEWEST_NOTES or not sounds.any():
        return True
    off = float(np.median([abs(dict(n.evidence).get("base_error_cents", 0.0)) for n in notes]))
    bent = float(np.mean([n.bend is not None or n.vibrato is not None for n in notes]))
    heard = np.flatnonzero(sounds)
    played = slice(int(heard[0]), int(heard[-1]) + 1)
    signs = (
        off > _OFF_FRET_CENTS,
        spread_cents > _SPREAD_CENTS,
        float(np.std(trace.level[sounds])) > _UNEVEN_DB,
        float(np.mean(sounds[played])) > _WITHOUT_REST,
        bent > _BENT,
    )
    return sum(signs) < _SIGNS
