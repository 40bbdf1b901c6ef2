"""A learner's take beside the transcription, in words."""

from notcher.teach.take import Match, Report
from notcher.wording.say import tr

_WORTH_SAYING_CENTS = 15


def report_words(report: Report) -> str:
    """A few lines for a terminal."""
    played = sum(m.found for m in report.matches)
    lines = [
        tr("{played} of {wanted} notes were there; {extra} were not in the tab.", played=played,
           wanted=len(report.matches), extra=report.extra)
    ]  # fmt: skip
    for m in report.matches:
        if m.bend_error_cents is not None and abs(m.bend_error_cents) >= _WORTH_SAYING_CENTS:
            lines.append(_bend_words(m, m.bend_error_cents))
    return "\n".join(lines)


def _bend_words(match: Match, error: float) -> str:
    values = {"string": match.note.string, "fret": match.note.fret, "cents": abs(error)}
    if error > 0:
        return tr("The bend at string {string} fret {fret} was {cents:.0f} cents wide.", **values)
    return tr("The bend at string {string} fret {fret} was {cents:.0f} cents short.", **values)
