"""Key, chords and what the notes do in them, as data: the `notcher-harmony` document."""

import json
from collections.abc import Sequence
from typing import Any

from notcher.harmony.roles import Doing, doings, sounding
from notcher.harmony.scales import fitting
from notcher.score.chord import KINDS, ChordAt
from notcher.score.chords import chord_end
from notcher.score.key import KeyAt
from notcher.score.note import Mark, Note
from notcher.score.project import Project

FORMAT, VERSION = "notcher-harmony", 1


def harmony_json(project: Project, notes: Sequence[Note]) -> str:
    """The document. Degrees and names are written in letters any keyboard has."""
    # What passes is decided among all notes, also where only some are written.
    wanted = {n.id for n in notes}
    document = {
        "format": FORMAT,
        "version": VERSION,
        "key": [_key(project, k) for k in project.keys],
        "chords": [_chord(project, c) for c in project.chords],
        "notes": [
            _note(n, d) for n, d in zip(project.notes, doings(project, project.notes), strict=True) if n.id in wanted
        ],
    }
    return json.dumps(document, ensure_ascii=False, indent=1) + "\n"


def _key(project: Project, k: KeyAt) -> dict[str, Any]:
    end = min([o.start for o in project.keys if o.start > k.start], default=project.recording.duration)
    seconds: dict[int, float] = {}
    for n in project.notes:
        if k.start <= n.onset < end and Mark.DEAD not in n.marks:
            pitch = sounding(n, project) % 12
            seconds[pitch] = seconds.get(pitch, 0.0) + n.duration
    found = fitting(seconds, k.key.tonic)
    return {
        "start": k.start, "tonic": k.key.tonic.plain(), "mode": k.key.mode, "scale": found[0].name if found else None,
        "confidence": k.confidence,
    }  # fmt: skip


def _chord(project: Project, c: ChordAt) -> dict[str, Any]:
    bar = project.tempo.bar_and_beat(c.start + 0.02)[0] if project.tempo else None
    chord = c.chord
    return {
        "start": c.start, "end": round(chord_end(project, c.start), 4), "bar": bar,
        "symbol": chord.plain() if chord else "N.C.", "root": chord.root.plain() if chord else None,
        "kind": KINDS[chord.kind].xml if chord else "none",
        "bass": chord.bass.plain() if chord and chord.bass else None, "confidence": c.confidence,
        "decided": c.decided,
    }  # fmt: skip


def _note(note: Note, doing: Doing) -> dict[str, Any]:
    return {
        "id": note.id, "chord": doing.chord.plain() if doing.chord else None, "degree": doing.degree or None,
        "in_key": doing.in_key or None, "role": str(doing.role) if doing.role else None,
    }  # fmt: skip
