"""A phrase over another chord, in another key, or moved by half steps or steps of its scale, and placed anew.

Chord tones become the same tones of the other chord, third for third; what lies between them moves by steps of the
scale, and what is outside the scale keeps its half step above the tone below it (common practice, no source).
"""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from notcher.harmony.roles import sounding
from notcher.harmony.scales import BY_NAME, Scale, fitting
from notcher.harmony.symbols import parse_chord, parse_key
from notcher.place.search import places_of
from notcher.place.wanted import Wanted
from notcher.score.chord import FIFTHS, KINDS, Chord
from notcher.score.chords import chord_end, chord_of, key_at
from notcher.score.errors import ScoreError
from notcher.score.key import Key
from notcher.score.legato import legato_mended
from notcher.score.limits import typed_whole
from notcher.score.note import Bend, Mark, Note
from notcher.score.project import Project
from notcher.score.spelling import Tone

_FARTHEST = 24
_WIDEST_BEND = 400
_KEY = re.compile(r"(?:in\s+|to\s+)?key(?:\s+of)?\s+([A-Ha-h](?:[#♯]|[b♭])?)\s*(\w*)", re.IGNORECASE)
_HALF = re.compile(r"([+-]\s*\d+)|(\d+)\s*(?:half\s*steps?|semitones?|frets?)?\s*(up|down)", re.IGNORECASE)
_STEP = re.compile(r"(?:(\d+)\s*|an?\s+)?steps?\s+(up|down)", re.IGNORECASE)
_NEXT = re.compile(r"(?:over\s+)?(?:the\s+)?next(?:\s+chord)?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Moved:
    """name: of the version; notes: where they lie now."""

    name: str
    notes: tuple[Note, ...]


def moved(project: Project, notes: Sequence[Note], text: str, *, german: bool = False) -> Moved:
    """The notes of a phrase (in time order, as it was played) as some words say: '+2', '3 frets down', 'a step up',
    'key Bm', 'D', 'next'.

    Raises ScoreError for what cannot be read, and where the phrase would leave the neck or no chord or key is known
    that it asks for.
    """
    said = text.strip()
    if not notes:
        raise ScoreError("there is no note in this phrase to move")
    if not said:
        raise ScoreError("say where to: +2, 3 frets down, a step up, key Bm, a chord such as D, or next")
    if said[0].upper() not in "ABCDEFGHIKNT+-0123456789":
        raise ScoreError(
            "'{text}' says no place to go to; write +2, 3 frets down, a step up, key Bm, a chord such as D, or next",
            text=said,
        )
    if found := _HALF.fullmatch(said):
        by = typed_whole(found[1]) if found[1] else typed_whole(found[2]) * (1 if found[3].lower() == "up" else -1)
        if not 0 < abs(by) <= _FARTHEST:
            raise ScoreError("a phrase is moved by 1 to {most} half steps, got {by}", most=_FARTHEST, by=by)
        return Moved(f"{by:+d}", _laid(project, notes, lambda p: p + by))
    if found := _STEP.fullmatch(said):
        steps = typed_whole(found[1] or "1") * (1 if found[2].lower() == "up" else -1)
        return Moved(f"{steps:+d} in scale", _laid(project, notes, _by_steps(project, notes, steps)))
    if found := _KEY.fullmatch(said):
        key = parse_key(found[1], found[2], said, german=german)
        return Moved(f"in {key.tonic.plain()} {key.mode}", _laid(project, notes, _to_key(project, notes, key)))
    chord = _next_chord(project, notes) if _NEXT.fullmatch(said) else parse_chord(said, german=german)
    if chord is None:
        raise ScoreError("over no chord a phrase is as it is; name a chord, such as D or Bm7")
    return Moved(f"over {chord.plain()}", _laid(project, notes, _over(project, notes, chord)))


_Map = Callable[[int], int]


# -- where a pitch goes --------------------------------------------------------------------------------------------


def _by_steps(project: Project, notes: Sequence[Note], steps: int) -> _Map:
    tonic, scale = _scale_of(project, notes)
    return lambda p: _stepped(p, tonic, scale, tonic, scale, steps)


def _to_key(project: Project, notes: Sequence[Note], key: Key) -> _Map:
    here = key_at(project, notes[0].onset)
    if here is None:
        raise ScoreError("no key is known here; say it in the chord line (O, then key F#m), or move by half steps")
    by = (key.tonic.pitch_class - here.key.tonic.pitch_class + 5) % 12 - 5
    if here.key.mode == key.mode:
        if not by:
            raise ScoreError("the phrase is in {tonic} {mode} already", tonic=str(key.tonic), mode=key.mode)
        return lambda p: p + by
    old, new = BY_NAME[here.key.mode], BY_NAME[key.mode]
    return lambda p: _stepped(p, here.key.tonic, old, key.tonic, new, 0, by=by)


def _over(project: Project, notes: Sequence[Note], chord: Chord) -> _Map:
    old = _chord_of(project, notes)
    if old is None:
        raise ScoreError("no chord is known under this phrase; enter it first (O), or move by half steps")
    if old == chord:
        raise ScoreError("the phrase lies over {chord} already", chord=str(chord))
    by = (chord.root.pitch_class - old.root.pitch_class + 5) % 12 - 5
    tonic, scale = _scale_of(project, notes)
    whole = BY_NAME.get(k.key.mode) if (k := key_at(project, notes[0].onset)) else None
    if k is not None and whole is not None:
        tonic, scale = k.key.tonic, whole
    in_scale = scale.holds(old.root.pitch_class, tonic) and scale.holds(chord.root.pitch_class, tonic)
    steps = 0
    if in_scale:
        ranks = sorted(scale.semitones)
        size = len(ranks)
        a, b = (ranks.index((c.root.pitch_class - tonic.pitch_class) % 12) for c in (old, chord))
        steps = (b - a) % size - (size if by < 0 and (b - a) % size else 0)
    tones = _same_tones(old, chord)

    def goes(pitch: int) -> int:
        near = pitch + by
        to = tones.get(pitch % 12)
        if to is not None:
            return near + (to - near + 6) % 12 - 6
        return _stepped(pitch, tonic, scale, tonic, scale, steps) if in_scale else near

    return goes


def _same_tones(old: Chord, new: Chord) -> dict[int, int]:
    """For each tone of a chord, by its pitch class, the tone of the other chord with the same number: its third for the
    third. A suspended tone stands for the third."""
    ours = {_number(d): d for d in KINDS[old.kind].degrees}
    theirs = {_number(d): d for d in KINDS[new.kind].degrees}
    out = {}
    for number, d in ours.items():
        to = theirs.get(number)
        if to is not None:
            out[(old.root.pitch_class + 7 * FIFTHS[d]) % 12] = (new.root.pitch_class + 7 * FIFTHS[to]) % 12
    return out


def _number(degree: str) -> str:
    number = degree.lstrip("b#")
    return "3" if number in ("2", "4") else number


def _stepped(
    pitch: int, tonic: Tone, scale: Scale, new_tonic: Tone, new_scale: Scale, steps: int, *, by: int = 0
) -> int:  # fmt: skip
    """The pitch so many steps away in a scale, or the same step of another scale whose tonic lies `by` half steps from
    this one's; what is outside keeps its half steps above the tone below it."""
    ranks, new = sorted(scale.semitones), sorted(new_scale.semitones)
    octave, above = divmod(pitch - tonic.pitch_class, 12)
    rank = max(k for k, s in enumerate(ranks) if s <= above)
    over = above - ranks[rank]
    more, to = divmod(rank + steps, len(new))
    start = tonic.pitch_class + by if by or new_tonic != tonic else tonic.pitch_class
    return start + 12 * (octave + more) + new[to] + over


def _scale_of(project: Project, notes: Sequence[Note]) -> tuple[Tone, Scale]:
    """The scale that holds the notes in their key, else that of the key's mode."""
    here = key_at(project, notes[0].onset)
    if here is None:
        raise ScoreError("no key is known here; say it in the chord line (O, then key F#m), or move by half steps")
    seconds: dict[int, float] = {}
    for n in notes:
        pitch = sounding(n, project) % 12
        seconds[pitch] = seconds.get(pitch, 0.0) + n.duration
    found = fitting(seconds, here.key.tonic)
    named = found is not None and not found[1] and len(seconds) >= len(found[0].semitones)
    return here.key.tonic, found[0] if found is not None and named else BY_NAME[here.key.mode]


def _chord_of(project: Project, notes: Sequence[Note]) -> Chord | None:
    """The chord under most of the notes."""
    seconds: dict[Chord, float] = {}
    for n in notes:
        here = chord_of(project, n)
        if here is not None and here.chord is not None:
            seconds[here.chord] = seconds.get(here.chord, 0.0) + n.duration
    return max(seconds, key=lambda c: seconds[c]) if seconds else None


def _next_chord(project: Project, notes: Sequence[Note]) -> Chord:
    """The first other chord that sounds after the one under the phrase."""
    own = _chord_of(project, notes)
    start = next((c.start for c in project.chords if c.chord == own and chord_end(project, c.start) > notes[0].onset),
                 notes[0].onset)  # fmt: skip
    later = [c.chord for c in project.chords if c.start > start and c.chord not in (None, own)]
    if own is None or not later:
        raise ScoreError("no other chord comes after this phrase; name one, such as D or Bm7")
    found = later[0]
    assert found is not None
    return found


# -- where it lies -------------------------------------------------------------------------------------------------


def _laid(project: Project, notes: Sequence[Note], goes: _Map) -> tuple[Note, ...]:
    """The notes as a map of pitches has them: in the shape that they have where all of them move as one and stay on the
    neck, else where they lie best."""
    tuning = project.tuning
    fretted = [_unharmonic(n, project) for n in notes]
    pitches = [goes(p) for _, p in fretted]
    bends = [_bend(n, p, q, goes) for (n, p), q in zip(fretted, pitches, strict=True)]
    by = {q - p for (_, p), q in zip(fretted, pitches, strict=True)}
    shape = by.pop() if len(by) == 1 else None
    if shape is not None and all(0 <= n.fret + shape <= tuning.highest_fret for n in notes):
        places = [(n.string, n.fret + shape) for n in notes]
    else:
        low, high = min(tuning.open_pitches), max(tuning.open_pitches) + tuning.highest_fret
        if not (low <= min(pitches) and max(pitches) <= high):
            raise ScoreError("there the phrase would leave the neck; move it the other way, or less far")
        wanted = [
            Wanted(n.onset, n.end, q, n.attack, b.target_cents if b else 0, n.vibrato is not None)
            for (n, _), q, b in zip(fretted, pitches, bends, strict=True)
        ]
        places = places_of(wanted, tuning)
    out = [
        replace(
            n, string=s, fret=f, bend=b, finger=None, held=True, confirmed=False, evidence=None, sure=None, maybe=(),
            confidence=1.0, doubt=None,
        )
        for (n, _), (s, f), b in zip(fretted, places, bends, strict=True)
    ]  # fmt: skip
    return tuple(legato_mended(out))


def _unharmonic(note: Note, project: Project) -> tuple[Note, int]:
    """A note and the pitch that is to be moved: of a natural harmonic what sounds, as it lies only where it is."""
    if Mark.NATURAL_HARMONIC in note.marks:
        plain = replace(note, marks=note.marks - {Mark.NATURAL_HARMONIC}, partial=None)
        return plain, round(note.unbent_pitch(project.tuning))
    return note, note.pitch(project.tuning)


def _bend(note: Note, pitch: int, to: int, goes: _Map) -> Bend | None:
    """The bend to where its goal goes; what was measured of it says nothing of it any more."""
    bend = note.bend
    if bend is None:
        return None
    cents = bend.target_cents
    if cents % 100 == 0:
        wanted = 100 * (goes(pitch + cents // 100) - to)
        cents = wanted if 0 < wanted <= _WIDEST_BEND else cents
    return Bend(bend.kind, cents)
