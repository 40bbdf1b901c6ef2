"""What a player finds likely and unlikely, as numbers: one table.

Scores are logarithms, higher is likelier. The structure is common practice of the trade; the numbers were fitted to how
instructors place notes and rounded, then fitted further on invented passages (benchmarks/passages.py) with those as a
prior; they have no source to cite. A weight is found by its name and the numbers of its case: `at("shift", 2)`.
"""

import functools
import json
from collections.abc import Mapping
from importlib import resources

import numpy as np
from numpy.typing import NDArray

Index = NDArray[np.intp]

# name: the cases it has, and its weights, the last case fastest.
_START: dict[str, tuple[tuple[int, ...], tuple[float, ...]]] = {
    # Of a note: how far up ((fret - 10) / 5, its square, frets over 17 and under 5 in threes), which string, where
    # under the hand (frets over the first finger), open, bent or shaken while open, on a thick string over fret 12.
    "f1": ((), (-0.20,)), "f2": ((), (-0.25,)), "f3": ((), (-0.45,)), "lowfret": ((), (0.0,)),
    "string": ((6,), (-0.05, 0.20, 0.30, -0.05, -0.35, -0.90)),
    "open": ((), (-1.00,)), "openbad": ((), (-15.00,)), "hi4": ((), (0.20,)),
    # 0 to 3 frets, 4 low on the neck, 4 high on it, 5.
    "off": ((7,), (0.60, 0.0, 0.30, -0.30, -1.70, -1.05, -2.10)),
    # Bends of more than a semitone: by string (1, 2 and 3, 4, 5 and 6), by frets over the first finger, near the nut.
    "bigb_string": ((4,), (-0.45, 0.0, -1.25, -2.40)), "bigb_off": ((4,), (-1.55, -0.45, 0.0, -0.15)),
    "bigb_near": ((), (-0.80,)),
    "smallb_off": ((4,), (-0.25, 0.0, 0.0, -0.35)), "smallb_thick": ((), (-0.25,)),
    # Where the hand is ((position - 9) / 5, its square), and where it begins.
    "pos": ((), (0.10,)), "pos2": ((), (0.15,)), "first": ((8,), (-1.75, -1.00, -0.15, 0.55, 0.35, 0.0, -0.20, -1.80)),
    # Of a step within a phrase: frets the hand moves (0, 1, 2, 3, 4-5, 6-8, more); how far by how fast; along with the
    # pitch or against it; with an open string to help; the position it arrives at, or that it stays.
    "shift": ((7,), (0.90, -1.20, -1.50, -2.00, -2.55, -3.05, -3.80)),
    "shift_tempo": ((3, 3), (0.20, 0.10, 0.05, 0.05, -0.55, 0.50, -0.20, -0.55, 0.45)),
    "shift_sign": ((3,), (-0.25, 0.35, -0.10)),
    "open_shift": ((2, 3), (0.30, 0.0, -0.35, 0.0, 0.0, 0.0)),
    "arrive": ((9,), (-0.90, -0.50, -0.15, 0.10, 0.05, 0.0, -0.10, -0.90, 0.40)),
    # Strings crossed; interval by strings crossed; the same pitch again, elsewhere or not; one finger rolled over.
    "strings": ((5,), (0.15, -0.15, -0.70, -1.10, -1.60)),
    "interval": ((7, 3), (-0.05, 0.05, 0.0, 0.65, -0.10, -0.30, 0.50, 0.05, -0.35, 0.10, 0.15, -0.05, 0.15, -0.10,
                          -0.05, -0.05, 0.10, -0.05, 0.10, -0.15, 0.10)),
    "again": ((2,), (-0.05, -2.45)), "roll": ((2, 3), (-0.05, 0.0, 0.0, 0.10, 0.0, -0.05)),
    # Slides: whether the hand goes with the frets, whether strings are crossed. Hammered and pulled: strings crossed,
    # the hand moved. Taps: the hand moved, strings crossed; the pull-off after one stays on its string.
    "slide": ((2, 2), (-1.50, -8.00, 0.0, -8.00)),
    "slide_shift": ((7,), (0.0, -0.05, -0.20, -0.40, -0.65, -1.00, -1.50)),
    "legato": ((2, 2), (0.05, -0.75, -8.00, -8.00)), "tap": ((2, 3), (0.0, -3.00, -3.00, -1.50, -4.50, -4.50)),
    "tap_left": ((2,), (0.0, -8.00)),
    # Struck together: strings between; an open string beside a high fret; one hand cannot hold it.
    "together": ((5,), (-20.00, 0.15, 0.05, -0.80, -1.50)), "together_open": ((), (-4.00,)),
    "together_far": ((), (-8.00,)),
    # From one strike of several strings to the next: whether it is of the same strings, as a shape that moves is.
    "parallel": ((2,), (0.0, 1.00)),
    # From one phrase to the next.
    "phrase_shift": ((7,), (0.65, -0.45, -0.75, -0.90, -1.30, -1.55, -1.95)),
    "phrase_strings": ((4,), (0.05, -0.05, 0.05, -0.05)),
    "phrase_arrive": ((9,), (-1.35, -0.75, -0.15, 0.50, 0.15, -0.05, -0.20, -1.35, 0.15)),
}  # fmt: skip
_OFFSETS: dict[str, int] = {}
# Number 0 weighs nothing: for what a case does not have.
_size = 1
for _name, (_shape, _values) in _START.items():
    _OFFSETS[_name] = _size
    _size += len(_values)
SIZE = _size
NOTHING = 0


def at(name: str, *cases: Index | int) -> Index:
    """The numbers of weights in the vector: cases are arrays that broadcast, one for each axis of the weight's
    table."""
    shape = _START[name][0]
    number: Index = np.asarray(0, dtype=np.intp)
    for size, case in zip(shape, cases, strict=True):
        number = number * size + case
    return np.asarray(number + _OFFSETS[name], dtype=np.intp)


def of(name: str) -> slice:
    """Where all weights of a name stand in the vector."""
    return slice(_OFFSETS[name], _OFFSETS[name] + len(_START[name][1]))


def start() -> NDArray[np.float64]:
    """The weights to start from, shape (SIZE,)."""
    return np.array([0.0, *(value for _, values in _START.values() for value in values)])


def as_table(weights: NDArray[np.float64]) -> dict[str, list[float]]:
    """By name, rounded, as they are kept. weights: shape (SIZE,)."""
    return {name: [round(float(v), 3) for v in weights[of(name)]] for name in _START}


def from_table(table: Mapping[str, list[float]]) -> NDArray[np.float64]:
    """A vector from a table by name; names that are missing keep what they start from."""
    out = start()
    for name, values in table.items():
        out[of(name)] = values
    return out


@functools.cache
def fitted() -> NDArray[np.float64]:
    """The weights in use: fitted on the passages that are for it (python -m benchmarks.fit_places)."""
    text = resources.files("notcher").joinpath("data/place_weights.json").read_text(encoding="utf-8")
    return from_table(json.loads(text)["weights"])
