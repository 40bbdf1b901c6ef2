"""How the guitar is most likely tuned, from the notes that were heard: none can lie below the lowest string, and open
strings are used more than their neighbours."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.score.clause import Clause
from notcher.score.pitch import PitchName
from notcher.score.tuning import NAMED, STANDARD, Tuning

_COMMON = ("standard", "half-step-down", "d-standard", "drop-d", "drop-c-sharp")
# How much more common one tuning is than another before anything is heard (common practice, no source).
_PRIOR = {"standard": 1.0, "half-step-down": 0.55, "d-standard": 0.2, "drop-d": 0.3, "drop-c-sharp": 0.1}
_BELOW = 4.0
_OPEN = 2.5


@dataclass(frozen=True, slots=True)
class TuningGuess:
    """A tuning, how likely it is against the others (shares that add up to 1), and why, as a clause."""

    tuning: Tuning
    share: float
    reason: Clause


def guess_tunings(notes: Sequence[tuple[int, float]]) -> list[TuningGuess]:
    """The common tunings, the likeliest first. notes: (MIDI pitch, seconds it sounds) of everything heard.

    Without notes it can only say what is common.
    """
    weights = {name: _PRIOR[name] * 2.718 ** _evidence(notes, NAMED[name]) for name in _COMMON}
    total = sum(weights.values())
    guesses = [TuningGuess(NAMED[n], w / total, _reason(notes, NAMED[n])) for n, w in weights.items()]
    return sorted(guesses, key=lambda g: -g.share)


def _evidence(notes: Sequence[tuple[int, float]], tuning: Tuning) -> float:
    if not notes:
        return 0.0
    lowest = min(tuning.pitches)
    below = [p for p, _ in notes if p < lowest]
    total = sum(length for _, length in notes)
    return -_BELOW * min(3, len(below)) + _OPEN * _open_excess(notes, tuning) / max(total, 1e-9)


def _open_excess(notes: Sequence[tuple[int, float]], tuning: Tuning) -> float:
    """Seconds on the pitches of open strings above what their neighbours a semitone away have."""
    by_pitch: dict[int, float] = {}
    for pitch, length in notes:
        by_pitch[pitch] = by_pitch.get(pitch, 0.0) + length
    excess = 0.0
    for p in tuning.pitches:
        around = max(by_pitch.get(p - 1, 0.0), by_pitch.get(p + 1, 0.0))
        excess += by_pitch.get(p, 0.0) - around
    return excess


def _reason(notes: Sequence[tuple[int, float]], tuning: Tuning) -> Clause:
    if not notes:
        return Clause("nothing is heard yet")
    lowest, flats = min(p for p, _ in notes), tuning.pitches[0] < STANDARD.pitches[0]
    bottom = min(tuning.pitches)
    if lowest < bottom:
        return Clause("but {note} was heard, below its lowest string", note=PitchName(lowest, flats))
    on_open = sum(1 for p, _ in notes if p in tuning.pitches)
    count = Clause("{some} of {all} notes could be open strings", some=on_open, all=len(notes))
    if lowest == bottom:
        return Clause("its lowest string is the lowest note heard; {count}", count=count)
    return Clause("the lowest note heard is {note}; {count}", note=PitchName(lowest, flats), count=count)
