"""Makes the demo project that ships: the program's own measuring of the demo recording, then what an instructor adds.

The instructor's part (title, request, beat, section and phrase names, a few confirmed notes and a doubt) is written
here by hand; the notes are as measured. Run: python -m demo.project
"""

import itertools
from dataclasses import replace
from pathlib import Path
from typing import Any

from demo.render import BEAT, FIRST_BEAT, SHIPPED, humanized
from demo.solo import BEATS, BPM, PHRASES, PROGRESSION, SECTIONS, Played
from notcher.formats import project_file
from notcher.harmony.symbols import parse_chord
from notcher.pipeline.transcribe import transcribed
from notcher.place.solver import settle
from notcher.score import edits
from notcher.score.chord import Chord
from notcher.score.chords import set_chords, set_key
from notcher.score.key import Key
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Phrase, Project, Request, Section
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap

DEMO_KEY = Key(Tone.named("F#"), "minor")


def phrases(project: Project) -> list[Phrase]:
    """The demo's phrases by name, from just before the first note heard in each to the next."""
    starts = [FIRST_BEAT + min(n.beat for n in notes) * BEAT - 0.08 for _, notes in PHRASES]
    ends = [*starts[1:], max(n.end for n in project.notes) + 0.4]
    names = [name for name, _ in PHRASES]
    return [
        Phrase(f"p{i}", name, round(a, 3), round(b, 3))
        for i, (name, a, b) in enumerate(zip(names, starts, ends, strict=True), 1)
    ]


def written_chords() -> list[tuple[float, Chord | None]]:
    """The invented trio's chords, one a bar, as the instructor wrote them down."""
    names = [None if name == "-" else parse_chord(name) for name in PROGRESSION]
    return [
        (round(FIRST_BEAT + 4 * bar * BEAT, 4) if bar else 0.0, chord) for bar, chord in enumerate(names)
        if bar == 0 or chord != names[bar - 1]
    ]  # fmt: skip


# What the instructor left open, and says so: (phrase, number of the note in it, reason).
OPEN = (
    ("Rope ladder", 4, "picked or pulled off? listen again"), ("Night watch", 2, "palm or just short?"),
    ("Moorings", 3, "pulled off, I think"),
)  # fmt: skip
_NEAR_S = 0.08
# Half steps over the fret at which a harmonic sounds, and the partial that it is.
_PARTIALS = {12: 2, 19: 3, 24: 4, 28: 5}


def corrected(project: Project) -> Project:
    """The notes as the instructor plays them, where the measuring was wrong: places, techniques, what is missing and what
    is not there. What was right stays as it was measured, unconfirmed; a few honest doubts are left."""
    left = {n.id: n for n in project.notes}
    made: list[Note] = []
    for onset, end, played in humanized(PHRASES):
        if "dead" in played.marks:
            # What a rake drags over on its way.
            continue
        found = [n for n in left.values() if abs(n.onset - onset) < _NEAR_S and _same_pitch(n, played, project)]
        wanted = _wanted(played)
        if not found:
            new = Note(f"x{len(made)}", round(onset, 3), round(end, 3), played.string, played.fret, by_hand=True)
            made.append(replace(new, **wanted, confirmed=True))
            continue
        n = left.pop(min(found, key=lambda n: abs(n.onset - onset)).id)
        bend = n.bend if n.bend is None or played.kind is not None else None
        if played.kind is not None and n.bend is not None:
            kind = BendKind(played.kind)
            # What was taken for another bend has another's curve.
            points = n.bend.points if kind is n.bend.kind else ()
            bend = Bend(kind, played.target, points)
        values = {**wanted, "bend": bend if n.bend is not None else wanted["bend"]}
        if played.vib is not None and n.vibrato is not None:
            values["vibrato"] = n.vibrato
        right = replace(n, string=played.string, fret=played.fret, **values)
        made.append(n if right == n else replace(right, confirmed=True, doubt=None))
    made.sort(key=lambda n: (n.onset, n.string))
    taken = {n.id for n in made}
    free = (f"n{k}" for k in itertools.count(len(project.notes) + 1) if f"n{k}" not in taken)
    project = project.with_notes([replace(n, id=next(free)) if n.id.startswith("x") else n for n in made])
    for name, number, reason in OPEN:
        phrase = project.phrase_named(name)
        note = project.notes_between(phrase.start, phrase.end)[number]
        project = project.with_notes(
            [replace(n, doubt=reason, confirmed=False) if n.id == note.id else n for n in project.notes]
        )
    return project


def _same_pitch(n: Note, played: Played, project: Project) -> bool:
    """Whether it was heard as what was played, by its fretted or its sounding pitch."""
    fretted = project.tuning.pitch(played.string, played.fret)
    return n.pitch(project.tuning) in (fretted, fretted + played.sounding, fretted + 12, fretted + 24)


def _wanted(played: Played) -> dict[str, Any]:
    """What a note of the solo is written as."""
    bend = Bend(BendKind(played.kind), played.target) if played.kind else None
    vibrato = Vibrato(*played.vib[:2]) if played.vib else None
    return {
        "attack": Attack(played.attack), "bend": bend, "vibrato": vibrato,
        "marks": frozenset(Mark(m) for m in played.marks if m in set(Mark)),
        "partial": _PARTIALS.get(played.sounding) if "pinch-harmonic" in played.marks else None,
    }  # fmt: skip


def main() -> None:
    recording = SHIPPED / "pellan-quay-demo.ogg"
    project, _ = transcribed(recording, beat=False)
    project = replace(
        project,
        recording=replace(project.recording, path=recording.name),
        request=Request(
            title="Slack Water", performer="The Ninth Bollard (invented trio)", version="the quay sessions, take 3", asked_by="Wenna, Thursday group", due="2027-02-11",
            school="Pellan Quay Music Room", rights="Made for this program; free to share",
        ),
        tempo=TempoMap.steady(BPM, first_beat=FIRST_BEAT, count=BEATS + 1),
        sections=tuple(
            Section(name, round(FIRST_BEAT + beat * BEAT, 3), like="A" if name == "A again" else "")
            for name, beat in SECTIONS
        ),
    )  # fmt: skip
    project = edits.set_phrases(project, phrases(project))
    first = project.phrases[0]
    # The instructor knows where the first phrase is played; the rest follows from it.
    opening = project.notes_between(first.start, first.end)[0]
    where = PHRASES[0][1][0]
    project = edits.set_place(project, opening.id, string=where.string, fret=where.fret)
    project = settle(project, frozenset({opening.id}))
    confirmed = {n.id for n in project.notes_between(first.start, first.end)}
    project = edits.confirm(project, confirmed)
    pitched = (n for n in project.notes if n.id not in confirmed and Mark.DEAD not in n.marks)
    unsure = min(pitched, key=lambda n: n.confidence)
    project = edits.set_doubt(project, {unsure.id}, reason="buried under the chord; listen again")
    project = corrected(project)
    project = set_key(set_chords(project, written_chords(), until=project.recording.duration), DEMO_KEY)
    project_file.save(project, Path(SHIPPED / "pellan-quay-demo.notcher"))


if __name__ == "__main__":
    main()
