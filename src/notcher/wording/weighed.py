"""What a decision weighed, in words: a row for each thing that is measured, by its name in listen/."""

import math
import re
from collections.abc import Callable

from notcher.score.measured import Weighed
from notcher.wording.say import later, tr


def _percent(v: float) -> str:
    return tr("{n:.0f} %", n=v * 100)


def _ms(v: float) -> str:
    return tr("{n:.0f} ms", n=v * 1000)


def _s(v: float) -> str:
    return tr("{n:.2f} s", n=v)


def _db(v: float) -> str:
    return tr("{n:+.1f} dB", n=v)


def _cents(v: float) -> str:
    return tr("{n:+.0f} cents", n=v)


def _plain(v: float) -> str:
    return tr("{n:.2f}", n=v)


def _count(v: float) -> str:
    return tr("{n:.0f}", n=v)


def _chance(v: float) -> str:
    """Of a logit."""
    return _percent(1.0 / (1.0 + math.exp(-v)))


def _yes(v: float) -> str:
    return tr("yes") if v else tr("no")


WORDS: dict[str, tuple[str, Callable[[float], str]]] = {
    "struck": (later("a stroke heard on this pitch"), _percent),
    "struck anywhere": (later("a stroke heard on any pitch"), _percent),
    "fingered": (later("a beginning without a stroke heard on this pitch"), _percent),
    "begun away": (later("how far that beginning lies from the onset"), _ms),
    "sounds at once": (later("this pitch sounding just after"), _percent),
    "sounds on": (later("this pitch sounding later on"), _percent),
    "sounded before": (later("this pitch sounding before"), _percent),
    "octave below": (later("the octave below sounding"), _percent),
    "octave above": (later("the octave above sounding"), _percent),
    "twelfth below": (later("the twelfth below sounding"), _percent),
    "loudest other": (later("another beginning at the same time"), _percent),
    "other's steps": (later("semitones to that one"), _count),
    "sure": (later("how sure the contour is"), _percent),
    "sure at first": (later("how sure the contour is at first"), _percent),
    "share": (later("share of the likelihood on this pitch"), _percent),
    "purity": (later("share of the sound in its partials"), _percent),
    "level": (later("its level against the others"), _db),
    "flux": (later("strength of the stroke"), _plain),
    "dip": (later("dip of the level before it"), _db),
    "jump": (later("leap of the pitch into it"), _cents),
    "glide": (later("time the leap took"), _ms),
    "seconds": (later("how long it lasts"), _s),
    "seconds before": (later("time since the note before"), _s),
    "base error": (later("distance from the fret's pitch"), _cents),
    "alone": (later("nothing plays along"), _yes),
    "on the fret at first": (later("its fret sounding at first"), _percent),
    "on the bend's way": (later("the way of a bend sounding until its goal"), _percent),
    "on it while it rises": (later("the way of a bend sounding as it rises"), _percent),
    "least on the bend's way": (later("the faintest moment on the way of a bend"), _percent),
    "on the fret while it rises": (later("its fret still sounding as the bend rises"), _percent),
    "on the fret after it": (later("its fret still sounding after the bend"), _percent),
    "at the goal": (later("the goal of a bend sounding"), _percent),
    "goal sounds at once": (later("the goal of a bend sounding at once"), _percent),
    "fit of the bend": (later("how well a bend explains what sounds"), _plain),
    "bend's steps": (later("semitones of the bend"), _plain),
    "meets a held string": (later("the bend meets a held string"), _yes),
    "rests first": (later("time before the bend begins"), _ms),
    "rises for": (later("time the bend takes"), _ms),
    "struck at the goal": (later("a stroke heard at the goal of the bend"), _percent),
    "fingered at the goal": (later("a beginning without a stroke heard at the goal of the bend"), _percent),
    "heard by itself": (later("heard as a note of its own"), _yes),
    "nearest string": (later("semitones to the nearest other string"), _count),
    "time to the next stroke": (later("time to the next stroke"), _s),
    "beside": (later("another string than the contour's"), _yes),
    "together": (later("notes struck with it"), _count),
    "again": (later("time since the same pitch began"), _s),
    "bent": (later("bent"), _yes),
    "bend's cents": (later("interval of the bend"), _cents),
    "vibrato's cents": (later("width of its vibrato to each side"), _cents),
    "vibrato's rate": (later("swings of its vibrato a second"), _plain),
    "vibrato's start": (later("time before its vibrato begins"), _s),
    "raised": (later("raised as it begins"), _yes),
    "picked": (later("picked"), _yes),
    "slid": (later("slid or hammered"), _plain),
    "pitch": (later("its pitch, MIDI"), _count),
    "off the usual": (later("semitones from the solo's usual pitch"), _count),
    "density": (later("notes within a second"), _count),
    "on the contour": (later("share of it that lies on the contour"), _percent),
    "likely begun": (later("a beginning heard that no other note explains"), _percent),
    "difference": (later("two strings above whose difference it is"), _percent),
    "cuts": (later("falls inside a held note"), _yes),
    "up or down": (later("direction of the leap"), _plain),
    "rise": (later("rise of the level after it"), _db),
    "grown": (later("growth of its partials"), _db),
    "below": (later("moments of less sound around it"), _count),
    "dip against picks": (later("dip against this recording's picks"), _db),
    "flux against picks": (later("strength against this recording's picks"), _plain),
    "struck against picks": (later("heard as struck, against this recording's picks"), _percent),
    "way": (later("moments on the way to its pitch"), _count),
    "since": (later("time since the note before began"), _s),
    "leap's chance": (later("the leap by itself"), _chance),
    "leap weighed": (later("weighed by itself"), _yes),
    "steps": (later("semitones of the leap"), _count),
    "rings on": (later("the note before sounding on"), _percent),
    "rang before": (later("the note before sounding until then"), _percent),
    "let down": (later("follows a bend that was let down"), _yes),
    "leap before": (later("semitones of the leap before"), _count),
    "leap after": (later("semitones of the leap after"), _count),
    "read as a slide": (later("read as a slide by the contour alone"), _yes),
    "moments between": (later("moments between the two pitches"), _count),
    "off the frets between": (later("distance from the frets on the way"), _cents),
    "frets halted at": (later("frets it halts at on the way"), _percent),
    "goes one way": (later("how steadily it goes one way"), _percent),
    "fastest": (later("widest step on the way"), _cents),
    "frets between sounding": (later("the frets between sounding"), _percent),
    "picked before": (later("the note before is picked"), _yes),
    "seconds of the note before": (later("how long the note before lasts"), _s),
    "gap": (later("time since the note before ended"), _ms),
    "partials": (later("its partials against their loudest"), _db),
    "brightness": (later("its upper partials against its lower"), _db),
    "brightness against usual": (later("its upper partials against what is usual here"), _db),
    "loudness": (later("the sound against its loudest"), _db),
    "loud against usual": (later("how loud it is against what is usual here"), _db),
    "first partial": (later("its first partial against all"), _db),
    "odd": (later("its odd partials against the even"), _db),
    "falls": (later("how its partials fall in a tenth of a second"), _db),
    "falls against usual": (later("how they fall against what is usual here"), _db),
    "purity at first": (later("share of the sound in its partials at first"), _percent),
    "seconds after": (later("time to the note after"), _s),
    "strokes before": (later("strokes just before it"), _count),
    "flux before": (later("strongest of them"), _plain),
    "noise before": (later("noise just before it"), _percent),
    "steps before": (later("semitones from the note before"), _count),
    "steps after": (later("semitones to the note after"), _count),
    "shaken": (later("has vibrato"), _yes),
    "likely": (later("how likely it is a note"), _percent),
    "stroke only": (later("a stroke with no pitch"), _yes),
    "under": (later("partials of a lower string under it"), _db),
    "under, order": (later("partial that it would be of that string"), _count),
    "swept": (later("how much is struck just before it"), _plain),
    "level before": (later("the sound just before it against its loudest"), _db),
}
"""Of each thing: what it is called, and how its value is written."""
_MOMENT = re.compile(r"(.*) at (-?[0-9]+) ms")


def word_of(what: str) -> str:
    """The name among WORDS of something that was weighed, which may be taken at some moment of a note."""
    moment = _MOMENT.fullmatch(what)
    return moment[1] if moment else what


def weighed_words(weighed: Weighed) -> str:
    """One thing that was weighed, with its value and its share."""
    name, value = WORDS[word_of(weighed.what)]
    said, moment = tr(name), _MOMENT.fullmatch(weighed.what)
    if moment:
        said = tr("{what} after {ms} ms", what=said, ms=int(moment[2]))
    return tr("{what} {value} ({share:.0f} %)", what=said, value=value(weighed.value), share=abs(weighed.share) * 100)


def for_and_against(weighed: tuple[Weighed, ...]) -> str:
    """What spoke for a decision, and what against it, with their shares of all that was weighed."""
    pro = ", ".join(weighed_words(w) for w in weighed if w.share > 0)
    con = ", ".join(weighed_words(w) for w in weighed if w.share < 0)
    if pro and con:
        return tr("for it {pro}; against it {con}", pro=pro, con=con)
    return tr("for it {pro}", pro=pro) if pro else tr("against it {con}", con=con)
