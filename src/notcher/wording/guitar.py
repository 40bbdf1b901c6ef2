"""What every page and panel says of the guitar and of where the lead sits."""

from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.playing import Hand, Picking
from notcher.score.tuning import Tuning
from notcher.wording.names import spoken
from notcher.wording.say import later, tr

TUNING = later("Tuning (low to high): {strings}")
CAPO = later("Capo at fret {capo}; frets are counted from it")

SCHOOLS = {
    Hand.PER_FRET: later("one finger a fret"),
    Hand.STRONG_THREE: later("three strong fingers"),
    Hand.STRETCH: later("stretch rather than shift"),
}
"""The schools of fingering, as they are chosen."""

PICKINGS = {
    Picking.ALTERNATE: later("pick down and up in turn"),
    Picking.ECONOMY: later("pick on through the strings"),
    Picking.DOWN: later("pick down alone"),
}
"""The schools of the pick, as they are chosen."""


def facts(tuning: Tuning) -> list[str]:
    """How the guitar is tuned, and where a capo sits."""
    found = [tr(TUNING, strings=spoken(tuning))]
    if tuning.capo:
        found.append(tr(CAPO, capo=tuning.capo))
    return found


def stereo_position_words(isolation: Isolation) -> str:
    """Where the lead sits, as a phrase: 'in the centre', '47 % left'."""
    match isolation.stereo_position:
        case StereoPosition.AUTO:
            return tr("not found out yet")
        case StereoPosition.MIX:
            return tr("everywhere")
        case StereoPosition.SIDES:
            return tr("on both sides")
        case StereoPosition.PAN:
            return pan_words(isolation.pan)


def pan_words(pan: float) -> str:
    """A place between left (-1) and right (1)."""
    if abs(pan) < 0.05:
        return tr("in the centre")
    percent = abs(pan) * 100
    return tr("{percent:.0f} % left", percent=percent) if pan < 0 else tr("{percent:.0f} % right", percent=percent)
