"""The JSON Schema (draft 2020-12) of the project file, made from how the values of score/ are declared.

`python -m notcher.formats.schema` writes it to the package's data and to docs/.
"""

import functools
import json
from dataclasses import is_dataclass
from enum import StrEnum
from fractions import Fraction
from pathlib import Path
from types import NoneType, UnionType
from typing import Any, Union, get_args, get_origin

from notcher.formats.codec import declarations, evidence_names, split
from notcher.score.chord import Chord
from notcher.score.declared import Declared
from notcher.score.isolation import Isolation
from notcher.score.measured import Measured
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.score.spelling import Tone
from notcher.score.tuning import Tuning
from notcher.score.unit import UNITS, Unit

FORMAT = "notcher-project"
VERSION = 15
Schema = dict[str, Any]
_SHARED: dict[type, str] = {
    Chord: "chord", Isolation: "isolation", Note: "note", Phrase: "phrase", Tuning: "tuning",
}  # fmt: skip
"""Values that stand in several places, by the name of their definition."""
_PLAIN: dict[Any, Schema] = {
    float: {"type": "number"}, int: {"type": "integer"}, bool: {"type": "boolean"}, str: {"type": "string"},
    NoneType: {"type": "null"},
    Tone: {"type": "string", "description": "such as F# or Bb", "pattern": "^[A-G](#{0,2}|b{0,2})$"},
    Unit: {"enum": [unit.name for unit in UNITS]},
    Fraction: {
        "type": "string", "description": "a fraction of a beat, such as 3/4", "pattern": "^[0-9]+/[1-9][0-9]*$"
    },
}  # fmt: skip


def _of(hint: Any) -> Schema:
    """What a type allows, with what its annotation declares."""
    kind, said = split(hint)
    return _with(_bare(kind), said)


def _with(schema: Schema, said: Declared) -> Schema:
    limits = {name: list(v) if isinstance(v, tuple) else v for name, v in said.limits}
    if "enum" in limits:
        schema = {name: v for name, v in schema.items() if name != "type"}
    return {**schema, **limits, **({"description": said.description} if said.description else {})}


def _bare(kind: Any) -> Schema:
    origin, parts = get_origin(kind), get_args(kind)
    if kind in _PLAIN:
        return dict(_PLAIN[kind])
    if kind in _SHARED:
        return {"$ref": f"#/$defs/{_SHARED[kind]}"}
    if origin in (Union, UnionType):
        return _evidence() if Measured in parts else {"anyOf": [_of(part) for part in parts]}
    if origin is frozenset or (origin is tuple and ... in parts):
        return {"type": "array", "items": _of(parts[0])}
    if origin is tuple:
        return {
            "type": "array", "minItems": len(parts), "maxItems": len(parts), "prefixItems": [_of(p) for p in parts]
        }  # fmt: skip
    if isinstance(kind, type) and issubclass(kind, StrEnum):
        return {"enum": [str(v) for v in kind]}
    if isinstance(kind, type) and is_dataclass(kind):
        return _value(kind)
    raise TypeError(f"nothing says how {kind} stands in a file; give it a row in _PLAIN and a hook in the codec")


def _value(kind: type) -> Schema:
    """An object with a property for each field."""
    found = {said.name or name: (hint, said) for name, (hint, said) in declarations(kind).items()}
    return {
        "type": "object", "properties": {name: _with(_bare(hint), said) for name, (hint, said) in found.items()},
        "required": [name for name, (_, said) in found.items() if not said.may_lack], "additionalProperties": False,
    }  # fmt: skip


def _evidence() -> Schema:
    weighed = {
        "type": "array", "minItems": 3, "maxItems": 3,
        "prefixItems": [_PLAIN[str], _PLAIN[float], {**_PLAIN[float], "minimum": -1, "maximum": 1}],
    }  # fmt: skip
    return {
        "type": "object", "additionalProperties": _PLAIN[float],
        "properties": {
            name: _with({"type": "array", "items": weighed} if get_origin(hint) is tuple else _PLAIN[float], said)
            for name, (hint, said) in evidence_names().items()
        },
        "description": "how it was found; empty for a note added by hand",
    }  # fmt: skip


def project_schema(name: str, version: int) -> Schema:
    """The schema of a document of that format name and version."""
    body = _value(Project)
    body["properties"] = {"format": {"const": name}, "version": {"const": version}, **body["properties"]}
    body["required"] = ["format", "version", *body["required"]]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema", "title": f"Notcher project, version {version}",
        "description": "Times are seconds in the recording; pitches MIDI numbers; intervals cents.", **body,
        "$defs": {name: _value(kind) for kind, name in _SHARED.items()},
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
