"""The one table of what is written at a note besides its place: a row a mark, an attack, a kind of bend.

Every consumer (words, the line, the strands, the printed page, text tab, MusicXML, commands, the easier version) reads
its part of a row, or the row says in so many words why it has none there. A new mark is a member of the enum and a row
here; a test demands that there is a row for each, and docs/TECHNIQUES.md says how far it goes.
"""

from dataclasses import dataclass, field
from enum import Enum

from notcher.score.note import Attack, BendKind, Mark


@dataclass(frozen=True, slots=True)
class Absent:
    """Not here, because."""

    because: str


class Family(Enum):
    """What a mark is about."""

    LENGTH = "length"
    MUTED = "muted"
    HARMONIC = "harmonic"
    NOWHERE = "slides from and to nowhere"
    ORNAMENT = "ornament"
    STROKE = "stroke of the pick"
    BAR = "bar"
    HAND = "which hand"
    LOUDNESS = "loudness"


@dataclass(frozen=True, slots=True)
class Xml:
    """Where MusicXML has it: an element in one of the groups of `notations`, or words in `other-technical`.

    also: other elements that mean the same when they are read.
    """

    group: str
    tag: str
    text: str = ""
    also: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class MarkRow:
    """words: as it is said; line: words of the line, the first is written; strand: under the tag in the strand view;
    staff: over the staff of the page, with its legend; text: after the number in text tab; xml: in MusicXML, both ways;
    midi: what a MIDI file has of it; written: how the written tab sounds with it. key: of the command that sets it, ''
    for none. colour: whether to miss it is no failure, so that an easier version leaves it
    out."""

    mark: Mark
    family: Family
    words: str
    line: tuple[str, ...]
    strand: str | Absent
    staff: str | Absent
    legend: str | Absent
    text: str | Absent
    xml: Xml | Absent
    midi: str | Absent = field(kw_only=True)
    written: str | Absent = field(kw_only=True)
    key: str = ""
    colour: bool = False


def _said(words: str) -> Xml:
    return Xml("technical", "other-technical", words)


_IN_THE_NUMBER = Absent("the number itself shows it")
_A_LINE = Absent("a stroke before or after the number shows it")
_WHEEL = "the pitch wheel"
_ITS_TIME = Absent("a short note is short by its own times")
_OWN_ELEMENT = Absent("MusicXML has it elsewhere than among the notations; formats/musicxml.py writes it there")

MARKS: tuple[MarkRow, ...] = (
    MarkRow(Mark.PALM_MUTE, Family.MUTED, "palm mute", ("palm mute", "mute", "pm"), "mute", "P.M.", "palm mute", "pm",
            _OWN_ELEMENT, key="M",
            midi="the muted guitar's program while it lasts", written="dies away fast"),
    MarkRow(Mark.STACCATO, Family.LENGTH, "staccato", ("staccato", "short"), "short", "·", Absent("a dot needs none"),
            "st", Xml("articulations", "staccato", also=("staccatissimo",)),
            midi="ends sooner", written="ends sooner"),
    MarkRow(Mark.DEAD, Family.MUTED, "dead note", ("dead", "x"), _IN_THE_NUMBER, _IN_THE_NUMBER, "dead note",
            _IN_THE_NUMBER, _OWN_ELEMENT,
            midi="short and soft", written="gone at once"),
    MarkRow(Mark.LET_RING, Family.LENGTH, "let ring", ("let ring", "ring"), "ring", "let ring",
            Absent("the words over the staff say it"), "lr", _OWN_ELEMENT,
            midi="lasts until its string is played again, a bar at most", written="rings on past its end"),
    MarkRow(Mark.NATURAL_HARMONIC, Family.HARMONIC, "natural harmonic", ("harmonic", "natural harmonic"),
            _IN_THE_NUMBER, "N.H.", "natural harmonic: touch at the fret", _IN_THE_NUMBER, _OWN_ELEMENT,
            midi="the pitch that sounds", written="the partial at its fret"),
    MarkRow(Mark.PINCH_HARMONIC, Family.HARMONIC, "pinch harmonic", ("pinch", "pinch harmonic"), _IN_THE_NUMBER,
            "P.H.", "pinch harmonic", _IN_THE_NUMBER, _OWN_ELEMENT, colour=True,
            midi=Absent("one pitch a note; the fretted one is sent"), written="a high partial over it"),
    MarkRow(Mark.SLIDE_IN, Family.NOWHERE, "slide in", ("slide in",), _A_LINE, _A_LINE,
            "slide in from nowhere / off to nowhere", _A_LINE, Xml("articulations", "scoop"), colour=True,
            midi=_WHEEL, written="comes from below"),
    MarkRow(Mark.SLIDE_OFF, Family.NOWHERE, "slide off", ("slide off",), _A_LINE, _A_LINE,
            Absent("one row of the legend explains both"), "\\", Xml("articulations", "falloff"), colour=True,
            midi=_WHEEL, written="falls away at its end"),
    MarkRow(Mark.TRILL, Family.ORNAMENT, "trill", ("trill",), "trill", "tr", "trill", "tr",
            Xml("ornaments", "trill-mark"), colour=True,
            midi=_WHEEL, written="goes to and fro with the tone above"),
    MarkRow(Mark.GRACE, Family.ORNAMENT, "grace note", ("grace",), "grace", Absent("its number is smaller"),
            Absent("small notes need none"), "gr", _OWN_ELEMENT,
            midi=_ITS_TIME, written=_ITS_TIME),
    MarkRow(Mark.DOWN_STROKE, Family.STROKE, "down stroke", ("down", "down stroke"), "down", "down", "pick downwards",
            "d", Xml("technical", "down-bow"), key="Alt+Down",
            midi=Absent("MIDI has no strokes of a pick"), written="picked a little fuller"),
    MarkRow(Mark.UP_STROKE, Family.STROKE, "up stroke", ("up", "up stroke"), "up", "up", "pick upwards", "u",
            Xml("technical", "up-bow"), key="Alt+Up",
            midi=Absent("MIDI has no strokes of a pick"), written="picked a little brighter"),
    MarkRow(Mark.TREMOLO, Family.ORNAMENT, "tremolo picking", ("tremolo",), "trem", "trem.",
            "tremolo: pick again as fast as you can", "tm", _OWN_ELEMENT, colour=True,
            midi=Absent("so many short notes would be read back as notes of their own"),
            written="picked again and again"),
    MarkRow(Mark.SWELL, Family.LOUDNESS, "volume swell", ("swell", "volume swell"), "swell", "swell",
            "brought in with the volume knob", "sw", _said("volume swell"), colour=True,
            midi="expression rises from nought", written="comes in from silence"),
    MarkRow(Mark.BAR_DIP, Family.BAR, "bar dip", ("dip", "bar dip"), "dip", "dip",
            "bar: down about a half step and back", "dip", _OWN_ELEMENT, colour=True,
            midi=_WHEEL, written="down and back"),
    MarkRow(Mark.BAR_DIVE, Family.BAR, "bar dive", ("dive", "bar dive"), "dive", "dive", "bar: down and away", "dive",
            _OWN_ELEMENT, colour=True,
            midi=_WHEEL, written="down and away"),
    MarkRow(Mark.BAR_SCOOP, Family.BAR, "bar scoop", ("scoop", "bar scoop"), "scoop", "scoop",
            "bar: picked while it is down, let up at once", "scoop", _OWN_ELEMENT, colour=True,
            midi=_WHEEL, written="up from below"),
    MarkRow(Mark.LEFT_HAND, Family.HAND, "with the fretting hand", ("left hand",), "l.h.", "l.h.",
            "sounded by the fretting hand alone", "lh", _OWN_ELEMENT,
            midi="softer than picked", written="begins softly, as a finger makes it"),
    MarkRow(Mark.REPICKED, Family.HAND, "picked again on arrival", ("picked again", "repicked"), "pick", "pick",
            "slide there, and pick again on arrival", "rp", _said("picked again"),
            midi="as hard as a picked note", written="begins as a picked note"),
    MarkRow(Mark.ACCENT, Family.LOUDNESS, "accent", ("accent", "accented"), ">", ">",
            "accent: louder than those around it", "ac", Xml("articulations", "accent", also=("strong-accent",)),
            key=">",
            midi="louder", written="louder"),
)  # fmt: skip
ROW_OF = {row.mark: row for row in MARKS}


@dataclass(frozen=True, slots=True)
class AttackRow:
    """How a note is reached. line: words of the line, the first is written; velocity: of its MIDI message; key: of its
    command."""

    attack: Attack
    words: str
    line: tuple[str, ...]
    text: str | Absent
    velocity: int
    label: str
    key: str


ATTACKS: tuple[AttackRow, ...] = (
    AttackRow(Attack.PICK, "picked", ("pick", "picked"), Absent("what is not marked is picked"), 96, "Picked", "P"),
    AttackRow(Attack.HAMMER, "hammered on", ("hammer", "hammer on", "hammered", "h"), "h", 72, "Hammered on", "H"),
    AttackRow(Attack.PULL, "pulled off", ("pull", "pull off", "pulled", "p"), "p", 70, "Pulled off", "Shift+H"),
    AttackRow(Attack.SLIDE, "slid to", ("slide", "slide to", "slid", "sl"), "/", 66, "Slid to", "G"),
    AttackRow(Attack.TAP, "tapped", ("tap", "tapped", "t"), "t", 80, "Tapped", "T"),
    AttackRow(Attack.RAKE, "raked into", ("rake", "raked"), "rk", 96, "Raked into", "R"),
)
ATTACK_OF = {row.attack: row for row in ATTACKS}


@dataclass(frozen=True, slots=True)
class BendRow:
    """A kind of bend, in the order in which one key goes through them. line: words of the line, Absent where another
    kind and 'release' say it."""

    kind: BendKind
    words: str
    line: tuple[str, ...] | Absent


_AND_RELEASE = Absent("the kind without a release, and 'release', say it")
BENDS: tuple[BendRow, ...] = (
    BendRow(BendKind.BEND, "bend", ("bend", "b")),
    BendRow(BendKind.BEND_RELEASE, "bend and release", _AND_RELEASE),
    BendRow(BendKind.PRE_BEND, "pre-bend", ("pre-bend", "prebend")),
    BendRow(BendKind.PRE_BEND_RELEASE, "pre-bend and release", _AND_RELEASE),
    BendRow(BendKind.CURL, "curl", ("curl",)),
    BendRow(BendKind.UNISON, "unison bend", ("unison", "unison bend")),
    BendRow(BendKind.HOLD, "held bend, picked again", ("held", "hold")),
    BendRow(BendKind.AGAIN, "bend again, unpicked", ("bend again",)),
    BendRow(BendKind.STAGGERED, "staggered bend", ("staggered",)),
    BendRow(BendKind.MUTED, "bend, muted at the top", ("bend-mute",)),
)
BEND_OF = {row.kind: row for row in BENDS}

INTERVALS = {
    50: "a quarter step", 100: "a half step", 150: "three quarters", 200: "a whole step", 250: "one and a quarter",
    300: "one and a half", 350: "one and three quarters", 400: "two steps", 450: "two and a quarter",
    500: "two and a half", 550: "two and three quarters", 600: "three steps",
}  # fmt: skip
"""How far bends go, in cents, as it is said."""
FINGERS = ("thumb", "first finger", "second finger", "third finger", "fourth finger")
"""Of the fretting hand, by number."""
