"""The measured data as others read it: notes as JSON, the contour as CSV."""

import io
import json
from dataclasses import asdict
from typing import Any

from notcher.place.solver import fingering, sureness
from notcher.score.gaps import open_gaps
from notcher.score.note import Bend, Mark, Note
from notcher.score.pitch import midi_to_hz
from notcher.score.project import Project


def notes_json(project: Project, notes: tuple[Note, ...]) -> str:
    """The `notcher-notes` document, version 2."""
    hand, sure = fingering(project), sureness(project)
    rows = [
        {
            "id": n.id, "onset": n.onset, "duration": round(n.duration, 4), "string": n.string, "fret": n.fret,
            "pitch": n.pitch(project.tuning), **_sounding(n, project), "attack": str(n.attack),
            "bend": _bend(n.bend) if n.bend else None,
            "vibrato": {
                "rate_hz": n.vibrato.rate_hz, "extent_cents": n.vibrato.extent_cents, "start": n.vibrato.start,
            } if n.vibrato else None,
            "marks": sorted(n.marks),
            "finger": hand[n.id].finger,
            "position": hand[n.id].position, "sure": {**(asdict(n.sure) if n.sure else {}), "place": sure[n.id]},
            **({"raked_from": n.raked_from} if n.raked_from is not None else {}),
            **({"sounding_share": n.sounding} if n.sounding is not None else {}), "doubt": n.doubt,
            **({"advice": n.advice} if n.advice else {}), **_maybe(n), "confidence": n.confidence,
            "confirmed": n.confirmed,
        }
        for n in notes
    ]  # fmt: skip
    document = {
        "format": "notcher-notes", "version": 2, "strings": project.tuning.strings,
        "tuning": list(project.tuning.pitches),
        "capo": project.tuning.capo, "offset_cents": project.offset_cents, "notes": rows,
        "gaps": [
            {"start": g.start, "end": g.end, "pitch": g.midi, "chance": g.chance}
            for g in open_gaps(project) if any(n.onset <= g.start <= n.end for n in notes) or notes == project.notes
        ],
    }  # fmt: skip
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def _bend(bend: Bend) -> dict[str, Any]:
    return {
        "kind": str(bend.kind), "peak_cents": bend.peak_cents, "target_cents": bend.target_cents,
        "points": [list(p) for p in bend.points], **({"rise": bend.rise} if bend.rise is not None else {}),
    }  # fmt: skip


def _maybe(note: Note) -> dict[str, Any]:
    """What may be so of a note and is not written."""
    rows = []
    for m in note.suggested:
        said = {"attack": m.attack and str(m.attack), "bend": m.bend and _bend(m.bend), "mark": m.mark and str(m.mark)}
        rows.append({**{name: value for name, value in said.items() if value is not None}, "chance": m.chance})
    return {"maybe": rows} if rows else {}


def _sounding(note: Note, project: Project) -> dict[str, int]:
    """The pitch that sounds, of a harmonic whose partial is known."""
    harmonic = Mark.NATURAL_HARMONIC in note.marks or (Mark.PINCH_HARMONIC in note.marks and note.partial is not None)
    sounds = round(note.unbent_pitch(project.tuning)) if harmonic else None
    return {} if sounds is None or sounds == note.pitch(project.tuning) else {"sounding": sounds}


def contour_csv(project: Project, *, start: float = 0.0, end: float | None = None) -> str:
    """`time_s,f0_hz,confidence`, one row a step of the contour; f0_hz empty where nothing sounds."""
    out = io.StringIO()
    out.write("time_s,f0_hz,confidence\n")
    contour = project.contour
    if contour is None:
        return out.getvalue()
    for k, (deci, percent) in enumerate(zip(contour.decicents, contour.percent, strict=True)):
        time = contour.start + k * contour.hop
        if time < start or (end is not None and time >= end):
            continue
        hz = f"{midi_to_hz(deci / 1000):.3f}" if deci >= 0 else ""
        out.write(f"{time:.3f},{hz},{percent / 100:.2f}\n")
    return out.getvalue()
