"""What is typed after an option, read and checked, for argparse."""

import argparse
from typing import TYPE_CHECKING

from notcher.wording import later, tr

if TYPE_CHECKING:
    from notcher.formats.packet.wanted import Part


def seconds(text: str) -> float:
    """Seconds from '12.5' or '1:02.5'. Raises ArgumentTypeError for others."""
    from notcher.formats.limits import number

    minutes, _, rest = text.rpartition(":")
    try:
        found = (number(minutes) if minutes else 0.0) * 60 + number(rest)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no time; write seconds or m:ss", text=text)) from error
    if found < 0:
        raise argparse.ArgumentTypeError(
            tr("'{text}' is before the beginning; write seconds from 0 on, or m:ss", text=text)
        )
    return found


def hands() -> tuple[str, ...]:
    """The schools of fingering, by their names."""
    from notcher.score.playing import Hand

    return tuple(str(hand) for hand in Hand)


def feels() -> tuple[str, ...]:
    """The feels of the backing, by their names."""
    from notcher.score.feel import BY_NAME

    return tuple(BY_NAME)


def between(text: str, low: int, high: int) -> int:
    """A whole number from low to high. Raises ArgumentTypeError for others."""
    from notcher.formats.limits import whole

    try:
        number = whole(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no whole number", text=text)) from error
    if not low <= number <= high:
        raise argparse.ArgumentTypeError(tr("from {low} to {high}, got {text}", low=low, high=high, text=text))
    return number


def size(text: str) -> int:
    """The size of what is printed, in percent."""
    return between(text, 70, 160)


def pixels(text: str) -> int:
    """A number of pixels."""
    return between(text, 1, 10000)


def part_names() -> tuple[str, ...]:
    """The parts of a packet, by their names."""
    from notcher.formats.packet.wanted import Part

    return tuple(Part)


def parts(text: str) -> "tuple[Part, ...]":
    """Parts of a packet, parted by commas. Raises ArgumentTypeError for others."""
    from notcher.formats.packet.wanted import Part

    wanted = [word.strip() for word in text.split(",") if word.strip()]
    for word in wanted:
        if word not in part_names():
            known = ", ".join(part_names())
            raise argparse.ArgumentTypeError(
                tr("'{text}' is no part of a packet; there are {known}", text=word, known=known)
            )
    return tuple(part for part in Part if part in wanted)


def percent(text: str) -> int:
    """A pace of the backing, in percent."""
    return between(text, 10, 200)


def pace(text: str) -> float:
    """A pace of captions, or of a take, in percent. Raises ArgumentTypeError for others."""
    from notcher.teach.alignment import FASTEST, SLOWEST

    low, high = 100 * SLOWEST, 100 * FASTEST
    found = number(text.strip().removesuffix("%"), later("'{text}' is no pace in percent"))
    if not low <= found <= high:
        raise argparse.ArgumentTypeError(tr("from {low:.0f} to {high:.0f}, got {text}", low=low, high=high, text=text))
    return found


def offset_s(text: str) -> float:
    """Seconds, also below zero."""
    return number(text, later("'{text}' is no number of seconds"))


def number(text: str, refused: str) -> float:
    """A number; refused: what is said of what is none. Raises ArgumentTypeError for that."""
    from notcher.formats.limits import number

    try:
        return number(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr(refused, text=text)) from error


def dialect(text: str) -> int:
    """The number of a dialect, from 0; it is typed from 1 on."""
    from notcher.formats.line import DIALECTS

    return between(text, 1, len(DIALECTS)) - 1


def pace_of_sound(text: str) -> int:
    """A pace of practice sounds and films, in percent."""
    return between(text.strip().removesuffix("%").strip(), 25, 110)


def paces(text: str) -> tuple[int, ...]:
    """Several of them, parted by commas."""
    return tuple(pace_of_sound(part) for part in text.split(","))


def shift(text: str) -> int:
    """Half steps, up or down."""
    return between(text, -12, 12)


def rounds(text: str) -> int:
    """How often."""
    return between(text, 1, 999)


def offers(text: str) -> int:
    """How many places are offered. Raises ArgumentTypeError for others."""
    from notcher.formats.limits import whole
    from notcher.formats.placing import MOST_OFFERED

    try:
        number = whole(text)
    except ValueError as error:
        raise argparse.ArgumentTypeError(tr("'{text}' is no number of places", text=text)) from error
    if not 0 <= number <= MOST_OFFERED:
        raise argparse.ArgumentTypeError(tr("0 to {most} places are offered, got {text}", most=MOST_OFFERED, text=text))
    return number


def speed(text: str) -> float:
    """A speed, 1 as it was recorded."""
    return number(text, later("'{text}' is no speed; 0.5 is half as fast"))


def kinds_of_export() -> str:
    """What can be said after --as, in words."""
    from notcher.formats.export import BY_NAME

    return tr("{names}; else told from OUT's ending", names=", ".join(BY_NAME))
