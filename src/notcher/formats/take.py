"""A judged take as data."""

import json

from notcher.score.project import Project
from notcher.teach.take import Report

FORMAT, VERSION = "notcher-take", 2


def take_json(project: Project, report: Report, in_words: str) -> str:
    """A take's report in the `notcher-take` form; times in the recording's seconds but for extra notes, whose onset is
    in the take, as that is where one looks for them."""
    rows = [
        {
            "id": v.note.id, "there": v.there, "late_ms": v.late_ms, "bend_error_cents": v.bend_error_cents,
            "vibrato": True if v.vibrato_cents is not None else None, "vibrato_cents": v.vibrato_cents,
            "goal_late_ms": v.goal_late_ms, "attack": str(v.attack) if v.attack else None, "as_reached": v.as_reached,
            "played_pitch": v.played_pitch,
        }
        for v in report.verdicts
    ]  # fmt: skip
    document = {
        "format": FORMAT, "version": VERSION, "shifted_semitones": report.shift, "offset_cents": report.offset_cents,
        "pace": report.pace, "notes": rows, "clean": report.is_clean(project.lesson),
        "missing": [n.id for n in report.missing],
        "extra": [{"onset": e.onset, "pitch": e.pitch, "in_recording": e.at} for e in report.extra],
        "sounds_like": report.like.name if report.like else None, "in_words": in_words,
    }  # fmt: skip
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"
