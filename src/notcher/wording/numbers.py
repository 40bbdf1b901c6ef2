"""Times and dates as a language writes them."""

import datetime

from notcher.wording.catalogue import language
from notcher.wording.say import tr, trn


def clock(time: float) -> str:
    """Seconds as m:ss.t, as timestamps of a recording are written."""
    tenths = round(time * 10)
    return f"{tenths // 600}:{tenths // 10 % 60:02d}.{tenths % 10}"


def date_words(day: str) -> str:
    """A date, year-month-day, as the language writes it; what is none as it is."""
    from babel.dates import format_date

    try:
        return str(format_date(datetime.date.fromisoformat(day), "medium", locale=language().locale))
    except ValueError:
        return day


def due_words(day: str, today: datetime.date | None = None) -> str:
    """When something is due, and that it should have been where that is past."""
    try:
        left = (datetime.date.fromisoformat(day) - (today or datetime.date.today())).days
    except ValueError:
        return tr("due {date}", date=day)
    if left < 0:
        return trn("{n} day overdue ({date})", "{n} days overdue ({date})", -left, date=date_words(day))
    return tr("due today") if left == 0 else tr("due {date}", date=date_words(day))


def pace_words(percent: float, bpm: float | None) -> str:
    """A pace in percent, and where a beat is known in beats a minute: '50 %, 46 bpm'."""
    if bpm is None:
        return tr("{percent:g} %", percent=percent)
    return tr("{percent:g} %, {bpm:.0f} bpm", percent=percent, bpm=bpm * percent / 100)
