"""What a lesson page holds, as data that its script reads: phrases with their lines, cues, counts and notes."""

import contextlib
from collections.abc import Mapping, Sequence
from typing import Any

from notcher.formats import heading
from notcher.formats.lesson_page.drawing import svg
from notcher.formats.line import DIALECTS, written_line
from notcher.formats.sheet.look import Look, Rhythm
from notcher.formats.sheet.neck import height as neck_height
from notcher.formats.sheet.neck import spots, strip
from notcher.formats.sheet.shapes import moved
from notcher.formats.sheet.systems import Frame, systems
from notcher.formats.sheet.tab import LABELS
from notcher.place.fingers import Fingered
from notcher.place.solver import fingering
from notcher.score.errors import ScoreError
from notcher.score.note import Note, strikes
from notcher.score.passage_edit import passage_of
from notcher.score.project import Phrase, Project
from notcher.teach.clicks import clicks_between, count_in
from notcher.teach.layers import ORDER, Layer, last_needed, layered
from notcher.teach.plan import read_plan
from notcher.wording import tr
from notcher.wording.chords import chords_over
from notcher.wording.lesson import layer_words
from notcher.wording.notes import phrase_title

WIDTHS = {"wide": 560.0, "narrow": 250.0}
"""Points that a line of tab is wide, on a desk and on a phone."""
_NECK_WIDTH, _EDGE = 420.0, 4.0


def content(project: Project, phrases: Sequence[Phrase], *, dialect: int, left_handed: bool) -> dict[str, Any]:
    """All of a page but its sounds and its words. Times are seconds of the recording."""
    hand = fingering(project, hand=project.playing.hand)
    notes = [n for p in phrases for n in project.notes_between(p.start, p.end)]
    tempo = project.tempo
    start, end = phrases[0].start, max(p.end for p in phrases)
    return {
        "format": "notcher-lesson", "version": 1, "title": heading.title(project), "whose": heading.whose(project),
        "facts": heading.facts(project), "school": project.request.school, "rights": project.request.rights,
        "start": start, "end": end, "bpm": tempo.bpm_at(start) if tempo else None,
        "pace": _pace_last_taught(project, phrases),
        "beats": [[round(c.time, 4), c.strength] for c in clicks_between(tempo, start, end)],
        "layers": [{"key": str(layer), "name": layer_words(layer)} for layer in _layers(notes)],
        "phrases": [_phrase(project, p, hand, dialect=dialect, left_handed=left_handed) for p in phrases],
        "notes": [_note(n, project) for n in notes],
    }  # fmt: skip


def _pace_last_taught(project: Project, phrases: Sequence[Phrase]) -> int:
    """Percent: of the last take of these phrases, else of the lesson's first step that plays one of them, else 100; in
    fives, as the page has them."""
    ids, names = {p.id for p in phrases}, {p.name for p in phrases}
    takes = [t for t in project.takes if t.phrase in ids]
    pace = max(takes, key=lambda t: t.made).pace if takes else 100.0
    if not takes:
        with contextlib.suppress(ScoreError):
            steps = [step for _, step in read_plan(project.lesson.lines)]
            pace = next((s.pace for s in steps if s.pace and set(s.phrases) & names), 100.0)
    return max(25, min(110, 5 * round(pace / 5)))


def _layers(notes: Sequence[Note]) -> list[Layer]:
    """Those that differ, the fullest last."""
    return [*ORDER[: ORDER.index(last_needed(notes))], Layer.COLOUR]


def _note(n: Note, project: Project) -> dict[str, Any]:
    return {
        "id": n.id, "onset": n.onset, "duration": round(n.duration, 4), "string": n.string, "fret": n.fret,
        "pitch": n.pitch(project.tuning), "attack": str(n.attack),
        "bend": {"kind": str(n.bend.kind), "target_cents": n.bend.target_cents} if n.bend else None,
    }  # fmt: skip


def _phrase(
    project: Project, phrase: Phrase, hand: Mapping[str, Fingered], *, dialect: int, left_handed: bool
) -> dict[str, Any]:
    notes = project.notes_between(phrase.start, phrase.end)
    cues = [
        [round(stroke[0].onset, 4), written_line(passage_of(stroke), DIALECTS[dialect])] for stroke in strikes(notes)
    ]
    drawn, last = {}, None
    for layer in _layers(notes):
        shown = layered(notes, layer)
        last = {name: _lines(project, shown, width) for name, width in WIDTHS.items()} if shown else {}
        drawn[str(layer)] = last
    return {
        "id": phrase.id, "name": phrase_title(phrase), "start": phrase.start, "end": phrase.end,
        "advice": phrase.advice, "listen": phrase.listen_for, "optional": phrase.optional,
        "remarks": [n.advice for n in notes if n.advice],
        "cues": cues, "count": [[round(c.time, 4), c.strength] for c in count_in(project, phrase.start, phrase.end)],
        "chords": [[round(t, 4), name] for t, name in chords_over(project, phrase.start, phrase.end)],
        "lines": drawn, "neck": _neck(project, notes, hand, left_handed=left_handed) if notes else None,
    }  # fmt: skip


def _lines(project: Project, notes: Sequence[Note], width: float) -> list[dict[str, Any]]:
    """Lines of tab: each its drawing, the times and places that its playhead goes through, and its notes' places."""
    frame = Frame(width - 2 * _EDGE, headed=False, words=False, bare=True)
    out = []
    for system in systems(project, notes, Look(rhythm=Rhythm.BOTH), frame):
        row = system.row
        if row is None:
            continue
        shapes = [moved(s, _EDGE, 2.0) for s in system.shapes]
        height = system.height + 4.0
        first, last = row.cells[0].time, row.cells[-1].time + row.cells[-1].lasts
        label = tr("Tab, one line: {n} notes", n=sum(len(c.struck) for c in row.cells))
        out.append({
            "svg": svg(shapes, width, height, label), "width": width, "height": round(height, 1),
            "times": [*(round(c.time, 4) for c in row.cells), round(last, 4)],
            "xs": [*(round(x + LABELS + _EDGE, 1) for x in row.x), round(system.right + _EDGE - 6, 1)],
            "start": round(first, 4), "end": round(last, 4),
            "notes": {name: round(x + _EDGE, 1) for name, x in system.xs.items()},
        })  # fmt: skip
    return out


def _neck(
    project: Project, notes: Sequence[Note], hand: Mapping[str, Fingered], *, left_handed: bool
) -> dict[str, Any]:
    shapes = strip(notes, hand, project.tuning, x=0.0, y=0.0, width=_NECK_WIDTH, left_handed=left_handed)
    height = neck_height(project.tuning.strings)
    places = spots(notes, project.tuning, x=0.0, y=0.0, width=_NECK_WIDTH, left_handed=left_handed)
    label = tr("The phrase on the neck")
    return {
        "svg": svg(shapes, _NECK_WIDTH, height, label), "width": _NECK_WIDTH, "height": height,
        "spots": {name: [round(x, 1), round(y, 1)] for name, (x, y) in places.items()},
    }  # fmt: skip
