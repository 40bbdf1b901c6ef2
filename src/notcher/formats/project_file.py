"""The project file: one JSON document, checked against the JSON Schema that ships with it."""

import hashlib
import json
import os
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from notcher.audio.decode import file_hash
from notcher.formats.atomic import write_json
from notcher.formats.codec import from_plain, to_plain
from notcher.formats.errors import FileFormatError
from notcher.formats.limits import MOST_DIGITS, PROJECT, check_values, read_limited
from notcher.formats.schema import FORMAT, VERSION, schema
from notcher.formats.upgrades import upgraded
from notcher.score.errors import ScoreError
from notcher.score.project import Project
from notcher.stopping import apart
from notcher.wording import tr

SUFFIX = ".notcher"
# A recording's name may hold bytes that are no text.
FREE = frozenset({"path"})
"""Names under which a document may hold half letters."""


def to_dict(project: Project) -> dict[str, Any]:
    """The project as plain JSON values."""
    return {"format": FORMAT, "version": VERSION, **to_plain(project)}


def from_dict(d: Mapping[str, Any]) -> Project:
    """A project from plain JSON values that fit the schema. Raises KeyError, ValueError, TypeError or ScoreError where
    a value cannot be."""
    project = from_plain(d, Project)
    return replace(
        project, chords=tuple(sorted(project.chords, key=lambda c: c.start)),
        keys=tuple(sorted(project.keys, key=lambda k: k.start)),
    ).with_notes(project.notes)  # fmt: skip


def dumps(project: Project) -> str:
    """The project file's text."""
    return json.dumps(to_dict(project), ensure_ascii=False, separators=(",", ":")) + "\n"


def save(project: Project, path: Path, *, over: bool = True) -> str:
    """Write a project atomically, with the recording's path relative to the file where that can be; returns the
    fingerprint of what was written. over: whether a file that is there may be replaced.

    Raises FileFormatError where it cannot be written.
    """
    kept = replace(project, recording=replace(project.recording, path=_relative(project.recording.path, path.parent)))
    text = dumps(kept)
    write_json(path, text, over=over)
    return _fingerprint(text.encode("utf-8", errors="backslashreplace"))


def _fingerprint(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def fingerprint(path: Path) -> str:
    """What tells whether a file was changed by something else; '' where there is none to read."""
    try:
        return file_hash(path)
    except OSError:
        return ""


def _relative(recording: str, folder: Path) -> str:
    place = Path(recording)
    if not recording or not place.is_absolute():
        return recording
    try:
        return os.path.relpath(place, folder.resolve())
    except ValueError:
        return recording


def load(path: Path) -> Project:
    """As read, without the fingerprint."""
    return read(path)[0]


def read(path: Path) -> tuple[Project, str]:
    """Read a project; also the fingerprint of what was read. The file itself is never touched.

    Raises FileFormatError, in one line, for what is missing, not JSON, of a newer version, or against the schema.
    """
    data = read_limited(path, PROJECT)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        raise FileFormatError(
            "'{name}' is not a Notcher project (no text); it was left as it is", name=path.name
        ) from error
    return apart(lambda: loads(text, name=path.name)), _fingerprint(data)


def loads(text: str, *, name: str) -> Project:
    """As load, from text already read. Raises what load raises."""
    import jsonschema

    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FileFormatError(
            "'{name}' is not a Notcher project (its JSON is broken); it was left as it is, so restore it from a copy",
            name=name,
        ) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise FileFormatError("'{name}' is not a Notcher project; open a .notcher file or a recording", name=name)
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise FileFormatError(
            "'{name}' was written by a newer Notcher (project version {version}, this one reads up to {version2}); "
            "update Notcher to open it; the file was left as it is",
            name=name,
            version=version,
            version2=VERSION,
        )
    try:
        data = upgraded(data, VERSION)
        check_values(_without_contour(data), free=FREE)
        jsonschema.Draft202012Validator(schema()).validate(_without_long_lists(data))
        return from_dict(data)
    except jsonschema.ValidationError as error:
        place = "/".join(str(p) for p in error.absolute_path) or tr("the document")
        raise FileFormatError(
            "'{name}' is damaged at {place}: {message}; it was left as it is",
            name=name,
            place=place,
            message=error.message[:140],
        ) from error
    except (ScoreError, KeyError, TypeError, ValueError, AttributeError, OverflowError, RecursionError) as error:
        raise FileFormatError(
            "'{name}' holds a value that cannot be: {error}; it was left as it is", name=name, error=error
        ) from error


def _without_contour(data: dict[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in data.items() if k != "contour"}


def _without_long_lists(data: dict[str, Any]) -> dict[str, Any]:
    """The document with its contour cut short and the notes of named states left out: the validator takes 50
    microseconds a number, and from_dict checks them.

    Raises ValueError where the contour holds anything but whole numbers.
    """
    contour = data.get("contour")
    if isinstance(data.get("states"), list):
        data = {**data, "states": [{**s, "notes": []} if isinstance(s, dict) else s for s in data["states"]]}
    if not isinstance(contour, dict):
        return data
    short = dict(contour)
    for key in ("decicents", "percent"):
        values = contour.get(key)
        if isinstance(values, list):
            if not all(type(v) is int and abs(v) < 10**MOST_DIGITS for v in values):
                raise ValueError(tr("contour/{key} holds something that is no whole number", key=key))
            short[key] = values[:8]
    return {**data, "contour": short}
