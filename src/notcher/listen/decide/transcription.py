"""What was heard in a recording, as a whole."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.tuning_offset import Offset
from notcher.listen.frames.contour import Trace
from notcher.score.gap import Gap
from notcher.score.isolation import Isolation


@dataclass(frozen=True, eq=False)
class Transcription:
    """What was heard. lead: how it was isolated (never Seat.AUTO); trace covers the whole recording; gaps: where
    something may have been missed; left: what was heard and is hardly a note, each with its chance; delay:
    seconds after which all of it comes again, None where it does not; sound: what was heard, mono at LOW_RATE, where it
    is kept for a closer look; other_lead: where the lead may sit as well, None where that is beyond doubt."""

    notes: tuple[HeardNote, ...]
    trace: Trace
    offset: Offset
    lead: Isolation
    gaps: tuple[Gap, ...] = ()
    left: tuple[HeardNote, ...] = ()
    delay: float | None = None
    sound: NDArray[np.float32] | None = None
    other_lead: Isolation | None = None
