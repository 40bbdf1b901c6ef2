"""What a decision weighed, in words: a row for each thing that is measured, by its name in listen/."""

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
    "beside": (later("another string than the contour's"), _yes),
    "together": (later("notes struck with it"), _count),
    "again": (later("time since the same pitch began"), _s),
    "bent": (later("bent"), _yes),
    "bend's cents": (later("interval of the bend"), _cents),
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
}
"""Of each thing: what it is called, and how its value is written."""


def weighed_words(weighed: Weighed) -> str:
    """One thing that was weighed, with its value and its share."""
    name, value = WORDS[weighed.what]
    return tr(
        "{what} {value} ({share:.0f} %)", what=tr(name), value=value(weighed.value), share=abs(weighed.share) * 100
    )


def for_and_against(weighed: tuple[Weighed, ...]) -> str:
    """What spoke for a decision, and what against it, with their shares of all that was weighed."""
    pro = ", ".join(weighed_words(w) for w in weighed if w.share > 0)
    con = ", ".join(weighed_words(w) for w in weighed if w.share < 0)
    if pro and con:
        return tr("for it {pro}; against it {con}", pro=pro, con=con)
    return tr("for it {pro}", pro=pro) if pro else tr("against it {con}", con=con)
