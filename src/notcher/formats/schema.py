"""The JSON Schema (draft 2020-12) of the project file, made from the values it describes.

`python -m notcher.formats.schema` writes it to the package's data and to docs/.
"""

import functools
import json
from dataclasses import fields
from enum import StrEnum
from pathlib import Path
from typing import Any

from notcher.score.chord import KINDS, Chord, ChordAt
from notcher.score.feel import BY_NAME as FEELS
from notcher.score.gap import Gap
from notcher.score.isolation import Isolation, Seat
from notcher.score.key import MODES, Key, KeyAt
from notcher.score.limits import LONGEST_S, MOST_BEATS
from notcher.score.note import (
    HIGHEST_PARTIAL,
    INTERVAL_NAMES,
    LONGEST_RISE_S,
    Attack,
    Bend,
    BendKind,
    Mark,
    Note,
    Vibrato,
)
from notcher.score.playing import (
    LONGEST_SCALE_MM,
    SHORTEST_SCALE_MM,
    THICKEST,
    THINNEST,
    Gauge,
    Hand,
    Picking,
    Playing,
)
from notcher.score.practice import (
    CLEAN_CENTS_RANGE,
    CLEAN_MS_RANGE,
    FEWEST_MINUTES,
    MOST_LINES,
    MOST_MINUTES,
    Lesson,
    TakeKept,
)
from notcher.score.project import Contour, Phrase, Project, Recording, Request, Section, State, Version
from notcher.score.sure import Sure
from notcher.score.tempo import LONGEST_BAR, TempoMap
from notcher.score.tuning import FEWEST_STRINGS, HIGHEST_CAPO, HIGHEST_FRET, LOWEST_LAST_FRET, MOST_STRINGS, Tuning
from notcher.score.unit import UNITS

FORMAT = "notcher-project"
VERSION = 13
Schema = dict[str, Any]
EVIDENCE = {
    "flux": "how hard it was struck, 1 for a hard strike of this recording",
    "dip_db": "how far the level fell before it", "jump_cents": "how far the pitch leapt from the note before",
    "glide_s": "in how many seconds it did", "base_error_cents": "how far the fretted pitch lies from the fret's",
    "legato": "how likely the fretting hand began it, where that was asked",
    "unison": "1: heard with another string that it is pushed up to",
    "stroke": "1: a stroke in which no pitch was heard",
    "second_string": "1: found beside the note that the contour follows",
    "strength": "how much it grew at the strike, as a share of that note",
    "partials_there": "share of its first six partials",
}  # fmt: skip
"""What may be kept of how a note was found, by name; all numbers."""
WEIGHED = {
    "because": "what decided most that it is a note: [what, its value, its share of all that was weighed]",
    "reached": "what decided most how it is reached",
    "marked": "what decided most that it is muted, a harmonic, dead, swelled or raked into",
}
"""What may be kept of what a decision weighed."""


def _number(**limits: Any) -> Schema:
    return {"type": "number", **limits}


def _whole(low: int, high: int | None = None, **more: Any) -> Schema:
    return {"type": "integer", "minimum": low, **({} if high is None else {"maximum": high}), **more}


def _text(description: str = "", **more: Any) -> Schema:
    return {"type": "string", **({"description": description} if description else {}), **more}


def _one_of(values: type[StrEnum]) -> Schema:
    return {"enum": [str(v) for v in values]}


def _list(items: Schema, **more: Any) -> Schema:
    return {"type": "array", "items": items, **more}


def _or_none(schema: Schema) -> Schema:
    return {"anyOf": [schema, {"type": "null"}]}


def _ref(name: str) -> Schema:
    return {"$ref": f"#/$defs/{name}"}


def _values(of: type, described: dict[str, Schema], *, may_lack: tuple[str, ...] = ()) -> Schema:
    """An object with a property for each field of a value. Raises KeyError where one is not described, and ValueError
    where something is described that is no field: so that neither can be forgotten."""
    names = [f.name for f in fields(of)]
    surplus = set(described) - set(names)
    if surplus:
        raise ValueError(f"{of.__name__} has no {', '.join(sorted(surplus))}")
    return {
        "type": "object", "properties": {name: described[name] for name in names},
        "required": [name for name in names if name not in may_lack], "additionalProperties": False,
    }  # fmt: skip


_TIME = _number(minimum=0, maximum=LONGEST_S)
_PART = _or_none(_text("a fraction of a beat, such as 3/4", pattern="^[0-9]+/[1-9][0-9]*$"))
_DATE = "YYYY-MM-DD"


def _bend() -> Schema:
    point = {
        "type": "array", "minItems": 2, "maxItems": 2,
        "prefixItems": [
            _number(description="seconds from the onset"), _number(description="cents above the fretted pitch"),
        ],
    }  # fmt: skip
    rise = _number(
        exclusiveMinimum=0, maximum=LONGEST_RISE_S, description="seconds in which one written by hand reaches its top"
    )
    return _values(
        Bend,
        {
            "kind": _one_of(BendKind),
            "target_cents": _whole(min(INTERVAL_NAMES), max(INTERVAL_NAMES), multipleOf=50),
            "points": _list(point),
            "rise": _or_none(rise),
        },
        may_lack=("rise",),
    )


def _note() -> Schema:
    vibrato = _values(
        Vibrato,
        {
            "rate_hz": _number(), "extent_cents": _number(description="half of peak to peak"),
            "start": _number(description="seconds from the onset"),
        },
    )  # fmt: skip
    return _values(
        Note,
        {
            "id": _text(), "onset": _TIME, "end": _TIME,
            "string": _whole(1, MOST_STRINGS), "fret": _whole(0, HIGHEST_FRET), "attack": _one_of(Attack),
            "bend": _or_none(_bend()), "vibrato": _or_none(vibrato), "marks": _list(_one_of(Mark)),
            "doubt": _or_none(_text()), "confidence": _number(minimum=0, maximum=1),
            "confirmed": {"type": "boolean"},
            "by_hand": {"type": "boolean", "description": "added by the person"},
            "held": {"type": "boolean", "description": "its place was chosen by hand"},
            "finger": _or_none(_whole(0, 4, description="of the fretting hand; 0 the thumb")),
            "partial": _or_none(_whole(2, HIGHEST_PARTIAL, description="that a harmonic sounds")),
            "written_at": _PART, "written_length": _PART,
            "sounding": _or_none(_number(exclusiveMinimum=0, maximum=1, description="share of its value that sounds")),
            "raked_from": _or_none(_whole(1, MOST_STRINGS, description="the string at which a rake into it begins")),
            "sure": _or_none(_sure()), "advice": _text("what the person tells whoever learns it, or empty"),
            "evidence": {
                "type": "object", "additionalProperties": _number(),
                "properties": {
                    **{name: _number(description=what) for name, what in EVIDENCE.items()},
                    **{name: _list(_weighed(), description=what) for name, what in WEIGHED.items()},
                },
                "description": "how it was found; empty for a note added by hand",
            },
        },
    )  # fmt: skip


def _weighed() -> Schema:
    return {
        "type": "array", "minItems": 3, "maxItems": 3,
        "prefixItems": [_text(), _number(), _number(minimum=-1, maximum=1)],
    }  # fmt: skip


def _sure() -> Schema:
    parts = {
        "pitch": "its pitch",
        "onset": "its onset, within 50 ms",
        "attack": "how it is reached",
        "bend": "its bend",
    }
    chance = "the chance that {what} is right"
    return _values(
        Sure,
        {part: _number(minimum=0, maximum=1, description=chance.format(what=what)) for part, what in parts.items()},
    )


def _gap() -> Schema:
    return _values(
        Gap,
        {
            "start": _TIME, "end": _TIME, "midi": _whole(0, 127, description="the pitch that may sound there"),
            "chance": _number(minimum=0, maximum=1),
        },
    )  # fmt: skip


def _phrase() -> Schema:
    version = _values(Version, {"name": _text(), "notes": _list(_ref("note"))})
    return _values(
        Phrase,
        {
            "id": _text(), "name": _text(), "start": _TIME, "end": _TIME,
            "showing": _text("name of the version whose notes stand in 'notes'"), "aside": _list(version),
            "like": _text("id of the phrase it repeats, or empty"),
            "advice": _text("what the person tells whoever learns it, or empty"),
            "listen_for": _text("what to notice in it, or empty"),
            "optional": {"type": "boolean", "description": "whether it may be left out"},
        },
    )  # fmt: skip


def _tuning() -> Schema:
    pitches = _list(
        {"type": "integer"}, minItems=FEWEST_STRINGS, maxItems=MOST_STRINGS,
        description="open strings from 1 (thinnest) on, MIDI",
    )  # fmt: skip
    capo = "fret of the capo, 0 for none; frets of notes are counted from it"
    return _values(
        Tuning,
        {
            "pitches": pitches, "name": _text(), "capo": _whole(0, HIGHEST_CAPO, description=capo),
            "frets": _whole(LOWEST_LAST_FRET, HIGHEST_FRET, description="the neck's last fret"),
        },
    )  # fmt: skip


def _playing() -> Schema:
    gauge = _values(
        Gauge,
        {
            "thousandths": _number(minimum=THINNEST, maximum=THICKEST, description="of an inch"),
            "wound": {"type": "boolean"},
        },
    )  # fmt: skip
    return _values(
        Playing,
        {
            "hand": {"enum": [str(h) for h in Hand]}, "picking": {"enum": [str(p) for p in Picking]},
            "scale_mm": _whole(SHORTEST_SCALE_MM, LONGEST_SCALE_MM, description="from nut to bridge"),
            "gauges": _list(gauge, maxItems=MOST_STRINGS, description="from the thinnest string on; none: not said"),
        },
    )  # fmt: skip


def _isolation() -> Schema:
    return _values(
        Isolation,
        {
            "seat": _one_of(Seat),
            "pan": _number(minimum=-1, maximum=1, description="-1 left to 1 right, for seat pan"),
            "width": _number(minimum=0.05, maximum=1), "low_hz": _number(), "high_hz": _number(),
            "strength": _number(minimum=0, maximum=1),
        },
    )  # fmt: skip


def _state() -> Schema:
    return _values(
        State,
        {
            "name": _text(), "made": _text(_DATE), "tuning": _ref("tuning"), "notes": _list(_ref("note")),
            "phrases": _list(_ref("phrase")), "learner": _text(),
        },
    )  # fmt: skip


def _tempo() -> Schema:
    change = _list({"type": "integer"}, minItems=2, maxItems=2)
    return _values(
        TempoMap,
        {
            "beats": _list(_number(), minItems=2, description="seconds"), "beats_per_bar": _whole(1, LONGEST_BAR),
            "pickup": _whole(0, MOST_BEATS),
            "changes": _list(change, description="[bar, beats in the bar from there on]"),
            "unit": {"enum": [unit.name for unit in UNITS], "description": "what a beat is written as"},
        },
    )  # fmt: skip


def _contour() -> Schema:
    return _values(
        Contour,
        {
            "start": _number(), "hop": _number(exclusiveMinimum=0),
            "decicents": _list(
                {"type": "integer"}, description="tenths of a cent above MIDI 0 at A = 440; -1 where nothing sounds"
            ),
            "percent": _list(_whole(0, 100)),
        },
    )  # fmt: skip


def _chord() -> Schema:
    tone = _text("such as F# or Bb", pattern="^[A-G](#{0,2}|b{0,2})$")
    return _values(Chord, {"root": tone, "kind": {"enum": list(KINDS)}, "bass": _or_none(tone)})


def _chord_at() -> Schema:
    return _values(
        ChordAt,
        {
            "start": _TIME, "chord": {**_or_none(_ref("chord")), "description": "null: no chord sounds"},
            "confidence": _number(minimum=0, maximum=1), "offers": _list(_ref("chord"), description="the next best"),
            "decided": {"type": "boolean", "description": "whether the person said so"},
        },
    )  # fmt: skip


def _key_at() -> Schema:
    tone = _text("such as F# or Bb", pattern="^[A-G](#{0,2}|b{0,2})$")
    return _values(
        KeyAt,
        {
            "start": _TIME, "key": _values(Key, {"tonic": tone, "mode": {"enum": list(MODES)}}),
            "confidence": _number(minimum=0, maximum=1), "decided": {"type": "boolean"},
        },
    )  # fmt: skip


def _lesson() -> Schema:
    return _values(
        Lesson,
        {
            "lines": _list(_text(), maxItems=MOST_LINES, description="a step each"),
            "minutes": _whole(FEWEST_MINUTES, MOST_MINUTES),
            "clean_ms": _whole(*CLEAN_MS_RANGE), "clean_cents": _whole(*CLEAN_CENTS_RANGE),
        },
    )  # fmt: skip


def _take() -> Schema:
    bend = {"type": "array", "minItems": 2, "maxItems": 2, "prefixItems": [_text(), _number()]}
    wrong = {"type": "array", "minItems": 2, "maxItems": 2, "prefixItems": [_text(), _whole(0, 140)]}
    return _values(
        TakeKept,
        {
            "made": _text("YYYY-MM-DDTHH:MM"), "phrase": _text("its id"),
            "pace": _number(exclusiveMinimum=0, maximum=400, description="percent of the recording's"),
            "notes": _whole(1, description="that were to be played"),
            "missing": _list(_text(), description="their ids"),
            "extra": _whole(0, description="notes played besides"),
            "late_ms": _number(minimum=0, description="how far notes were off, on the median"),
            "bends": _list(bend, description="[note id, cents beyond its goal]"), "sound": _text("a file, or empty"),
            "wrong": _list(wrong, description="[note id, MIDI pitch played in its place]"),
            "late": _list(bend, description="[note id, ms it was late, below 0 early]"), "clean": {"type": "boolean"},
        },
    )  # fmt: skip


def project_schema(name: str, version: int) -> Schema:
    """The schema of a document of that format name and version."""
    recording = _values(
        Recording,
        {
            "path": _text("relative to the project file where it can be"), "sha256": _text(pattern="^[0-9a-f]{64}$"),
            "duration": _TIME, "sample_rate": {"type": "integer"}, "channels": {"type": "integer"},
        },
    )  # fmt: skip
    request = _values(
        Request, {f.name: _text(f"{_DATE}, or empty" if f.name == "due" else "") for f in fields(Request)}
    )
    section = _values(
        Section,
        {
            "name": _text(), "start": _TIME, "like": _text("name of the section it repeats, or empty"),
            "less_bars": _whole(0, description="bars it leaves out at the end"),
        },
    )  # fmt: skip
    body = _values(
        Project,
        {
            "recording": recording, "tuning": _ref("tuning"), "playing": _playing(),
            "offset_cents": _number(description="how far the recording sits from A = 440"),
            "lead": {**_ref("isolation"), "description": "how the lead is taken out of the recording"},
            "other_lead": {**_or_none(_ref("isolation")), "description": "a second way, to compare with"},
            "in_tune": {"type": "boolean", "description": "whether playback is brought to A = 440"},
            "request": request, "notes": _list(_ref("note")), "phrases": _list(_ref("phrase")),
            "sections": _list(section), "tempo": _or_none(_tempo()), "contour": _or_none(_contour()),
            "chords": _list(_chord_at(), description="each until the next one"), "keys": _list(_key_at()),
            "feel": {"enum": ["", *FEELS], "description": "of the backing; empty: by the tempo"},
            "lesson": _lesson(), "takes": _list(_take(), description="what came of takes, the oldest first"),
            "states": _list(_state()), "gaps": _list(_gap(), description="where something may have been missed"),
        },
    )  # fmt: skip
    body["properties"] = {"format": {"const": name}, "version": {"const": version}, **body["properties"]}
    body["required"] = ["format", "version", *body["required"]]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema", "title": f"Notcher project, version {version}",
        "description": "Times are seconds in the recording; pitches MIDI numbers; intervals cents.", **body,
        "$defs": {
            "chord": _chord(), "isolation": _isolation(), "note": _note(), "phrase": _phrase(), "tuning": _tuning(),
        },
    }  # fmt: skip


@functools.cache
def schema() -> Schema:
    """The JSON Schema (draft 2020-12) of today's project file."""
    return project_schema(FORMAT, VERSION)


def schema_text() -> str:
    """The schema of today's project file as it ships."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


def main() -> None:
    """Write it where it ships, and to docs/."""
    package = Path(__file__).resolve().parent.parent
    for place in (package / "data/project.schema.json", package.parent.parent / "docs/project.schema.json"):
        place.write_text(schema_text(), encoding="utf-8")


if __name__ == "__main__":
    main()
