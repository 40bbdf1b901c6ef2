"""A tab with wrong frets, read with its recording: is each told at its note, and none that is right?

A phrase of benchmarks.material as it is written (on the beat, places as played) with one note in twelve on another fret
or string, laid along what is heard of it. Run: python -m benchmarks.wrong_frets [SET ...]
"""

import random
import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial

from demo.render import truth_notes

from benchmarks.listening import rendered
from benchmarks.material import DEVELOPMENT, WIDE_EVALUATION, Case, cases
from benchmarks.takes import written_note
from notcher.audio.recording import AudioError
from notcher.pipeline.transcribe import measured_project
from notcher.rhythm.lineup import BENT_OTHERWISE, line_up
from notcher.score.errors import ScoreError
from notcher.score.note import LEGATO, Attack, Mark, Note, strikes
from notcher.score.project import Project, Recording
from notcher.score.tempo import TempoMap
from notcher.score.tuning import Tuning

COLUMNS = "alone, a tab in columns"
CONDITIONS = ("alone", "+6 dB", "0 dB", COLUMNS)
EVALUATION = (8807, *WIDE_EVALUATION)
SHARE = 1 / 12
BENT = BENT_OTHERWISE.partition("{")[0]
# How a tab goes wrong: a fret or two beside, or the same fret on the next string.
_BESIDE = (-2, -1, -1, 1, 1, 2)


@dataclass
class Tab:
    """A phrase as somebody wrote it down: the score, the notes that are wrong, and by how many half steps; and
    the bends that are, and by how many cents."""

    score: Project
    wrong: dict[str, int]
    bends: dict[str, int]


def tab_of(case: Case, seed: int) -> Tab:
    """The phrase with some of its notes wrong."""
    dice = random.Random(f"{case.seed} {seed}")
    played, take = case._notes[0], case.take
    rows = truth_notes(played, take)
    notes, wrong, bends = [], {}, {}
    for k, (row, (_, _, n)) in enumerate(zip(rows, played, strict=True), 1):
        onset = take.seconds(n.beat)
        note = replace(written_note(f"n{k}", row), onset=onset, end=onset + max(0.02, n.length * take.beat))
        if dice.random() < SHARE and not note.marks & {Mark.DEAD}:
            other = _other(note, dice)
            if other is not None and other.bend != note.bend:
                assert other.bend is not None
                assert note.bend is not None
                bends[note.id] = other.bend.target_cents - note.bend.target_cents
                note = other
            elif other is not None:
                wrong[note.id] = take.strings[other.string - 1] + other.fret - take.strings[n.string - 1] - n.fret
                note = other
        notes.append(note)
    count = int(case.length / 44100 / take.beat) + 4
    score = Project(
        Recording("", "", 0.0, 44100, 1), tuning=Tuning(take.strings), notes=tuple(notes),
        tempo=TempoMap.steady(take.bpm, first_beat=take.first_beat, count=count),
    )  # fmt: skip
    return Tab(score, wrong, bends)


def in_columns(score: Project) -> Project:
    """The score as a tab has it whose columns say the order and no time: a stroke every three tenths of a second."""
    struck = strikes(score.notes)
    at = {n.id: 0.3 * k for k, group in enumerate(struck) for n in group}
    moved = [replace(n, onset=at[n.id], end=at[n.id] + 0.28) for n in score.notes]
    return replace(score, tempo=None).with_notes(moved)


def _other(note: Note, dice: random.Random) -> Note | None:
    """The note written wrongly; None where nobody would: between frets that are hammered, slid or tapped to."""
    if note.attack in (*LEGATO, Attack.SLIDE):
        return None
    if dice.random() < 0.15:
        return replace(note, string=note.string + dice.choice((-1, 1))) if 1 < note.string < 6 else None
    if note.bend is not None and dice.random() < 0.5:
        goal = note.bend.target_cents + dice.choice((-100, 100))
        return replace(note, bend=replace(note.bend, target_cents=goal)) if goal >= 50 else None
    fret = note.fret + dice.choice(_BESIDE)
    return replace(note, fret=fret) if 0 <= fret <= 24 else None


def measured(job: tuple[int, int, str], seed: int) -> tuple[str, str, Counter[str], list[str]]:
    """One phrase in one condition: counts, and a line for each note that was told or missed wrongly."""
    which, number, condition = job
    case = cases(which)[number]
    tab = tab_of(case, seed)
    if condition == COLUMNS:
        tab.score = in_columns(tab.score)
    audio = rendered(case, "alone" if condition == COLUMNS else condition).audio
    recording = Recording("made.wav", "0" * 64, audio.duration, 44100, 2)
    counts: Counter[str] = Counter(wrong=len(tab.wrong), bends=len(tab.bends), notes=len(tab.score.notes))
    try:
        heard = measured_project(audio, recording, tuning=tab.score.tuning, doubt=False)
        lined = line_up(tab.score, heard.notes, recording)
    except (AudioError, ScoreError) as error:
        return condition, case.plan.name, counts, [str(error)]
    told = {o.note: o for o in lined.others}
    lines = []
    after = {m.id: m for m in lined.project.notes}
    for n in tab.score.notes:
        bent = (after[n.id].doubt or "").startswith(BENT)
        counts["bends found"] += bent and n.id in tab.bends
        counts["false bends"] += bent and n.id not in tab.bends
        if bent and n.id not in tab.bends:
            lines.append(f"false bend {n.id} {after[n.id].doubt}")
        counts["told"] += n.id in told
        if n.id in tab.wrong:
            right = n.id in told and told[n.id].apart == -tab.wrong[n.id]
            doubted = after[n.id].doubt is not None
            counts["found"] += n.id in told
            counts["right pitch"] += right
            counts["not heard"] += n.id not in told and doubted
            if n.id not in told:
                lines.append(
                    f"missed {n.id} {n.attack} {tab.wrong[n.id]:+d} doubt={doubted} {sorted(n.marks)} {n.bend}"
                )
        elif n.id in told:
            counts["false"] += 1
            lines.append(f"false {n.id} {n.attack} {told[n.id].apart:+d} {sorted(n.marks)} {n.bend}")
    counts["matched"] = lined.matched
    return condition, case.plan.name, counts, lines


def evaluate(sets: tuple[int, ...], *, seed: int = 1, verbose: bool = False) -> dict[str, Counter[str]]:
    """Counts by condition."""
    jobs = [(which, k, c) for c in CONDITIONS for which in sets for k in range(len(cases(which)))]
    out: dict[str, Counter[str]] = {c: Counter() for c in CONDITIONS}
    with ProcessPoolExecutor(2) as pool:
        for condition, name, counts, lines in pool.map(partial(measured, seed=seed), jobs):
            out[condition] += counts
            if verbose and lines:
                print(condition, name, dict(counts), *lines, sep="\n    ", flush=True)
    return out


def section() -> str:
    """The page's part."""
    rows = [
        f"| {condition} | {c['notes']} | {c['found']} of {c['wrong']}, {c['not heard']} more doubted | {c['right pitch']} "
        f"| {c['false']} | {c['bends found']} of {c['bends']} | {c['false bends']} |"
        for condition, c in evaluate(EVALUATION).items()
    ]
    return "\n".join([
        "## Wrong frets of a tab", "",
        "A phrase as it is written, one note in twelve on another fret (up to two beside) or string, or with a bend to "
        "another goal, laid along what is heard of it (the last row: as a tab without a beat, a stroke every 0.3 s), on guitars and phrases that nothing was tuned on (sets "
        f"{', '.join(map(str, EVALUATION))}). `python -m benchmarks.wrong_frets`.", "",
        "| the lead | notes | wrong frets told with what was heard | of those rightly | told wrongly | wrong bends told "
        "| told wrongly |", "|---|---|---|---|---|---|---|", *rows,
    ])  # fmt: skip


def main() -> None:
    """Print a row for each condition."""
    sets = tuple(int(a) for a in sys.argv[1:]) or (DEVELOPMENT, *WIDE_EVALUATION)
    for condition, c in evaluate(sets, verbose=True).items():
        print(
            f"{condition:8} notes {c['notes']}, wrong {c['wrong']}: told {c['found']} (pitch right {c['right pitch']}), "
            f"as not heard {c['not heard']}; false {c['false']}; wrong bends {c['bends']}: told {c['bends found']}, "
            f"false {c['false bends']}"
        )


if __name__ == "__main__":
    main()
