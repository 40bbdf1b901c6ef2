"""What a phrase is made of, in what an instructor would say first: its scale or chord, where the root lies under the
hand, which notes land as the chord changes, and where bends aim."""

from collections.abc import Sequence
from dataclasses import dataclass

from notcher.harmony.roles import degree_in, sounding
from notcher.harmony.scales import Scale, fitting, symmetrical
from notcher.harmony.spelling import written_tone
from notcher.score.chord import Chord
from notcher.score.chords import chord_of, key_at
from notcher.score.note import BendKind, Mark, Note
from notcher.score.project import Project
from notcher.score.spelling import Tone

# Fewer different tones than this are in too many scales for one to be named.
_FEWEST = 4
# Seconds by which a note may come before or after a chord's change and land with it: players float over the beat.
_WITH_S = 0.13
# Frets beside those that are played which still lie under the hand.
_BESIDE = 1


@dataclass(frozen=True, slots=True)
class Landing:
    """The note that lands as a chord comes, and what it is there."""

    chord: Chord
    tone: Tone
    degree: str


@dataclass(frozen=True, slots=True)
class Summary:
    """tonic and scale: None where none is to be named; outside: tones of the phrase that the scale does not hold;
    outlines: the chord whose tones are all that is played, where that is so; root: string and fret of the tonic under
    the hand; repeats: a symmetrical scale, where all is of it and no other is to be
    named; aims: degrees that bends go to, with their chord, each once."""

    tonic: Tone | None
    scale: Scale | None
    outside: tuple[Tone, ...]
    outlines: Chord | None
    root: tuple[int, int] | None
    repeats: Scale | None
    landings: tuple[Landing, ...]
    aims: tuple[tuple[str, Chord], ...]


def summed_up(project: Project, notes: Sequence[Note]) -> Summary:
    """What some notes, as those of a phrase, are made of."""
    pitched = [n for n in notes if Mark.DEAD not in n.marks]
    key = key_at(project, pitched[0].onset) if pitched else None
    seconds: dict[int, float] = {}
    for n in pitched:
        pitch = sounding(n, project) % 12
        seconds[pitch] = seconds.get(pitch, 0.0) + n.duration
    found = fitting(seconds, key.key.tonic) if key and len(seconds) >= _FEWEST else None
    repeats = symmetrical(seconds, key.key.tonic if key else None) if found is None or found[1] else None
    outside = tuple(written_tone(project, pc, pitched[0].onset) for pc in found[1]) if found else ()
    return Summary(
        key.key.tonic if key and found else None, found[0] if found else None, outside, _outlined(project, pitched),
        _root(project, pitched, key.key.tonic) if key and found else None, repeats, _landings(project, pitched),
        _aims(project, pitched),
    )  # fmt: skip


def _outlined(project: Project, notes: Sequence[Note]) -> Chord | None:
    """The one chord under all of the notes, where they are its tones, and at least three of them."""
    under = {c.chord if (c := chord_of(project, n)) else None for n in notes}
    chord = next(iter(under)) if len(under) == 1 else None
    if chord is None:
        return None
    tones = {sounding(n, project) % 12 for n in notes}
    return chord if len(tones) >= 3 and tones <= set(chord.pitch_classes) else None


def _root(project: Project, notes: Sequence[Note], tonic: Tone) -> tuple[int, int] | None:
    """The tonic nearest to the frets that are played most, on a string that is played; low strings first."""
    frets = [n.fret for n in notes if n.fret]
    if not frets:
        return None
    low, high = min(frets) - _BESIDE, max(frets) + _BESIDE
    lowest = min(project.tuning.pitches)
    tonics = (p for p in range(lowest, lowest + 60) if (p - tonic.pitch_class) % 12 == 0)
    places = sorted(
        (place for p in tonics for place in project.tuning.places(p) if low <= place[1] <= high), reverse=True
    )
    played = {(n.string, n.fret) for n in notes}
    return next((p for p in places if p in played), places[0] if places else None)


def _landings(project: Project, notes: Sequence[Note]) -> tuple[Landing, ...]:
    if not notes:
        return ()
    out = []
    for c in project.chords:
        if c.chord is None or not notes[0].onset - _WITH_S < c.start < notes[-1].onset + _WITH_S:
            continue
        near = [n for n in notes if abs(n.onset - c.start) <= _WITH_S]
        if near:
            pitch = sounding(min(near, key=lambda n: abs(n.onset - c.start)), project)
            out.append(Landing(c.chord, written_tone(project, pitch, c.start + _WITH_S), degree_in(pitch, c.chord)))
    return tuple(out)


def _aims(project: Project, notes: Sequence[Note]) -> tuple[tuple[str, Chord], ...]:
    out: dict[tuple[str, Chord], None] = {}
    for n in notes:
        if n.bend is None or n.bend.kind is BendKind.CURL or n.bend.target_cents % 100:
            continue
        here = chord_of(project, n)
        if here is not None and here.chord is not None:
            out[degree_in(sounding(n, project), here.chord), here.chord] = None
    return tuple(out)
