"""The contour as the program measures it, for the tests of listening."""

import numpy as np

from notcher.listen.frames.contour import Trace, trace_pitch
from notcher.listen.frames.ear import hear


def traced(mono: np.ndarray, *, lowest_hz: float) -> Trace:
    """The contour of mono sound, as the program measures it."""
    return trace_pitch([mono], None, hear(mono), lowest_hz=lowest_hz)
