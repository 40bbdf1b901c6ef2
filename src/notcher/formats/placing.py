"""Notes in the `notcher-notes` form with their places filled in: what `notcher place` reads and writes."""

import json
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from notcher.formats.errors import FileFormatError
from notcher.formats.limits import NOTES, check_values, read_limited
from notcher.place.columns import strikes
from notcher.place.fingers import finger
from notcher.place.offers import offered
from notcher.place.search import Lattice, hand_through
from notcher.place.solver import cut_at_rests
from notcher.place.wanted import Wanted
from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.limits import LONGEST_S, MOST_NOTES
from notcher.score.note import Attack, struck_together
from notcher.score.pitch import PitchName
from notcher.score.playing import Hand
from notcher.score.tuning import FEWEST_STRINGS, HIGHEST_CAPO, HIGHEST_FRET, MOST_STRINGS, Tuning

VERSION = 2
MOST_OFFERED = 8
_BEND = {"type": ["object", "null"], "properties": {"target_cents": {"type": ["number", "null"]},
                                                   "peak_cents": {"type": ["number", "null"]}}}  # fmt: skip
_NOTE = {
    "type": "object", "required": ["onset", "duration"],
    "properties": {
        "id": {"type": "string"}, "onset": {"type": "number", "minimum": 0, "maximum": LONGEST_S},
        "duration": {"type": "number", "exclusiveMinimum": 0, "maximum": LONGEST_S},
        "string": {"type": ["integer", "null"], "minimum": 1, "maximum": MOST_STRINGS},
        "fret": {"type": ["integer", "null"], "minimum": 0, "maximum": HIGHEST_FRET},
        "pitch": {"type": "integer", "minimum": 0, "maximum": 127}, "attack": {"enum": [str(a) for a in Attack]},
        "bend": _BEND, "vibrato": {"type": ["object", "null"]}, "confirmed": {"type": "boolean"},
        "finger": {"type": ["integer", "null"], "minimum": 0, "maximum": 4},
    },
}  # fmt: skip
_SCHEMA = {
    "type": "object", "required": ["format", "tuning", "notes"],
    "properties": {
        "format": {"const": "notcher-notes"}, "version": {"type": "integer", "minimum": 1, "maximum": VERSION},
        "tuning": {"type": "array", "minItems": FEWEST_STRINGS, "maxItems": MOST_STRINGS,
                   "items": {"type": "integer", "minimum": 0, "maximum": 127}},
        "capo": {"type": "integer", "minimum": 0, "maximum": HIGHEST_CAPO}, "frets": {"type": "integer"},
        "notes": {"type": "array", "maxItems": MOST_NOTES, "items": _NOTE},
        "phrases": {"type": "array", "items": {"type": ["array", "object"]}},
    },
}  # fmt: skip


def read_notes_document(path: Path) -> dict[str, Any]:
    """A `notcher-notes` document. Raises FileFormatError, in one line, for what is none."""
    import jsonschema

    try:
        data = json.loads(read_limited(path, NOTES))
        check_values(data)
        jsonschema.Draft202012Validator(_SCHEMA).validate(data)
    except jsonschema.ValidationError as error:
        place = "/".join(str(p) for p in error.absolute_path) or "-"
        raise FileFormatError(
            "'{name}' is no document of notes: at {place}: {what}", name=path.name, place=place,
            what=error.message[:140],
        ) from error  # fmt: skip
    except (ValueError, RecursionError) as error:
        raise FileFormatError("'{name}' is no document of notes: it is no JSON", name=path.name) from error
    assert isinstance(data, dict)
    return data


def with_places(document: dict[str, Any], *, offer: int = 0, hand: Hand = Hand.PER_FRET) -> dict[str, Any]:
    """The document with string, fret, finger and position of every note filled in, and so many offers a phrase.

    A note that has string, fret and is confirmed stays where it is. Raises ScoreError, naming the note, for a pitch the
    guitar does not have, for a confirmed place that does not give it, and for two at one time on one string.
    """
    tuning = Tuning(
        tuple(document["tuning"]), capo=document.get("capo", 0), frets=document.get("frets", HIGHEST_FRET)
    )  # fmt: skip
    rows = sorted(
        ({**row, "id": row.get("id") or f"n{k}"} for k, row in enumerate(document["notes"], 1)),
        key=lambda row: (row["onset"], row.get("string") or 0),
    )
    _check_ids(rows)
    wanted = [_wanted(row, tuning) for row in rows]
    _check_free(rows, wanted)
    _check_strings(rows, wanted, tuning)
    wanted = _in_phrases(rows, wanted, document.get("phrases"))
    phrases: list[dict[str, Any]] = []
    if wanted:
        lattice = Lattice(wanted, tuning)
        shares = lattice.solve()
        ways = lattice.likeliest()
        hand_through(lattice, ways)
        places = [(0, 0)] * len(wanted)
        for group, column, way in zip(lattice.groups, lattice.columns, ways, strict=True):
            for j, i in enumerate(group):
                places[i] = int(column.string[way, j]), int(column.fret[way, j])
        fingered = finger(wanted, places, hand)
        rows = [
            {
                **row, "pitch": w.pitch, "string": place[0], "fret": place[1],
                "finger": f.finger, "position": f.position,
                "sure": {**_kept(row.get("sure")), "place": round(min(1.0, share[place]), 3)},
            }
            for row, w, place, f, share in zip(rows, wanted, places, fingered, shares, strict=True)
        ]  # fmt: skip
        phrases = [_phrase(lattice, rows, span, offer) for span in _spans(wanted)]
    return {**document, "version": VERSION, "strings": tuning.strings, "notes": rows, "phrases": phrases}


def _kept(sure: object) -> dict[str, Any]:
    return dict(sure) if isinstance(sure, dict) else {}


def _wanted(row: dict[str, Any], tuning: Tuning) -> Wanted:
    said = (row["string"], row["fret"]) if row.get("string") and row.get("fret") is not None else None
    settled = said is not None and bool(row.get("confirmed"))
    if said is not None:
        tuning.check_string(said[0])
    if said is not None and settled:
        tuning.check_fret(said[1])
    pitch = row.get("pitch")
    if isinstance(pitch, float):
        raise ScoreError(
            "note '{id}' has the pitch {pitch}; write a whole number of half steps, such as {whole}", id=row["id"],
            pitch=pitch, whole=round(pitch),
        )  # fmt: skip
    if pitch is None:
        if said is None:
            raise ScoreError("note '{id}' has neither a pitch nor a place; say one of them", id=row["id"])
        pitch = tuning.pitch(*said)
    if said is not None and settled and tuning.pitch(*said) != pitch:
        raise ScoreError(
            "note '{id}' is confirmed at string {string}, fret {fret}, which does not sound its {note}; correct one of "
            "them", id=row["id"], string=said[0], fret=said[1], note=PitchName(pitch),
        )  # fmt: skip
    if not tuning.places(pitch):
        raise ScoreError(
            "note '{id}', {note} at {onset:.2f} s, is not on this guitar: {reach} on {strings} strings", id=row["id"],
            note=PitchName(pitch), onset=float(row["onset"]), reach=tuning.reach, strings=tuning.strings,
        )  # fmt: skip
    bend = row.get("bend") or {}
    cents = bend.get("target_cents") or bend.get("peak_cents") or 0
    onset = float(row["onset"])
    return Wanted(
        onset, onset + float(row["duration"]), pitch, Attack(row.get("attack", "pick")),
        max(0, round(cents / 50) * 50), row.get("vibrato") is not None, said if settled else None,
        confirmed=settled, finger=row.get("finger") if settled else None,
    )  # fmt: skip


def _check_ids(rows: Sequence[dict[str, Any]]) -> None:
    seen: set[str] = set()
    for row in rows:
        if row["id"] in seen:
            raise ScoreError("two notes have the id '{id}'; give each note its own", id=row["id"])
        seen.add(row["id"])


def _check_strings(rows: Sequence[dict[str, Any]], wanted: Sequence[Wanted], tuning: Tuning) -> None:
    """Raises ScoreError where notes that are struck together need one string."""
    for group in strikes(wanted):
        free = [{s for s, _ in ([w.place] if w.place else tuning.places(w.pitch))} for w in (wanted[i] for i in group)]
        if len(group) > 1 and not _each_its_own(free):
            names = ", ".join(f"'{rows[i]['id']}'" for i in group)
            strings = ", ".join(str(s) for s in sorted(set().union(*free)))
            raise ScoreError(
                "notes {names} at {onset:.2f} s fit only string {strings} together, and one string gives one note at a "
                "time; correct a pitch or an onset", names=names, onset=wanted[group[0]].onset, strings=strings,
            )  # fmt: skip


def _each_its_own(free: Sequence[set[int]]) -> bool:
    """Whether each can have a string of its own among those it fits (bipartite matching by augmenting paths)."""
    holder: dict[int, int] = {}

    def seat(k: int, tried: set[int]) -> bool:
        for string in free[k] - tried:
            tried.add(string)
            if string not in holder or seat(holder[string], tried):
                holder[string] = k
                return True
        return False

    return all(seat(k, set()) for k in range(len(free)))


def _check_free(rows: Sequence[dict[str, Any]], wanted: Sequence[Wanted]) -> None:
    last: dict[int, int] = {}
    for i, w in enumerate(wanted):
        if w.place is None:
            continue
        before = last.get(w.place[0])
        if before is not None and struck_together(wanted[before].onset, w.onset):
            raise ScoreError(
                "notes '{first}' and '{second}' are both confirmed on string {string} at {onset:.2f} s; one string "
                "gives one note", first=rows[before]["id"], second=rows[i]["id"], string=w.place[0], onset=w.onset,
            )  # fmt: skip
        last[w.place[0]] = i


def _in_phrases(rows: Sequence[dict[str, Any]], wanted: Sequence[Wanted], said: object) -> list[Wanted]:
    """By the phrases that the document names, each a list of ids; cut at rests where it names none."""
    if not isinstance(said, list) or not said:
        return cut_at_rests(wanted)
    number: dict[str, int] = {}
    for k, phrase in enumerate(said):
        ids = phrase.get("notes") if isinstance(phrase, dict) else phrase
        if not isinstance(ids, list) or not all(isinstance(i, str) for i in ids):
            raise ScoreError(Clause("phrase {number} is no list of the ids of notes", number=k + 1))
        for i in ids:
            if number.setdefault(i, k) != k:
                raise ScoreError(
                    "note '{id}' is in phrase {first} and in phrase {second}; a note belongs to one phrase", id=i,
                    first=number[i] + 1, second=k + 1,
                )  # fmt: skip
    unknown = set(number) - {row["id"] for row in rows}
    if unknown:
        raise ScoreError("a phrase names the note '{id}', which is not there", id=min(unknown))
    out: list[Wanted] = []
    for row, w in zip(rows, wanted, strict=True):
        # What no phrase names goes on with the phrase before.
        out.append(replace(w, phrase=number.get(row["id"], out[-1].phrase if out else 0)))
    return out


def _spans(wanted: Sequence[Wanted]) -> list[list[int]]:
    spans: dict[int, list[int]] = {}
    for i, w in enumerate(wanted):
        spans.setdefault(w.phrase, []).append(i)
    return list(spans.values())


def _phrase(lattice: Lattice, rows: Sequence[dict[str, Any]], span: Sequence[int], offer: int) -> dict[str, Any]:
    found = offered(lattice, span, most=offer) if offer else []
    return {
        "notes": [rows[i]["id"] for i in span],
        "offered": [
            {"position": o.positions[0], "places": [list(place) for place in o.places]} for o in found
        ],
    }  # fmt: skip
