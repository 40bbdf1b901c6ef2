"""A lesson spread over days as an iCalendar file (RFC 5545), by the icalendar library."""

import datetime
import uuid

from icalendar import Calendar, Event

from notcher.formats.heading import title as title_of
from notcher.formats.printable import printable
from notcher.score.project import Project
from notcher.teach.calendar import Spread
from notcher.teach.plan import write_step
from notcher.wording import tr, trn

_AT_HOUR = 17


def calendar(project: Project, days: Spread, *, now: datetime.datetime) -> bytes:
    """An event a day, from 17:00 on, as long as its steps take, with them as its description. now: when it was made."""
    title = printable(title_of(project))
    out = Calendar()
    out.add("prodid", "-//Notcher//EN")
    out.add("version", "2.0")
    out.add("x-wr-calname", tr("Lesson: {title}", title=title))
    for day in days.days:
        start = datetime.datetime.combine(day.date, datetime.time(_AT_HOUR))
        minutes = max(5, round(day.seconds / 60))
        event = Event()
        event.add("uid", str(uuid.uuid5(uuid.NAMESPACE_URL, f"{project.recording.sha256}/{day.date.isoformat()}")))
        event.add("dtstamp", now)
        event.add("dtstart", start)
        event.add("dtend", start + datetime.timedelta(minutes=minutes))
        steps = trn("{n} step", "{n} steps", len(day.steps))
        event.add("summary", tr("{title}: {steps}", title=title, steps=steps))
        event.add("description", "\n".join(printable(write_step(s)) for s in day.steps))
        out.add_component(event)
    return bytes(out.to_ical())
