"""Documents of older versions as ones of this version: a step for each version, applied one after another.

A step takes a document's plain values as version n wrote them and adds what version n + 1 has besides. What is there
already stays.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict
from typing import Any

from notcher.formats.codec import to_plain
from notcher.score.isolation import Isolation
from notcher.score.playing import USUAL
from notcher.score.practice import NO_LESSON
from notcher.score.project import AS_PLAYED
from notcher.score.tuning import HIGHEST_FRET
from notcher.score.unit import QUARTER

Document = dict[str, Any]


def upgraded(document: Document, version: int) -> Document:
    """A document of an older version as one of `version`; others come back as they are. Raises KeyError or TypeError
    where it does not hold what its own version has."""
    written_by = document.get("version")
    if not isinstance(written_by, int) or written_by not in range(1, version):
        return document
    for step in _STEPS[written_by - 1 :]:
        document = step(document)
    return {**document, "version": version}


def _each(values: Iterable[Mapping[str, Any]], added: Mapping[str, Any]) -> list[Document]:
    return [{**added, **v} for v in values]


def _with_notes(d: Document, added: Mapping[str, Any]) -> Document:
    """What is added to every note: of the document, of versions put aside, and of named states."""

    def phrases(of: Iterable[Mapping[str, Any]]) -> list[Document]:
        return [
            {**p, "aside": [{**v, "notes": _each(v["notes"], added)} for v in p.get("aside", ())]} if "aside" in p
            else dict(p) for p in of
        ]  # fmt: skip

    out = {**d, "notes": _each(d["notes"], added), "phrases": phrases(d["phrases"])}
    if "states" in d:
        out["states"] = [
            {**s, "notes": _each(s["notes"], added), "phrases": phrases(s["phrases"])} for s in d["states"]
        ]
    return out


def _with_phrases(d: Document, added: Mapping[str, Any]) -> Document:
    out = {**d, "phrases": _each(d["phrases"], added)}
    if "states" in d:
        out["states"] = [{**s, "phrases": _each(s["phrases"], added)} for s in d["states"]]
    return out


def _to_2(d: Document) -> Document:
    """How the lead is taken out in numbers; capo, playback in tune, changes of metre, sections that repeat others, the
    request's version and due date."""
    return {
        **d, "request": {"version": "", "due": "", **d["request"]}, "tuning": {"capo": 0, **d["tuning"]},
        "in_tune": False, "lead": to_plain(Isolation.named(d["lead"])), "other_lead": None,
        "tempo": {"changes": [], **d["tempo"]} if d["tempo"] else None,
        "sections": _each(d["sections"], {"like": "", "less_bars": 0}),
    }  # fmt: skip


def _to_3(d: Document) -> Document:
    """More marks."""
    return d


def _to_4(d: Document) -> Document:
    """Fingers, partials, places and values written by hand, versions and repeats of phrases, named states."""
    d = {"states": [], **_with_phrases(d, {"showing": AS_PLAYED, "like": "", "aside": []})}
    return _with_notes(d, {"finger": None, "partial": None, "written_at": None, "written_length": None})


def _to_5(d: Document) -> Document:
    """The neck's last fret, up to eight strings, the share of a value that sounds, the strings a rake crosses."""
    d = {**d, "tuning": {"frets": HIGHEST_FRET, **d["tuning"]},
         "states": [{**s, "tuning": {"frets": HIGHEST_FRET, **s["tuning"]}} for s in d["states"]]}  # fmt: skip
    return _with_notes(d, {"sounding": None, "raked_from": None})


def _to_6(d: Document) -> Document:
    """How it is played: the schools of both hands, the guitar's string length and gauges."""
    return {"playing": to_plain(USUAL), **d}


def _to_7(d: Document) -> Document:
    """How sure each part of a note is, and where something may have been missed."""
    return {"gaps": [], **_with_notes(d, {"sure": None})}


def _to_8(d: Document) -> Document:
    """Chords and keys."""
    return {"chords": [], "keys": [], **d}


def _to_9(d: Document) -> Document:
    """The feel of the backing."""
    return {"feel": "", **d}


def _to_10(d: Document) -> Document:
    """The lesson and its takes, advice, and what to listen for."""
    d = {"lesson": {"lines": [], "minutes": NO_LESSON.minutes}, "takes": [], **d}
    return _with_notes(_with_phrases(d, {"advice": "", "listen_for": "", "optional": False}), {"advice": ""})


def _to_11(d: Document) -> Document:
    """Whom a state was handed out to."""
    return {**d, "states": _each(d["states"], {"learner": ""})}


def _to_12(d: Document) -> Document:
    """What a beat is written as."""
    return {**d, "tempo": {"unit": QUARTER.name, **d["tempo"]} if d["tempo"] else None}


def _to_13(d: Document) -> Document:
    """What a clean take is, and wrong and late notes of a take."""
    takes = [{"wrong": [], "late": [], "clean": _was_clean(t), **t} for t in d["takes"]]
    return {**d, "lesson": {**asdict(NO_LESSON), **d["lesson"]}, "takes": takes}


def _was_clean(take: Mapping[str, Any]) -> bool:
    """Whether a take counted as clean when version 12 judged it: by the median of its notes."""
    within = take["late_ms"] <= 35.0 and all(abs(cents) <= 20.0 for _, cents in take["bends"])
    return within and not take["missing"] and take["extra"] == 0


def _to_14(d: Document) -> Document:
    """Techniques that may be there and are not written."""
    return _with_notes(d, {"maybe": []})


def _to_15(d: Document) -> Document:
    """What is listened for."""
    return {"plays": "line", **d}


_STEPS: tuple[Callable[[Document], Document], ...] = (
    _to_2, _to_3, _to_4, _to_5, _to_6, _to_7, _to_8, _to_9, _to_10, _to_11, _to_12, _to_13, _to_14,
    _to_15,
)  # fmt: skip
