"""Keystrokes per note from the demo's proposal to a transcription that agrees with what was played, all confirmed.

The edits are the program's own, in the order in which one works: from left to right, each note put right and then
confirmed; moving one note places its neighbours anew, as in the window. Run: python -m benchmarks.keys
"""

import itertools
from collections import Counter
from typing import Any

from benchmarks.truth import Truth
from notcher.demo_copy import demo_project
from notcher.formats import project_file
from notcher.place.solver import replace_around
from notcher.score import edits
from notcher.score.note import Attack, BendKind, Mark, Note
from notcher.score.project import Project

_ORDER = (*(k for k in BendKind if k is not BendKind.HOLD), BendKind.HOLD, None)
# A note that was not heard: play, stop where it is, add it there, and two digits for its fret.
_ADD = 5
_SAME_S = 0.05


def keys_for_the_demo() -> tuple[Counter[str], int]:
    """Keys by what they are for, and the notes that were played."""
    project, truth = project_file.load(demo_project()), Truth.read()
    played = [dict(n) for n in truth.notes]
    keys: Counter[str] = Counter()
    done: set[str] = set()
    met: set[int] = set()
    right: list[tuple[str, bool]] = []
    while True:
        note = next((n for n in project.notes if n.id not in done), None)
        if note is None:
            break
        done.add(note.id)
        real = _real(note, project, played, met)
        if real is None:
            keys["delete what was not played"] += 1
            continue
        met.add(real)
        before = sum(keys.values())
        project = _put_right(project, note, played[real], keys)
        right.append((phrase.id if (phrase := project.phrase_at(note.onset)) else "", sum(keys.values()) == before))
    # C goes from note to note up to the last of a phrase that needs a hand; Shift+C confirms the rest.
    for _, inside in itertools.groupby(right, key=lambda r: r[0]):
        flags = [fine for _, fine in inside]
        last = max((i for i, fine in enumerate(flags) if not fine), default=-1)
        keys["confirm"] += last + 1 + (last + 1 < len(flags))
    keys["add what was not heard"] = (_ADD + 1) * (len(played) - len(met))
    return keys, len(played)


def _real(note: Note, project: Project, played: list[dict[str, Any]], met: set[int]) -> int | None:
    pitch = note.pitch(project.tuning)
    fits = [
        k for k, t in enumerate(played)
        if k not in met and abs(t["onset"] - note.onset) <= _SAME_S
        and (pitch in (t["pitch"], t["pitch"] + t["sounding"]) or "dead" in t["marks"])
    ]  # fmt: skip
    return min(fits, key=lambda k: abs(played[k]["onset"] - note.onset), default=None)


def _put_right(project: Project, note: Note, real: dict[str, Any], keys: Counter[str]) -> Project:
    while (steps := real["string"] - project.note(note.id).string) and "dead" not in real["marks"]:
        try:
            moved = edits.move_to_string(project, {note.id}, steps=1 if steps > 0 else -1)
        except edits.ScoreError:
            keys["place"] += 2
            break
        project = replace_around(moved, {note.id})
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
    """Print the count."""
    keys, notes = keys_for_the_demo()
    print(f"{sum(keys.values()) / notes:.2f} keystrokes a note over {notes} notes: {dict(keys)}")


if __name__ == "__main__":
    main()
