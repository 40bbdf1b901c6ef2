"""Takes of every phrase of the demo with one fault, with two, and with none: is each told at its note, and nothing else?

A take is the phrase's own tab as Notcher's tone plays it, clean or through an amplifier, with the fault put in. Run:
python -m benchmarks.faults [SEED]
"""

import itertools
import random
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from benchmarks import studio
from benchmarks.takes import DEMO
from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.audio.stretch import stretch
from notcher.audio.tone import render
from notcher.formats import project_file
from notcher.listen.decide.transcription import Transcription
from notcher.pipeline.transcribe import take_heard
from notcher.score.note import HARMONICS, LEGATO, MOVES_THE_PITCH, Attack, BendKind, Mark, Note
from notcher.score.project import Phrase, Project
from notcher.teach.take import Report, judge

FAULTS = ("late", "missing", "wrong", "extra", "short", "hammered wrong", "together")
LATE_S, SHORT_CENTS = 0.12, 45.0


@dataclass(frozen=True)
class Fault:
    """One fault: its kind, the note it is at, and for a note besides when it comes (seconds in the recording)."""

    kind: str
    note: str
    at: float = 0.0


@dataclass(frozen=True)
class Faulty:
    """One take: of which phrase, with which faults, how fast, and what it goes through."""

    phrase: int
    faults: tuple[Fault, ...]
    pace: float
    seed: int

    @property
    def name(self) -> str:
        """As the table has it."""
        return " and ".join(sorted(f.kind for f in self.faults)) or "none"


def demo() -> Project:
    """The demo as it ships."""
    return project_file.load(DEMO)


def possible(project: Project, phrase: Phrase, dice: random.Random) -> dict[str, Fault]:
    """One fault of each kind, as far as the phrase has room for it."""
    notes = project.notes_between(phrase.start, phrase.end)
    out: dict[str, Fault] = {}
    plain, legato, together, bent = [], [], [], []
    for i, n in enumerate(notes):
        before, after = notes[i - 1] if i else None, notes[i + 1] if i + 1 < len(notes) else None
        struck = [m for m in notes if m is not n and abs(m.onset - n.onset) < 0.04]
        followed = after is not None and after.attack in (*LEGATO, Attack.SLIDE) and after.string == n.string
        moved = n.bend is not None or n.marks & (MOVES_THE_PITCH | HARMONICS | {Mark.DEAD, Mark.TREMOLO, Mark.TRILL})
        room = (before is None or n.onset - before.onset > 0.2) and (after is None or after.onset - n.onset > 0.3)
        if struck and not moved and not followed and n.attack is Attack.PICK:
            together.append(n)
        if not struck and not moved and not followed and n.attack is Attack.PICK and room and 0 < i < len(notes) - 1:
            plain.append(n)
        if n.attack is Attack.HAMMER and not moved and not struck and not followed and n.end - n.onset > 0.09:
            legato.append(n)
        if (
            n.bend is not None
            and n.bend.kind in (BendKind.BEND, BendKind.BEND_RELEASE)
            and n.bend.target_cents >= 100
            and not struck
        ):
            bent.append(n)
    dice.shuffle(plain)
    for kind, n in zip(("late", "missing", "wrong"), itertools.cycle(plain), strict=False):
        out[kind] = Fault(kind, n.id)
    if len(plain) < 3:
        for kind in ("late", "missing", "wrong")[len(plain) :]:
            out.pop(kind, None)
    gaps = [
        (a, b)
        for a, b in itertools.pairwise(notes)
        if b.onset - a.onset > 0.5 and not a.bend and a.attack is Attack.PICK
    ]
    if gaps:
        a, b = dice.choice(gaps)
        out["extra"] = Fault("extra", a.id, (a.onset + b.onset) / 2)
    for kind, found in (("hammered wrong", legato), ("together", together), ("short", bent)):
        if found:
            out[kind] = Fault(kind, dice.choice(found).id)
    return out


def takes(project: Project, seed: int) -> Iterator[Faulty]:
    """All phrases, without a fault, with each and with each two."""
    for k, phrase in enumerate(project.phrases):
        dice = random.Random(1000 * seed + k)
        found = possible(project, phrase, dice)
        for pace in (1.0, 0.6):
            yield Faulty(k, (), pace, seed)
        singles = list(found.values())
        for chosen in [*((f,) for f in singles), *itertools.combinations(singles, 2)]:
            if len({f.note for f in chosen}) == len(chosen):
                yield Faulty(k, tuple(chosen), dice.choice((1.0, 0.75, 0.6)), seed)


def played(project: Project, take: Faulty) -> Audio:
    """How it sounds."""
    phrase = project.phrases[take.phrase]
    notes = {n.id: n for n in project.notes_between(phrase.start, phrase.end)}
    for fault in take.faults:
        n = notes[fault.note]
        if fault.kind == "late":
            notes[n.id] = replace(n, onset=n.onset + LATE_S, end=max(n.end, n.onset + LATE_S + 0.08))
        elif fault.kind in ("missing", "together"):
            del notes[n.id]
        elif fault.kind in ("wrong", "hammered wrong"):
            notes[n.id] = replace(n, fret=n.fret + 1)
        elif fault.kind == "extra":
            notes[n.id] = replace(n, end=min(n.end, fault.at - 0.01))
            other = n.string - 1 if n.string > 1 else 2
            notes["besides"] = Note("besides", fault.at, fault.at + 0.2, other, n.fret + 1)
        elif fault.kind == "short":
            assert n.bend is not None
            top = n.bend.target_cents
            lower = (top - SHORT_CENTS) / top
            shape = n.bend.points or n.bend.written_shape(n.duration)
            notes[n.id] = replace(n, bend=replace(n.bend, points=tuple((t, c * lower) for t, c in shape)))
    changed = project.with_notes(tuple(sorted(notes.values(), key=lambda n: (n.onset, n.string))))
    sound = render(changed, phrase.start - 0.3, phrase.end + 0.8)
    dice = random.Random(f"{take.seed} {take.phrase} {take.name}")
    if dice.random() < 0.6:
        sound = studio.amplifier(dice, sound)
    if take.pace != 1.0:
        sound = stretch(np.asarray(sound[None], np.float32), speed=take.pace)[0]
    noise = np.random.default_rng(take.seed).normal(0, 2e-4, len(sound))
    both = np.stack([sound + noise] * 2).astype(np.float32)
    return Audio(both / max(1.0, float(np.abs(both).max())), RATE, 2)


def heard_of(take: Faulty) -> tuple[Faulty, Transcription | None]:
    """What is heard in it, for a pool."""
    return take, take_heard(played(demo(), take))


def told(project: Project, take: Faulty, report: Report) -> tuple[list[str], list[str]]:
    """The faults that are not told at their note, and what is told besides."""
    open_faults = list(take.faults)
    besides: list[str] = []
    for v in report.verdicts:
        here = [f for f in take.faults if f.note == v.note.id]
        for what in faults_of(v, report):
            right = [f for f in here if f in open_faults and what in _TOLD_BY[f.kind]]
            if right:
                open_faults.remove(right[0])
            elif not any(what in _TOLD_BY[f.kind] for f in here):
                besides.append(f"{what} {v.note.id}")
    for e in report.extra:
        right = [f for f in open_faults if f.kind == "extra" and abs(e.at - f.at) < 0.12]
        if right:
            open_faults.remove(right[0])
        else:
            besides.append(f"extra {e.pitch} at {e.at:.2f}")
    return [f"{f.kind} {f.note}" for f in open_faults], besides


_TOLD_BY = {
    "late": ("late",), "missing": ("missing",), "wrong": ("wrong",), "hammered wrong": ("wrong",), "together": ("missing",),
    "short": ("bend",), "extra": (),
}  # fmt: skip


def faults_of(v: "object", report: Report) -> list[str]:
    """What is said against one note."""
    from notcher.teach.take import Verdict

    assert isinstance(v, Verdict)
    out = []
    if not v.there:
        out.append("wrong" if getattr(v, "played_pitch", None) is not None else "missing")
    if v.late_ms is not None and abs(v.late_ms) > 60:
        out.append("late")
    if v.bend_error_cents is not None and abs(v.bend_error_cents) > 25:
        out.append("bend")
    if v.goal_late_ms is not None and v.goal_late_ms > 60:
        out.append("goal")
    return out


def measured(seed: int) -> tuple[int, list[str]]:
    """How many takes, and a line for each in which a fault is not told at its note, or something besides is told."""
    project = demo()
    jobs = list(takes(project, seed))
    lines = []
    with ProcessPoolExecutor(2) as pool:
        for take, heard in pool.map(heard_of, jobs):
            phrase = project.phrases[take.phrase]
            missed, besides = told(project, take, judge(project, heard, phrase=phrase))
            if missed or besides:
                lines.append(
                    f"{phrase.name}, {take.name}, at {take.pace:.0%}: not told {missed}, told besides {besides}"
                )
    return len(jobs), lines


def section(seed: int = 9) -> str:
    """The page's part."""
    count, lines = measured(seed)
    return (
        f"## Faults of takes\n\nEvery phrase of the demo as Notcher's tone plays it, clean or through an amplifier drawn by chance, as "
        f"written and with each fault alone and in pairs ({', '.join(FAULTS)}; late by {1000 * LATE_S:.0f} ms, bends "
        f"{SHORT_CENTS:.0f} cents flat), at 100, 75 and 60 %: {count} takes, of which {count - len(lines)} have every fault told at "
        "its note and nothing besides. The others:\n\n" + "".join(f"- {line}\n" for line in lines or ["none"])
    )  # fmt: skip


if __name__ == "__main__":
    print(section(int(sys.argv[1]) if len(sys.argv) > 1 else 1))
