"""Guitars that reach below the range of what listens: they are heard played faster, and so higher, as a tape would be,
and all that was heard is put back to where it was played.

All of it (network, ear, forests) knows guitars down to D2. A low B is heard a fourth up in three quarters of the time.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.classify.confirmed_notes import Known
from notcher.listen.decide.transcription import Transcription
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.raised import raised_for
from notcher.listen.frames.spectrum import HOP
from notcher.score.bends import scaled
from notcher.score.gap import Gap
from notcher.score.measured import Measured, Weighed

# Of what is weighed: what is said in seconds or milliseconds, and what in a second.
_TIMES = {"begun away", "glide", "seconds", "seconds before", "again", "since", "seconds after", "gap"}
_RATES = {"density"}


@dataclass(frozen=True, slots=True)
class Raised:
    """A recording that is heard `steps` half steps higher, and so much faster."""

    steps: int

    @classmethod
    def to_hear(cls, lowest: int) -> "Raised | None":
        """What a guitar needs whose lowest open string has this MIDI pitch; None where it is heard as it is."""
        steps = raised_for(lowest)
        return cls(steps) if steps else None

    @property
    def factor(self) -> float:
        """How many times as fast."""
        return float(2.0 ** (self.steps / 12))

    def known(self, known: Sequence[Known]) -> list[Known]:
        """What the person decided, as it is heard."""
        return [replace(k, onset=k.onset / self.factor, pitch=k.pitch + self.steps) for k in known]

    def trace(self, heard: Trace, duration: float) -> Trace:
        """A contour of a recording of so many seconds as it was played."""
        n = int(duration / HOP)
        if not len(heard):
            return Trace.silent(n)
        at = np.clip(np.round(np.arange(n) / self.factor).astype(int), 0, len(heard) - 1)
        there = heard.part(at)
        return replace(there, cents=there.cents - 100.0 * self.steps)

    def note(self, heard: HeardNote) -> HeardNote:
        """A note as it was played."""
        f = self.factor
        vibrato = heard.vibrato
        if vibrato is not None:
            vibrato = replace(vibrato, rate_hz=round(vibrato.rate_hz / f, 2), start=round(vibrato.start * f, 3))
        return replace(
            heard, onset=round(heard.onset * f, 4), end=round(heard.end * f, 4), pitch=heard.pitch - self.steps,
            bend=scaled(heard.bend, f), vibrato=vibrato, evidence=self._measured(heard.evidence),
            maybe=tuple(replace(m, bend=scaled(m.bend, f)) for m in heard.maybe),
        )  # fmt: skip

    def gap(self, heard: Gap) -> Gap:
        """A gap as it lies in the recording."""
        return replace(
            heard, start=heard.start * self.factor, end=heard.end * self.factor, midi=heard.midi - self.steps
        )

    def _measured(self, m: Measured) -> Measured:
        because, reached, marked = (tuple(map(self._weighed, w)) for w in (m.because, m.reached, m.marked))
        glide = round(m.glide_s * self.factor, 3)
        return replace(m, glide_s=glide, because=because, reached=reached, marked=marked)

    def _weighed(self, w: Weighed) -> Weighed:
        if w.what in _TIMES:
            return replace(w, value=w.value * self.factor)
        if w.what in _RATES:
            return replace(w, value=w.value / self.factor)
        return replace(w, value=w.value - self.steps) if w.what == "pitch" else w


def put_back(raised: Raised, heard: Transcription, duration: float) -> Transcription:
    """What was heard raised in a recording of so many seconds, as it was played."""
    return replace(
        heard,
        notes=tuple(map(raised.note, heard.notes)),
        trace=raised.trace(heard.trace, duration),
        gaps=tuple(map(raised.gap, heard.gaps)),
        left=tuple(map(raised.note, heard.left)),
        delay=None if heard.delay is None else heard.delay * raised.factor,
    )
