"""The project file: one JSON document, checked against the JSON Schema that ships with it."""

import hashlib
import json
import os
from collections.abc import Mapping
from dataclasses import asdict, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

from notcher.audio.decode import file_hash
from notcher.formats.atomic import write_json
from notcher.formats.errors import FileFormatError
from notcher.formats.limits import MOST_DIGITS, PROJECT, check_values, read_limited, whole
from notcher.formats.schema import EVIDENCE, FORMAT, VERSION, schema
from notcher.score.chord import Chord, ChordAt
from notcher.score.errors import ScoreError
from notcher.score.gap import Gap
from notcher.score.isolation import Isolation, Seat
from notcher.score.key import Key, KeyAt
from notcher.score.measured import Measured, SecondString, Weighed
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.playing import USUAL, Gauge, Hand, Picking, Playing
from notcher.score.practice import NO_LESSON, Lesson, TakeKept
from notcher.score.project import AS_PLAYED, Contour, Phrase, Project, Recording, Request, Section, State, Version
from notcher.score.spelling import Tone
from notcher.score.sure import Sure
from notcher.score.tempo import TempoMap
from notcher.score.tuning import HIGHEST_FRET, Tuning
from notcher.score.unit import QUARTER, unit_named
from notcher.stopping import apart
from notcher.wording import tr

SUFFIX = ".notcher"
# A recording's name may hold bytes that are no text.
FREE = frozenset({"path"})
"""Names under which a document may hold half letters."""


def to_dict(project: Project) -> dict[str, Any]:
    """The project as plain JSON values."""
    r, q = project.recording, project.request
    return {
        "format": FORMAT,
        "version": VERSION,
        "recording": {
            "path": r.path, "sha256": r.sha256, "duration": r.duration, "sample_rate": r.sample_rate,
            "channels": r.channels,
        },
        "playing": playing_to_dict(project.playing),
        "request": {
            "title": q.title, "performer": q.performer, "version": q.version, "asked_by": q.asked_by,
            "school": q.school, "due": q.due, "rights": q.rights,
        },
        "tuning": _tuning_to_dict(project.tuning),
        "offset_cents": project.offset_cents,
        "in_tune": project.in_tune,
        "lead": isolation_to_dict(project.lead),
        "other_lead": isolation_to_dict(project.other_lead) if project.other_lead else None,
        "tempo": {
            "beats": list(project.tempo.beats), "beats_per_bar": project.tempo.beats_per_bar,
            "pickup": project.tempo.pickup, "changes": [list(c) for c in project.tempo.changes],
            "unit": project.tempo.unit.name,
        } if project.tempo else None,
        "sections": [
            {"name": s.name, "start": s.start, "like": s.like, "less_bars": s.less_bars} for s in project.sections
        ],
        "phrases": [_phrase_to_dict(p) for p in project.phrases],
        "notes": [note_to_dict(n) for n in project.notes],
        "gaps": [asdict(g) for g in project.gaps],
        "chords": [_chord_at_to_dict(c) for c in project.chords],
        "keys": [
            {"start": k.start, "key": {"tonic": k.key.tonic.plain(), "mode": k.key.mode}, "confidence": k.confidence,
             "decided": k.decided} for k in project.keys
        ],
        "feel": project.feel,
        "lesson": {**asdict(project.lesson), "lines": list(project.lesson.lines)},
        "takes": [_take_to_dict(t) for t in project.takes],
        "states": [state_to_dict(s) for s in project.states],
        "contour": {
            "start": project.contour.start, "hop": project.contour.hop, "decicents": list(project.contour.decicents),
            "percent": list(project.contour.percent),
        } if project.contour else None,
    }  # fmt: skip


def _take_to_dict(t: TakeKept) -> dict[str, Any]:
    pairs = {name: [list(pair) for pair in getattr(t, name)] for name in ("bends", "wrong", "late")}
    return {**asdict(t), "missing": list(t.missing), **pairs}


def _take_from_dict(d: Mapping[str, Any]) -> TakeKept:
    bends = tuple((note, float(cents)) for note, cents in d["bends"])
    return TakeKept(
        d["made"], d["phrase"], float(d["pace"]), _whole(d["notes"]), tuple(d["missing"]), _whole(d["extra"]),
        float(d["late_ms"]), bends, d["sound"], tuple((note, _whole(pitch)) for note, pitch in d["wrong"]),
        tuple((note, float(ms)) for note, ms in d["late"]), d["clean"],
    )  # fmt: skip


def _chord_to_dict(c: Chord) -> dict[str, Any]:
    return {"root": c.root.plain(), "kind": c.kind, "bass": c.bass.plain() if c.bass else None}


def _chord_from_dict(d: Mapping[str, Any]) -> Chord:
    return Chord(Tone.named(d["root"]), d["kind"], Tone.named(d["bass"]) if d["bass"] else None)


def _chord_at_to_dict(c: ChordAt) -> dict[str, Any]:
    return {
        "start": c.start, "chord": _chord_to_dict(c.chord) if c.chord else None, "confidence": c.confidence,
        "offers": [_chord_to_dict(o) for o in c.offers], "decided": c.decided,
    }  # fmt: skip


def _chord_at_from_dict(d: Mapping[str, Any]) -> ChordAt:
    offers = tuple(_chord_from_dict(o) for o in d["offers"])
    chord = _chord_from_dict(d["chord"]) if d["chord"] else None
    return ChordAt(d["start"], chord, d["confidence"], offers, d["decided"])


def _key_at_from_dict(d: Mapping[str, Any]) -> KeyAt:
    key = Key(Tone.named(d["key"]["tonic"]), d["key"]["mode"])
    return KeyAt(d["start"], key, d["confidence"], d["decided"])


def _tuning_to_dict(t: Tuning) -> dict[str, Any]:
    return {"name": t.name, "pitches": list(t.pitches), "capo": t.capo, "frets": t.frets}


def _tuning_from_dict(d: Mapping[str, Any]) -> Tuning:
    return Tuning(tuple(_whole(p) for p in d["pitches"]), d["name"], _whole(d["capo"]), _whole(d["frets"]))


def playing_to_dict(p: Playing) -> dict[str, Any]:
    """How it is played, as plain JSON values."""
    return {
        "hand": str(p.hand), "picking": str(p.picking), "scale_mm": p.scale_mm,
        "gauges": [{"thousandths": g.thousandths, "wound": g.wound} for g in p.gauges],
    }  # fmt: skip


def playing_from_dict(d: Mapping[str, Any]) -> Playing:
    """How it is played, from plain JSON values. Raises KeyError, ValueError or TypeError where they do not fit."""
    return Playing(
        Hand(d["hand"]), Picking(d["picking"]), _whole(d["scale_mm"]),
        tuple(Gauge(float(g["thousandths"]), bool(g["wound"])) for g in d["gauges"]),
    )  # fmt: skip


def _phrase_to_dict(p: Phrase) -> dict[str, Any]:
    return {
        "id": p.id, "name": p.name, "start": p.start, "end": p.end, "showing": p.showing, "like": p.like,
        "aside": [{"name": v.name, "notes": [note_to_dict(n) for n in v.notes]} for v in p.aside],
        "advice": p.advice, "listen_for": p.listen_for, "optional": p.optional,
    }  # fmt: skip


def _phrase_from_dict(d: Mapping[str, Any]) -> Phrase:
    aside = tuple(Version(v["name"], tuple(note_from_dict(n) for n in v["notes"])) for v in d["aside"])
    return Phrase(d["id"], d["name"], d["start"], d["end"], d["showing"], aside, d["like"], d["advice"],
                  d["listen_for"], d["optional"])  # fmt: skip


def state_to_dict(s: State) -> dict[str, Any]:
    """A named state as plain JSON values."""
    return {
        "name": s.name, "made": s.made, "tuning": _tuning_to_dict(s.tuning),
        "notes": [note_to_dict(n) for n in s.notes], "phrases": [_phrase_to_dict(p) for p in s.phrases],
        "learner": s.learner,
    }  # fmt: skip


def state_from_dict(d: Mapping[str, Any]) -> State:
    """A named state from plain JSON values. Raises KeyError, ValueError or TypeError where they do not fit."""
    return State(
        d["name"], d["made"], _tuning_from_dict(d["tuning"]), tuple(note_from_dict(n) for n in d["notes"]),
        tuple(_phrase_from_dict(p) for p in d["phrases"]), d["learner"],
    )  # fmt: skip


def isolation_to_dict(i: Isolation) -> dict[str, Any]:
    """How the lead is taken out, as plain JSON values."""
    return {
        "seat": str(i.seat), "pan": i.pan, "width": i.width, "low_hz": i.low_hz, "high_hz": i.high_hz,
        "strength": i.strength,
    }  # fmt: skip


def isolation_from_dict(d: Mapping[str, Any]) -> Isolation:
    """How the lead is taken out, from plain JSON values. Raises ScoreError where a value cannot be."""
    return Isolation(Seat(d["seat"]), d["pan"], d["width"], d["low_hz"], d["high_hz"], d["strength"])


def note_to_dict(n: Note) -> dict[str, Any]:
    """One note as plain JSON values."""
    return {
        "id": n.id, "onset": n.onset, "end": n.end, "string": n.string, "fret": n.fret, "attack": str(n.attack),
        "bend": {
            "kind": str(n.bend.kind), "target_cents": n.bend.target_cents, "points": [list(p) for p in n.bend.points],
            "rise": n.bend.rise,
        } if n.bend else None,
        "vibrato": {
            "rate_hz": n.vibrato.rate_hz, "extent_cents": n.vibrato.extent_cents, "start": n.vibrato.start,
        } if n.vibrato else None,
        "marks": sorted(n.marks), "doubt": n.doubt, "confidence": n.confidence, "confirmed": n.confirmed,
        "by_hand": n.by_hand, "held": n.held, "finger": n.finger, "partial": n.partial,
        "written_at": _beats_text(n.written_at), "written_length": _beats_text(n.written_length),
        "sounding": n.sounding, "raked_from": n.raked_from, "evidence": _evidence_to_dict(n.evidence),
        "sure": asdict(n.sure) if n.sure else None, "advice": n.advice,
    }  # fmt: skip


def _evidence_to_dict(m: Measured | None) -> dict[str, Any]:
    """By name; what is not there is not said."""
    if m is None:
        return {}
    found: dict[str, Any] = {
        "flux": m.flux, "dip_db": m.dip_db, "jump_cents": m.jump_cents, "glide_s": m.glide_s,
        "base_error_cents": m.base_error_cents,
    }  # fmt: skip
    if m.unison:
        found["unison"] = 1.0
    if m.stroke:
        found["stroke"] = 1.0
    if m.other is not None:
        found |= {"second_string": 1.0, "strength": m.other.strength, "partials_there": m.other.partials_there}
    if m.legato is not None:
        found["legato"] = m.legato
    for name, weighed in (("because", m.because), ("reached", m.reached), ("marked", m.marked)):
        if weighed:
            found[name] = [[w.what, w.value, w.share] for w in weighed]
    return found


def _evidence(d: Mapping[str, Any]) -> Measured | None:
    """Raises what a value that is no number raises."""
    if not d.keys():
        return None
    found = {name: float(d.get(name, 0.0)) for name in EVIDENCE}
    other = SecondString(found["strength"], found["partials_there"]) if found["second_string"] else None
    return Measured(
        found["flux"], found["dip_db"], found["jump_cents"], found["glide_s"], found["base_error_cents"],
        bool(found["unison"]), other, float(d["legato"]) if "legato" in d else None, _weighed(d, "because"),
        _weighed(d, "reached"), bool(found["stroke"]), _weighed(d, "marked"),
    )  # fmt: skip


def _weighed(d: Mapping[str, Any], name: str) -> tuple[Weighed, ...]:
    return tuple(Weighed(str(what), float(value), float(share)) for what, value, share in d.get(name, ()))


def _whole(value: Any) -> int:
    """JSON knows no whole numbers of its own: 3.0 is one too. Raises ValueError for what is none."""
    if isinstance(value, bool) or not isinstance(value, (int, float)) or value != int(value):
        raise ValueError(tr("{value!r} is no whole number", value=value))
    return int(value)


def _whole_or_none(value: Any) -> int | None:
    return None if value is None else _whole(value)


def _beats_text(beats: Fraction | None) -> str | None:
    """A part of a beat as "3/4", which says thirds as they are."""
    return None if beats is None else f"{beats.numerator}/{beats.denominator}"


def _beats(text: str | None) -> Fraction | None:
    """Raises ValueError where it is no fraction."""
    if text is None:
        return None
    over, _, under = text.partition("/")
    if whole(under or "1") == 0:
        raise ValueError(tr("'{text}' is no part of a beat", text=text))
    return Fraction(whole(over), whole(under or "1"))


def note_from_dict(d: Mapping[str, Any]) -> Note:
    """A note from plain JSON values. Raises KeyError, ValueError or TypeError where they do not fit."""
    bend, vibrato = d["bend"], d["vibrato"]
    return Note(
        d["id"], float(d["onset"]), float(d["end"]), _whole(d["string"]), _whole(d["fret"]),
        attack=Attack(d["attack"]),
        bend=Bend(
            BendKind(bend["kind"]), _whole(bend["target_cents"]),
            tuple((float(t), float(c)) for t, c in bend["points"]), bend.get("rise"),
        ) if bend else None,
        vibrato=Vibrato(vibrato["rate_hz"], vibrato["extent_cents"], vibrato["start"]) if vibrato else None,
        marks=frozenset(Mark(m) for m in d["marks"]), doubt=d["doubt"], confidence=d["confidence"],
        confirmed=d["confirmed"], by_hand=d["by_hand"], held=d["held"],
        finger=_whole_or_none(d["finger"]), partial=_whole_or_none(d["partial"]), written_at=_beats(d["written_at"]),
        written_length=_beats(d["written_length"]), sounding=d["sounding"], raked_from=_whole_or_none(d["raked_from"]),
        evidence=_evidence(d["evidence"]), sure=Sure(**d["sure"]) if d["sure"] else None,
        advice=d["advice"],
    )  # fmt: skip


def from_dict(d: Mapping[str, Any]) -> Project:
    """A project from plain JSON values that fit the schema. Raises ScoreError where a value cannot be."""
    tempo, contour, r = d["tempo"], d["contour"], d["recording"]
    project = Project(
        recording=Recording(
            r["path"], r["sha256"], r["duration"], _whole(r["sample_rate"]), _whole(r["channels"])
        ),
        request=Request(**d["request"]),
        tuning=_tuning_from_dict(d["tuning"]),
        playing=playing_from_dict(d["playing"]),
        offset_cents=d["offset_cents"],
        in_tune=d["in_tune"],
        lead=isolation_from_dict(d["lead"]),
        other_lead=isolation_from_dict(d["other_lead"]) if d["other_lead"] else None,
        tempo=TempoMap(
            tuple(tempo["beats"]), _whole(tempo["beats_per_bar"]), _whole(tempo["pickup"]),
            tuple((_whole(b), _whole(n)) for b, n in tempo["changes"]), unit_named(tempo["unit"]),
        ) if tempo else None,
        sections=tuple(Section(s["name"], s["start"], s["like"], _whole(s["less_bars"])) for s in d["sections"]),
        phrases=tuple(_phrase_from_dict(p) for p in d["phrases"]),
        contour=Contour(
            contour["start"], contour["hop"], tuple(contour["decicents"]), tuple(contour["percent"])
        ) if contour else None,
        states=tuple(state_from_dict(s) for s in d["states"]),
        chords=tuple(sorted((_chord_at_from_dict(c) for c in d["chords"]), key=lambda c: c.start)),
        keys=tuple(sorted((_key_at_from_dict(k) for k in d["keys"]), key=lambda k: k.start)),
        feel=d["feel"],
        lesson=Lesson(
            tuple(d["lesson"]["lines"]), *(_whole(d["lesson"][name]) for name in ("minutes", "clean_ms", "clean_cents"))
        ),
        takes=tuple(_take_from_dict(t) for t in d["takes"]),
        gaps=tuple(Gap(g["start"], g["end"], _whole(g["midi"]), g["chance"]) for g in d["gaps"]),
    )  # fmt: skip
    return project.with_notes([note_from_dict(n) for n in d["notes"]])


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
    """As load, from text already read."""
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
        data = upgraded(data)
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


def _was_clean(take: Mapping[str, Any]) -> bool:
    """Whether a take counted as clean when version 12 judged it: by the median of its notes."""
    within = take["late_ms"] <= 35.0 and all(abs(cents) <= 20.0 for _, cents in take["bends"])
    return within and not take["missing"] and take["extra"] == 0


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """A document of an older version as one of this version; others come back as they are.

    Version 2 says how the lead is taken out in numbers, and adds capo, playback in tune, changes of metre, sections
    that repeat others, and the request's version and due date. Version 3 has more marks. Version 4 adds fingers,
    partials, places and values written by hand, versions and repeats of phrases, and named states. Version 5 adds the
    neck's last fret, up to eight strings, the share of a value that sounds, and the strings a rake crosses. Version 6
    adds how it is played: the schools of both hands, the guitar's string length and gauges. Version 7 adds how sure
    each part of a note is, and where something may have been missed. Version 8 adds chords and keys. Version 9
    adds the feel of the backing. Version 10 adds the lesson and its takes, advice, and what to listen for. Version
    11 adds whom a state was handed out to. Version 12 adds what a beat is written as. Version 13 adds what a clean take
    is, and wrong and late notes of a take.
    """
    version = data.get("version")
    if not isinstance(version, int) or version not in range(1, VERSION):
        return data
    out = dict(data)
    if version == 1:
        out["request"] = {"version": "", "due": "", **data["request"]}
        out["tuning"] = {"capo": 0, **data["tuning"]}
        out["in_tune"] = False
        out["lead"] = isolation_to_dict(Isolation.named(data["lead"]))
        out["other_lead"] = None
        if data["tempo"]:
            out["tempo"] = {"changes": [], **data["tempo"]}
        out["sections"] = [{"like": "", "less_bars": 0, **s} for s in data["sections"]]
    if version < 4:
        out["phrases"] = [{"showing": AS_PLAYED, "like": "", "aside": [], **p} for p in data["phrases"]]
        out["states"] = []
    out["version"] = VERSION
    if out["tempo"]:
        out["tempo"] = {"unit": QUARTER.name, **out["tempo"]}
    out.setdefault("playing", playing_to_dict(USUAL))
    for added in ("gaps", "chords", "keys"):
        out.setdefault(added, [])
    out.setdefault("feel", "")
    out["lesson"] = {**asdict(NO_LESSON), "lines": [], **out.get("lesson", {})}
    out["takes"] = [{"wrong": [], "late": [], "clean": _was_clean(t), **t} for t in out.get("takes", [])]
    out["tuning"] = _tuning_upgraded(out["tuning"])
    out["notes"] = [_note_upgraded(n) for n in out["notes"]]
    out["phrases"] = [_phrase_upgraded(p) for p in out["phrases"]]
    out["states"] = [
        {
            "learner": "", **s, "tuning": _tuning_upgraded(s["tuning"]),
            "notes": [_note_upgraded(n) for n in s["notes"]],
            "phrases": [_phrase_upgraded(p) for p in s["phrases"]],
        }
        for s in out["states"]
    ]  # fmt: skip
    return out


_ADDED_TO_NOTES = {
    "finger": None, "partial": None, "written_at": None, "written_length": None, "sounding": None, "raked_from": None,
    "sure": None, "advice": "",
}  # fmt: skip


def _note_upgraded(note: dict[str, Any]) -> dict[str, Any]:
    return {**_ADDED_TO_NOTES, **note}


def _tuning_upgraded(tuning: dict[str, Any]) -> dict[str, Any]:
    return {"frets": HIGHEST_FRET, **tuning}


def _phrase_upgraded(phrase: dict[str, Any]) -> dict[str, Any]:
    aside = [{**v, "notes": [_note_upgraded(n) for n in v["notes"]]} for v in phrase["aside"]]
    return {"advice": "", "listen_for": "", "optional": False, **phrase, "aside": aside}


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
