"""Keystrokes per note to a transcription of the demo that agrees with what was played, all confirmed: from the proposal,
and from nothing.

The edits are the program's own, in the order in which one works: from left to right, each note put right and then
confirmed; at the first of each phrase, the whole phrase is moved over the strings where that saves keys, and moving a note
or a phrase places what follows anew, as in the window. A note that was not heard is added with A, which
listens there. From nothing, A is pressed along with every note while the recording plays at half pace, and what it wrote
is put right. Run: python -m benchmarks.keys
"""

import itertools
import math
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np

from benchmarks.truth import DEMO_MIX, Truth
from notcher.app.commands.notes import NUDGE
from notcher.audio.decode import load
from notcher.audio.recording import Audio
from notcher.demo_copy import demo_project
from notcher.formats import project_file
from notcher.pipeline.place_heard import placed_among
from notcher.pipeline.point import heard_here
from notcher.place.phrases import shifted
from notcher.place.solver import settle
from notcher.score import edits
from notcher.score.errors import ScoreError
from notcher.score.note import Attack, BendKind, Mark, Note
from notcher.score.project import Phrase, Project

_ORDER = (*(k for k in BendKind if k is not BendKind.HOLD), BendKind.HOLD, None)
# How far a hand is off the beat it hears, in seconds of a recording that plays at half pace.
_HAND_S, _SEED = 0.02, 61
_SAME_S = 0.05
_MOST_PRESSES = 3


def keys_for_the_demo() -> tuple[Counter[str], int]:
    """Keys by what they are for, and the notes that were played."""
    project, truth = project_file.load(demo_project()), Truth.read()
    played = [dict(n) for n in truth.notes]
    keys: Counter[str] = Counter()
    done: set[str] = set()
    met: set[int] = set()
    placed: set[str] = set()
    right: list[tuple[str, bool]] = []
    while True:
        note = next((n for n in project.notes if n.id not in done), None)
        if note is None:
            break
        done.add(note.id)
        phrase = project.phrase_at(note.onset)
        if phrase is not None and phrase.id not in placed:
            placed.add(phrase.id)
            project = _phrase_placed(project, phrase, played, keys)
        real = _real(note, project, played, met)
        if real is None:
            keys["delete what was not played"] += 1
            continue
        met.add(real)
        before = sum(keys.values())
        project = _put_right(project, note, played[real], keys)
        right.append((phrase.id if phrase else "", sum(keys.values()) == before))
    # C goes from note to note up to the last of a phrase that needs a hand, and Shift+C confirms the rest; or the notes
    # that need a hand are clicked, those in a row but the first reached with an arrow, and Ctrl+Shift+C confirms all.
    for _, inside in itertools.groupby(right, key=lambda r: r[0]):
        flags = [fine for _, fine in inside]
        last = max((i for i, fine in enumerate(flags) if not fine), default=-1)
        walk = last + 1 + (last + 1 < len(flags))
        keys["confirm, and go to a note"] += min(walk, sum(not fine for fine in flags) + 1)
    audio = load(DEMO_MIX)
    for k, missed in enumerate(played):
        if k not in met:
            # The playhead stands at a note that is selected; elsewhere: play, and stop there.
            begins = any(abs(n.onset - missed["onset"]) < 0.06 for n in project.notes)
            keys["add what was not heard"] += 0 if begins else 2
            project = _added(project, audio, missed, missed["onset"], keys)
    return keys, len(played)


def keys_from_nothing() -> tuple[Counter[str], int]:
    """Keys by what they are for, and the notes that were played: nothing is measured beforehand."""
    project, truth = project_file.load(demo_project()), Truth.read()
    audio, rng = load(DEMO_MIX), np.random.default_rng(_SEED)
    project = replace(project, notes=(), contour=None, phrases=())
    keys: Counter[str] = Counter()
    for real in truth.notes:
        project = _added(project, audio, real, real["onset"] + float(rng.normal(0, _HAND_S)), keys)
    return keys, len(truth.notes)


def _added(project: Project, audio: Audio, real: dict[str, Any], at: float, keys: Counter[str]) -> Project:
    """A pressed at a time, and the keys that make what it wrote right."""
    keys["add"] += 1
    offset = project.offset_cents if project.contour is not None else None
    heard = heard_here(audio, project.lead, max(0.0, at), known=project.pitches_at(at), offset_cents=offset)
    fret_keys = len(str(real["fret"]))
    if heard is None:
        # Double-click on the string, and the fret.
        keys["add by hand"] += 2 + fret_keys
        before = {n.id for n in project.notes}
        end = real["onset"] + max(0.03, real["duration"])
        project = edits.add_note(project, onset=real["onset"], end=end, string=real["string"], fret=real["fret"])
        note = next(n for n in project.notes if n.id not in before)
    else:
        note = placed_among(project, heard)
        keys["onset"] += max(0, math.ceil((abs(note.onset - real["onset"]) - _SAME_S) / NUDGE))
        pitch = note.pitch(project.tuning)
        if pitch not in (real["pitch"], real["pitch"] + real["sounding"]) and "dead" not in real["marks"]:
            keys["string and fret"] += abs(note.string - real["string"]) + fret_keys
            note = replace(note, string=real["string"], fret=real["fret"], held=True)
        note = replace(note, onset=real["onset"], end=real["onset"] + max(0.03, note.duration))
        project = project.with_notes([*project.notes, note])
    return _put_right(project, note, real, keys)


def _real(note: Note, project: Project, played: list[dict[str, Any]], met: set[int]) -> int | None:
    pitch = note.pitch(project.tuning)
    fits = [
        k for k, t in enumerate(played)
        if k not in met and abs(t["onset"] - note.onset) <= _SAME_S
        and (pitch in (t["pitch"], t["pitch"] + t["sounding"]) or "dead" in t["marks"])
    ]  # fmt: skip
    return min(fits, key=lambda k: abs(played[k]["onset"] - note.onset), default=None)


def _phrase_placed(
    project: Project, phrase: Phrase, played: list[dict[str, Any]], keys: Counter[str]
) -> Project:  # fmt: skip
    """The phrase moved over the strings by as many keys as leave the fewest in all."""
    best, presses = project, 0
    ids = frozenset(n.id for n in project.notes_between(phrase.start, phrase.end))
    fewest = _astray(project, phrase, played)
    for direction in (1, -1):
        moved = project
        for count in range(1, _MOST_PRESSES + 1):
            try:
                moved = settle(shifted(moved, phrase, direction), ids)
            except ScoreError:
                break
            if count + _astray(moved, phrase, played) < fewest:
                best, presses, fewest = moved, count, count + _astray(moved, phrase, played)
    keys["phrase to other strings"] += presses
    return best


def _astray(project: Project, phrase: Phrase, played: list[dict[str, Any]]) -> int:
    """How many strings the phrase's notes lie off, in all."""
    inside = project.notes_between(phrase.start, phrase.end)
    met: set[int] = set()
    off = 0
    for note in inside:
        k = _real(note, project, played, met)
        if k is not None:
            met.add(k)
            off += abs(note.string - played[k]["string"])
    return off


def _put_right(project: Project, note: Note, real: dict[str, Any], keys: Counter[str]) -> Project:
    if project.note(note.id).string != real["string"] and "dead" not in real["marks"]:
        # An arrow to the next string, or a click on the place in the picture of the neck.
        try:
            steps = real["string"] - project.note(note.id).string
            moved = edits.move_to_string(project, {note.id}, steps=steps)
        except ScoreError:
            keys["place"] += 2
        else:
            project = settle(moved, frozenset({note.id}))
            keys["place"] += 1
    attack = Attack(real["attack"])
    if project.note(note.id).attack is not attack:
        keys["how reached"] += 1
    keys["bend"] += _bend_keys(note, real)
    if (note.vibrato is None) != (real["vibrato"] is None):
        keys["vibrato"] += 1
    if (Mark.PALM_MUTE in note.marks) != ("palm-mute" in real["marks"]):
        keys["palm mute"] += 1
    return project


def _bend_keys(note: Note, real: dict[str, Any]) -> int:
    """Presses of B until the kind is right, and of the brackets until the interval is."""
    here = note.bend.kind if note.bend else None
    wanted = BendKind(real["bend"]["kind"]) if real["bend"] else None
    presses = (_ORDER.index(wanted) - _ORDER.index(here)) % len(_ORDER)
    if wanted is None:
        return presses
    cents = note.bend.target_cents if note.bend else 50 if wanted is BendKind.CURL else 200
    return presses + abs(real["bend"]["target_cents"] - cents) // 50


def main() -> None:
    """Print both counts."""
    for what, (keys, notes) in (("proposal", keys_for_the_demo()), ("nothing", keys_from_nothing())):
        print(f"from {what}: {sum(keys.values()) / notes:.2f} keystrokes a note over {notes} notes: {dict(keys)}")


if __name__ == "__main__":
    main()
