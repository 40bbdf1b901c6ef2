"""Makes the demo project that ships: the program's own measuring of the demo recording, then what an instructor adds.

The instructor's part (title, request, beat, section and phrase names, a few confirmed notes and a doubt) is written
here by hand; the notes are as measured. Run: python -m demo.project
"""

from dataclasses import replace
from pathlib import Path

from demo.render import BEAT, FIRST_BEAT, SHIPPED
from demo.solo import BEATS, BPM, PHRASES, PROGRESSION, SECTIONS
from notcher.formats import project_file
from notcher.harmony.symbols import parse_chord
from notcher.place.solver import settle
from notcher.score import edits
from notcher.score.chord import Chord
from notcher.score.chords import set_chords, set_key
from notcher.score.key import Key
from notcher.score.note import Mark
from notcher.score.project import Phrase, Project, Request, Section
from notcher.score.spelling import Tone
from notcher.score.tempo import TempoMap
from notcher.work import transcribed

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
    project = set_key(set_chords(project, written_chords(), until=project.recording.duration), DEMO_KEY)
    project_file.save(project, Path(SHIPPED / "pellan-quay-demo.notcher"))


if __name__ == "__main__":
    main()
