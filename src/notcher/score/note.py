"""One note as it was measured and as the person decided it."""

import math
from dataclasses import dataclass
from enum import StrEnum

from notcher.score.errors import ScoreError
from notcher.score.pitch import harmonic_partial, harmonic_rise
from notcher.score.tuning import HIGHEST_FRET, Tuning


class Attack(StrEnum):
    """How a note is reached."""

    PICK = "pick"
    HAMMER = "hammer"
    PULL = "pull"
    SLIDE = "slide"
    TAP = "tap"
    RAKE = "rake"


LEGATO = frozenset({Attack.HAMMER, Attack.PULL, Attack.SLIDE})


class BendKind(StrEnum):
    """What a bend does, from its start to its end."""

    BEND = "bend"
    BEND_RELEASE = "bend-release"
    PRE_BEND = "pre-bend"
    PRE_BEND_RELEASE = "pre-bend-release"
    CURL = "curl"
    UNISON = "unison"
    HOLD = "hold"


class Mark(StrEnum):
    """What else is written at a note."""

    PALM_MUTE = "palm-mute"
    STACCATO = "staccato"
    DEAD = "dead"
    LET_RING = "let-ring"
    NATURAL_HARMONIC = "natural-harmonic"
    PINCH_HARMONIC = "pinch-harmonic"
    SLIDE_IN = "slide-in"
    SLIDE_OFF = "slide-off"
    TRILL = "trill"
    GRACE = "grace"
    DOWN_STROKE = "down-stroke"
    UP_STROKE = "up-stroke"
    TREMOLO = "tremolo"
    SWELL = "swell"
    BAR_DIP = "bar-dip"
    BAR_DIVE = "bar-dive"
    BAR_SCOOP = "bar-scoop"


BY_THE_BAR = frozenset({Mark.BAR_DIP, Mark.BAR_DIVE, Mark.BAR_SCOOP})


INTERVAL_NAMES = {
    50: "¼", 100: "½", 150: "¾", 200: "full", 250: "1¼", 300: "1½", 350: "1¾", 400: "2",
    450: "2¼", 500: "2½", 550: "2¾", 600: "3",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Bend:
    """A bend: the interval the person decided, and the shape that was measured.

    target_cents: the interval as written, a multiple of 50 from 50 to 600.
    points: (seconds from the onset, cents above the fretted pitch), in time order; empty for one written by hand.
    """

    kind: BendKind
    target_cents: int
    points: tuple[tuple[float, float], ...] = ()

    def __post_init__(self) -> None:
        if self.target_cents not in INTERVAL_NAMES:
            raise ScoreError(f"a bend goes from 50 to 600 cents in quarter steps of 50, got {self.target_cents}")
        if any(b[0] < a[0] for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ScoreError("a bend's points must be in time order")

    @property
    def peak_cents(self) -> float | None:
        """The highest measured point, or None for a bend that was not measured."""
        return max((c for _, c in self.points), default=None)

    @property
    def interval_name(self) -> str:
        """The written interval as it stands over tab: ¼, ½, full, 1½, 2 ..."""
        return INTERVAL_NAMES[self.target_cents]

    @property
    def starts_raised(self) -> bool:
        """Whether the string is already up as the note begins."""
        return self.kind in (BendKind.PRE_BEND, BendKind.PRE_BEND_RELEASE, BendKind.HOLD)

    @property
    def released(self) -> bool:
        """Whether it is let down before the note ends."""
        return self.kind in (BendKind.BEND_RELEASE, BendKind.PRE_BEND_RELEASE)

    def written_shape(self, duration: float) -> tuple[tuple[float, float], ...]:
        """Points (seconds, cents) to sound or draw: the measured ones, else a plain shape of this kind."""
        if self.points:
            return self.points
        top = float(self.target_cents)
        rise = min(0.14, duration * 0.4)
        match self.kind:
            case BendKind.BEND | BendKind.UNISON:
                return ((0.0, 0.0), (rise, top), (duration, top))
            case BendKind.BEND_RELEASE:
                return ((0.0, 0.0), (rise, top), (max(rise, duration * 0.6), top), (duration, 0.0))
            case BendKind.PRE_BEND | BendKind.HOLD:
                return ((0.0, top), (duration, top))
            case BendKind.PRE_BEND_RELEASE:
                return ((0.0, top), (duration * 0.4, top), (duration * 0.8, 0.0), (duration, 0.0))
            case BendKind.CURL:
                return ((0.0, 0.0), (max(0.0, duration - 0.12), 0.0), (duration, top))


@dataclass(frozen=True, slots=True)
class Vibrato:
    """Rate in Hz, extent in cents (half of peak to peak), start in seconds from the onset."""

    rate_hz: float
    extent_cents: float
    start: float = 0.0

    def __post_init__(self) -> None:
        if not (0 < self.rate_hz <= 15 and 0 < self.extent_cents <= 400 and self.start >= 0):
            raise ScoreError(
                f"a vibrato needs a rate up to 15 Hz, an extent up to 400 cents and a start of 0 s or later, "
                f"got {self.rate_hz} Hz, {self.extent_cents} cents, {self.start} s"
            )


def written_vibrato(duration: float) -> Vibrato:
    """A vibrato as it is written where none was measured, for a note that lasts some seconds."""
    return Vibrato(5.5, 25.0, min(0.2, duration / 3))


@dataclass(frozen=True, slots=True)
class Note:
    """One note on one string. Times are seconds in the recording.

    confidence: 0 to 1, the program's own; confirmed: the person has agreed; by_hand: the person added it;
    held: its place was chosen by hand and the solver leaves it; doubt: the person's reason not to be sure.
    evidence: (name, value) pairs of what was measured, for showing why.
    """

    id: str
    onset: float
    end: float
    string: int
    fret: int
    attack: Attack = Attack.PICK
    bend: Bend | None = None
    vibrato: Vibrato | None = None
    marks: frozenset[Mark] = frozenset()
    doubt: str | None = None
    confidence: float = 1.0
    confirmed: bool = False
    by_hand: bool = False
    held: bool = False
    evidence: tuple[tuple[str, float], ...] = ()

    def __post_init__(self) -> None:
        if not (math.isfinite(self.onset) and math.isfinite(self.end) and 0 <= self.onset < self.end):
            raise ScoreError(f"a note must end after it starts, got {self.onset} s to {self.end} s")
        if not 1 <= self.string <= 6:
            raise ScoreError(f"strings go from 1 (thinnest) to 6, got {self.string}")
        if not 0 <= self.fret <= HIGHEST_FRET:
            raise ScoreError(f"frets go from 0 (open) to {HIGHEST_FRET}, got {self.fret}")
        if not 0 <= self.confidence <= 1:
            raise ScoreError(f"a confidence lies between 0 and 1, got {self.confidence}")

    @property
    def duration(self) -> float:
        """Seconds from onset to end."""
        return self.end - self.onset

    def pitch(self, tuning: Tuning) -> int:
        """MIDI pitch of the fretted string, before any bend."""
        return tuning.pitch(self.string, self.fret)

    def sounding_pitch(self, tuning: Tuning) -> float:
        """MIDI pitch that is heard as the note starts: raised by a pre-bend, or a natural harmonic's partial."""
        if Mark.NATURAL_HARMONIC in self.marks and self.fret > 0:
            try:
                return tuning.pitch(self.string, 0) + harmonic_rise(harmonic_partial(self.fret))
            except ScoreError:
                return float(self.pitch(tuning))
        raised = self.bend.target_cents / 100.0 if self.bend and self.bend.starts_raised else 0.0
        return self.pitch(tuning) + raised

    def sounds_like_fret(self) -> float:
        """The fret a bend reaches, on the same string: fret f bent n semitones sounds like f + n."""
        return self.fret + (self.bend.target_cents / 100.0 if self.bend else 0.0)
