"""One note as it was measured and as the person decided it."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Annotated

from notcher.score.bend_goal import reached_by
from notcher.score.clause import Clause
from notcher.score.declared import Chance, Seconds, declared, within
from notcher.score.errors import ScoreError
from notcher.score.limits import LONGEST_S, MOST_POINTS, check_count, check_time
from notcher.score.measured import Measured
from notcher.score.pitch import harmonic_nodes, harmonic_partial, harmonic_rise
from notcher.score.sure import Sure
from notcher.score.tuning import HIGHEST_FRET, MOST_STRINGS, Tuning


class Attack(StrEnum):
    """How a note is reached."""

    PICK = "pick"
    HAMMER = "hammer"
    PULL = "pull"
    SLIDE = "slide"
    TAP = "tap"
    RAKE = "rake"


HIGHEST_PARTIAL = 12
_WIDEST_CENTS = 4800
LONGEST_VALUE = 64
STACCATO_SHARE = 0.5
TOGETHER_S = 0.03
"""Seconds within which onsets count as one stroke: strings crossed by one movement of the pick come some 5 to 20 ms
apart, two strokes of the fastest picking 60 ms or more (common practice, no source)."""
"""Common practice, no source: a staccato note sounds for about half of its value."""
LONGEST_RISE_S = 30.0
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
    AGAIN = "bend-again"
    STAGGERED = "staggered"
    MUTED = "bend-mute"


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
    LEFT_HAND = "left-hand"
    REPICKED = "repicked"
    ACCENT = "accent"


BY_THE_BAR = frozenset({Mark.BAR_DIP, Mark.BAR_DIVE, Mark.BAR_SCOOP})
HARMONICS = frozenset({Mark.NATURAL_HARMONIC, Mark.PINCH_HARMONIC})
MOVES_THE_PITCH = BY_THE_BAR | {Mark.SLIDE_IN, Mark.SLIDE_OFF, Mark.TRILL}


INTERVAL_NAMES = {
    50: "¼", 100: "½", 150: "¾", 200: "full", 250: "1¼", 300: "1½", 350: "1¾", 400: "2",
    450: "2¼", 500: "2½", 550: "2¾", 600: "3",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Bend:
    """A bend: the interval the person decided, and the shape that was measured.

    target_cents: the interval as written, a multiple of 50 from 50 to 600.
    points: (seconds from the onset, cents above the fretted pitch), in time order; empty for one written by hand.
    rise: seconds from the onset in which one written by hand reaches its top (a slow bend), None for the usual.
    """

    kind: BendKind
    target_cents: Annotated[int, declared(minimum=min(INTERVAL_NAMES), maximum=max(INTERVAL_NAMES), multipleOf=50)]
    points: tuple[
        tuple[
            Annotated[float, declared("seconds from the onset")],
            Annotated[float, declared("cents above the fretted pitch")],
        ],
        ...,
    ] = ()
    rise: Annotated[
        Annotated[
            float,
            declared(
                "seconds in which one written by hand reaches its top", exclusiveMinimum=0, maximum=LONGEST_RISE_S
            ),
        ]
        | None,
        declared(may_lack=True),
    ] = None

    def __post_init__(self) -> None:
        if self.target_cents not in INTERVAL_NAMES:
            raise ScoreError(
                "a bend goes from 50 to 600 cents in quarter steps of 50, got {target_cents}",
                target_cents=self.target_cents,
            )
        check_count(len(self.points), MOST_POINTS, Clause("points in a bend"))
        if not all(-_WIDEST_CENTS <= c <= _WIDEST_CENTS for _, c in self.points):
            raise ScoreError(
                "a bend's points lie within {widest_cents} cents of the fretted pitch", widest_cents=_WIDEST_CENTS
            )
        if self.points:
            check_time(self.points[0][0], Clause("a bend's first point"))
            check_time(self.points[-1][0], Clause("a bend's last point"))
        if any(not a[0] <= b[0] for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ScoreError("a bend's points must be in time order")
        if self.rise is not None and not 0 < self.rise <= LONGEST_RISE_S:
            raise ScoreError(
                "a bend rises in more than 0 and up to {longest_rise_s:.0f} s, got {rise}",
                longest_rise_s=LONGEST_RISE_S,
                rise=self.rise,
            )

    @property
    def peak_cents(self) -> float | None:
        """The level it was measured to come to, without the crests of a vibrato (score/bend_goal.py), or None for a
        bend that was not measured."""
        return round(reached_by(self.points).goal, 1) if self.points else None

    @property
    def interval_name(self) -> str:
        """The written interval as it stands over tab: ¼, ½, full, 1½, 2 ..."""
        return INTERVAL_NAMES[self.target_cents]

    @property
    def starts_raised(self) -> bool:
        """Whether the string is already up as the note begins."""
        return self.kind in (BendKind.PRE_BEND, BendKind.PRE_BEND_RELEASE, BendKind.HOLD)

    @property
    def frets_up(self) -> int:
        """Whole frets by which the note already sounds higher as it begins."""
        return self.target_cents // 100 if self.starts_raised else 0

    @property
    def released(self) -> bool:
        """Whether it is let down before the note ends."""
        return self.kind in (BendKind.BEND_RELEASE, BendKind.PRE_BEND_RELEASE)

    def written_shape(self, duration: float) -> tuple[tuple[float, float], ...]:
        """Points (seconds, cents) to sound or draw: the measured ones, else a plain shape of this kind."""
        if self.points:
            return self.points
        top = float(self.target_cents)
        rise = min(0.14, duration * 0.4) if self.rise is None else min(self.rise, duration)
        match self.kind:
            case BendKind.BEND | BendKind.UNISON | BendKind.MUTED:
                return ((0.0, 0.0), (rise, top), (duration, top))
            case BendKind.STAGGERED:
                return ((0.0, top / 2), (rise, top), (duration, top))
            case BendKind.AGAIN:
                third = duration / 3
                down, again = third + min(0.14, third / 2), 2 * third
                up_again = again + min(0.14, third / 2)
                return (
                    (0.0, 0.0),
                    (min(rise, third), top),
                    (third, top),
                    (down, 0.0),
                    (again, 0.0),
                    (up_again, top),
                    (duration, top),
                )
            case BendKind.BEND_RELEASE:
                return ((0.0, 0.0), (rise, top), (max(rise, rise + (duration - rise) * 0.5), top), (duration, 0.0))
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
    extent_cents: Annotated[float, declared("half of peak to peak")]
    start: Annotated[float, declared("seconds from the onset")] = 0.0

    def __post_init__(self) -> None:
        if not (0 < self.rate_hz <= 15 and 0 < self.extent_cents <= 400 and 0 <= self.start <= LONGEST_S):
            raise ScoreError(
                "a vibrato needs a rate up to 15 Hz, an extent up to 400 cents and a start of 0 s or later, "
                "got {rate_hz} Hz, {extent_cents} cents, {start} s",
                rate_hz=self.rate_hz,
                extent_cents=self.extent_cents,
                start=self.start,
            )


def written_vibrato(duration: float) -> Vibrato:
    """A vibrato as it is written where none was measured, for a note that lasts some seconds."""
    return Vibrato(5.5, 25.0, min(0.2, duration / 3))


CLAIMED = 0.6
"""Chance from which what is told of a technique is written; below it the plainer reading is, and the other is asked."""


@dataclass(frozen=True, slots=True)
class Maybe:
    """A technique that is not likely enough to be written (below CLAIMED): how the note is reached, how it is bent, or
    what else would be written at it; one of these. With a bend that starts raised, the note is written at the fret
    where it begins to sound."""

    chance: Chance
    attack: Annotated[Attack | None, declared(may_lack=True)] = None
    bend: Annotated[Bend | None, declared(may_lack=True)] = None
    mark: Annotated[Mark | None, declared(may_lack=True)] = None

    def __post_init__(self) -> None:
        if sum(said is not None for said in (self.attack, self.bend, self.mark)) != 1:
            raise ScoreError("what may be so of a note is an attack, a bend or a mark: one of them")
        if not 0 <= self.chance <= 1:
            raise ScoreError("a chance lies between 0 and 1, got {chance}", chance=self.chance)


@dataclass(frozen=True, slots=True)
class Note:
    """One note on one string. Times are seconds in the recording.

    confidence: 0 to 1, the program's own; confirmed: the person has agreed; by_hand: the person added it;
    held: its place was chosen by hand and the solver leaves it; doubt: the person's reason not to be sure.
    finger: of the fretting hand, 1 to 4, 0 the thumb, None not said. partial: which partial of the open string a
    natural harmonic sounds, for nodes between the frets, None: the lowest at its fret; or of the fretted string a pinch
    harmonic, None: not said. written_at: the part of a beat (0 up to 1) on which the
    person wrote the onset, on the beat that brings it nearest; written_length: its value in beats; None: as the search
    over the passage finds. sounding: the share of its value that sounds, the rest a gap before the next note; None: as
    it was played, or half of it where it is staccato. raked_from: the string at which a rake into the note begins,
    None: not said, or no rake.
    evidence: what was measured of it as it was found, None where nothing was. sure: how sure each part of it is, None
    where nobody weighed that. advice: what the person tells whoever learns it, '' for nothing. maybe: techniques that
    may be there and were not written when it was measured; `suggested` are those that are still open.
    """

    id: str
    onset: Seconds
    end: Seconds
    string: Annotated[int, within(1, MOST_STRINGS)]
    fret: Annotated[int, within(0, HIGHEST_FRET)]
    attack: Attack = Attack.PICK
    bend: Bend | None = None
    vibrato: Vibrato | None = None
    marks: frozenset[Mark] = frozenset()
    doubt: str | None = None
    confidence: Chance = 1.0
    confirmed: bool = False
    by_hand: Annotated[bool, declared("added by the person")] = False
    held: Annotated[bool, declared("its place was chosen by hand")] = False
    finger: Annotated[int, within(0, 4, "of the fretting hand; 0 the thumb")] | None = None
    partial: Annotated[int, within(2, HIGHEST_PARTIAL, "that a harmonic sounds")] | None = None
    written_at: Fraction | None = None
    written_length: Fraction | None = None
    sounding: Annotated[float, declared("share of its value that sounds", exclusiveMinimum=0, maximum=1)] | None = None
    raked_from: Annotated[int, within(1, MOST_STRINGS, "the string at which a rake into it begins")] | None = None
    evidence: Measured | None = None
    sure: Sure | None = None
    advice: Annotated[str, declared("what the person tells whoever learns it, or empty")] = ""
    maybe: Annotated[tuple[Maybe, ...], declared("techniques that may be there and are not written")] = ()

    def __post_init__(self) -> None:
        if not (math.isfinite(self.onset) and math.isfinite(self.end) and 0 <= self.onset < self.end):
            raise ScoreError(
                "a note must end after it starts, got {onset} s to {end} s", onset=self.onset, end=self.end
            )
        check_time(self.end, Clause("a note's end"))
        if not 1 <= self.string <= MOST_STRINGS:
            raise ScoreError(
                "strings go from 1 (thinnest) to {most_strings} at most, got {string}",
                most_strings=MOST_STRINGS,
                string=self.string,
            )
        if not 0 <= self.fret <= HIGHEST_FRET:
            raise ScoreError(
                "frets go from 0 (open) to {highest_fret}, got {fret}", highest_fret=HIGHEST_FRET, fret=self.fret
            )
        if not 0 <= self.confidence <= 1:
            raise ScoreError("a confidence lies between 0 and 1, got {confidence}", confidence=self.confidence)
        if self.finger is not None and not 0 <= self.finger <= 4:
            raise ScoreError("fingers are 1 to 4, and 0 for the thumb, got {finger}", finger=self.finger)
        if self.partial is not None and not 2 <= self.partial <= HIGHEST_PARTIAL:
            raise ScoreError(
                "a harmonic is partial 2 to {highest_partial}, got {partial}",
                highest_partial=HIGHEST_PARTIAL,
                partial=self.partial,
            )
        if self.written_at is not None and not 0 <= self.written_at < 1:
            raise ScoreError(
                "an onset is written on a part of a beat from 0 up to 1, got {written_at}", written_at=self.written_at
            )
        if self.written_length is not None and not 0 < self.written_length <= LONGEST_VALUE:
            raise ScoreError(
                "a value is more than 0 and up to {longest_value} beats, got {written_length}",
                longest_value=LONGEST_VALUE,
                written_length=self.written_length,
            )
        if self.sounding is not None and not 0 < self.sounding <= 1:
            raise ScoreError(
                "a note sounds for more than 0 and up to all of its value, got {sounding}", sounding=self.sounding
            )
        if self.raked_from is not None and not 1 <= self.raked_from <= MOST_STRINGS:
            raise ScoreError(
                "a rake begins on a string from 1 to {most_strings}, got {raked_from}",
                most_strings=MOST_STRINGS,
                raked_from=self.raked_from,
            )

    @property
    def duration(self) -> float:
        """Seconds from onset to end."""
        return self.end - self.onset

    @property
    def suggested(self) -> tuple[Maybe, ...]:
        """Techniques that may be there, the likeliest first: none once the person agreed to what stands, nor what is
        written by now."""
        if self.confirmed or self.by_hand:
            return ()
        still = [
            m for m in self.maybe
            if (m.attack is not None and m.attack is not self.attack) or (m.bend is not None and self.bend is None)
            or (m.mark is not None and m.mark not in self.marks)
        ]  # fmt: skip
        return tuple(sorted(still, key=lambda m: -m.chance))

    @property
    def share_that_sounds(self) -> float:
        """The share of its length that is heard: as it was said, half of a staccato note, else all."""
        if self.sounding is not None:
            return self.sounding
        return STACCATO_SHARE if Mark.STACCATO in self.marks else 1.0

    @property
    def raked_strings(self) -> int:
        """How many strings a rake crosses before this note, 0 where that is not said."""
        return 0 if self.raked_from is None else abs(self.raked_from - self.string)

    def pitch(self, tuning: Tuning) -> int:
        """MIDI pitch of the fretted string, before any bend."""
        return tuning.pitch(self.string, self.fret)

    def unbent_pitch(self, tuning: Tuning) -> float:
        """MIDI pitch that is heard before any bend: the fretted string's, or a harmonic's partial."""
        fretted = float(self.pitch(tuning))
        if Mark.PINCH_HARMONIC in self.marks and self.partial is not None:
            return fretted + harmonic_rise(self.partial)
        if Mark.NATURAL_HARMONIC not in self.marks or self.fret == 0:
            return fretted
        try:
            return tuning.pitch(self.string, 0) + harmonic_rise(self.partial or harmonic_partial(self.fret))
        except ScoreError:
            return fretted

    def sounding_pitch(self, tuning: Tuning) -> float:
        """MIDI pitch that is heard as the note starts: a pre-bend's is raised."""
        raised = self.bend.target_cents / 100.0 if self.bend and self.bend.starts_raised else 0.0
        return self.unbent_pitch(tuning) + raised

    def node_fret(self) -> float:
        """Where a natural harmonic is touched, as a fret that may lie between two: the node of its partial nearest to
        its fret."""
        if self.partial is None:
            return float(self.fret)
        return min(harmonic_nodes(self.partial), key=lambda place: abs(place - self.fret))

    def sounds_like_fret(self) -> float:
        """The fret a bend reaches, on the same string: fret f bent n semitones sounds like f + n."""
        return self.fret + (self.bend.target_cents / 100.0 if self.bend else 0.0)


def struck_together(onset: float, other: float) -> bool:
    """Whether two onsets, in seconds, belong to one stroke."""
    return abs(onset - other) < TOGETHER_S


def strikes(notes: Iterable[Note]) -> list[list[Note]]:
    """Notes in time order, those that one stroke takes together."""
    groups: list[list[Note]] = []
    for n in notes:
        if groups and struck_together(groups[-1][0].onset, n.onset):
            groups[-1].append(n)
        else:
            groups.append([n])
    return groups
