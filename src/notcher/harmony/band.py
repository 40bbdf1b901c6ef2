"""A plain band for the chords of a project: what bass, drums and chords play, by metre and feel.

Where the accents fall, and what each feel plays, is common practice (no source): a bar falls into groups of two and
three beats; drums mark where these begin, in twos the second beat as well; the bass goes by the chord's root, its fifth
and a tone that leads on; chords move their voices as little as they can.
"""

import bisect
from collections.abc import Iterator, Sequence

from notcher.audio.band import LONGEST_S, Part, Struck, sounded
from notcher.audio.recording import FloatArray
from notcher.score.chord import FIFTHS, KINDS, Chord
from notcher.score.chords import chord_at, chord_end
from notcher.score.errors import ScoreError
from notcher.score.feel import BY_NAME, Feel
from notcher.score.project import Project
from notcher.score.tempo import TempoMap

_LOWEST_BASS = 28
_LOWEST_VOICE, _HIGHEST_VOICE, _VOICES = 51, 72, 4
_FIRST_VOICING = (55, 60, 64)
# Without bars a chord is struck again after so many seconds.
_AGAIN_S = 2.0
_SLOW_BPM, _FASTEST_BPM = 76.0, 150.0
# Of the last notes one ends last.
_LAST = 50
# A chord that begins so little after a beat begins with it.
_WITH_S = 0.06


def feel_of(project: Project) -> Feel:
    """The feel that was chosen, else by the beat and the tempo."""
    if project.feel:
        return BY_NAME[project.feel]
    tempo = project.tempo
    if tempo is not None and tempo.unit.in_threes:
        return BY_NAME["threes"]
    return BY_NAME["slow" if tempo is not None and tempo.bpm() < _SLOW_BPM else "even"]


def played(project: Project, start: float, end: float, *, feel: Feel | None = None) -> list[Struck]:
    """What the band plays from a time in seconds to another, whole bars of it; nothing where nothing is known.

    Raises ScoreError where the project has no chords.
    """
    if not project.chords:
        raise ScoreError("no chords are known to play; hear them (Ctrl+K) or enter them (O)")
    if project.tempo is None:
        return list(_without_bars(project, start, end))
    tempo, feel = project.tempo, feel or feel_of(project)
    first, last = tempo.bar_of(tempo.beat_at(start)), tempo.bar_of(tempo.beat_at(end))
    out: list[Struck] = []
    voicing: tuple[int, ...] = _FIRST_VOICING
    for bar in range(first, last + 1):
        beats = [tempo.first_beat_of(bar) + k for k in range(tempo.beats_in(bar))]
        chords = [_chord(project, tempo.time_at(b)) for b in [*beats, beats[-1] + 1]]
        out += _drums(tempo, beats, feel)
        out += _bass(tempo, beats, chords, feel)
        voiced, voicing = _chords(tempo, beats, chords, feel, voicing)
        out += voiced
    return sorted((s for s in out if s.start < end), key=lambda s: (s.start, s.part.value, s.pitch))


class Backing:
    """What the band plays for a whole project, worked out once, so that any stretch of it sounds alike."""

    def __init__(self, project: Project) -> None:
        """Raises ScoreError where the project has no chords."""
        self._of = _about(project)
        last = max((n.end for n in project.notes[-_LAST:]), default=0.0)
        self.end = max(project.recording.duration, last, project.chords[-1].start + _AGAIN_S if project.chords else 0.0)
        self.struck = played(project, 0.0, self.end)
        self._starts = [s.start for s in self.struck]
        self._offset_cents = project.offset_cents

    def is_of(self, project: Project) -> bool:
        """Whether it would be the same for a project."""
        return all(a is b or a == b for a, b in zip(self._of, _about(project), strict=True))

    def between(self, start: float, end: float) -> FloatArray:
        """Samples shape (2, n), at the recording's tuning."""
        low, high = bisect.bisect_left(self._starts, start - LONGEST_S), bisect.bisect_left(self._starts, end)
        return sounded(self.struck[low:high], start, end, offset_cents=self._offset_cents)


def _about(project: Project) -> tuple[object, ...]:
    return project.chords, project.tempo, project.feel, project.offset_cents, project.recording.duration


def groups(beats: int) -> tuple[int, ...]:
    """How a bar of so many beats falls into groups of two and three, threes first where both are there: 4 as 2 + 2, 5
    as 3 + 2, 6 as 3 + 3."""
    if beats <= 3:
        return (beats,)
    threes = beats // 3 if beats % 3 == 0 else beats % 2
    return (3,) * threes + (2,) * ((beats - 3 * threes) // 2)


def _chord(project: Project, time: float) -> Chord | None:
    here = chord_at(project, time + _WITH_S)
    return here.chord if here is not None else None


def _hit(tempo: TempoMap, part: Part, beat: float, loud: float, *, pitch: int = 0, lasts: float = 1.0) -> Struck:
    return Struck(part, tempo.time_at(beat), tempo.time_at(beat + lasts), pitch, loud)


# -- drums ---------------------------------------------------------------------------------------------------------


def _drums(tempo: TempoMap, beats: Sequence[int], feel: Feel) -> Iterator[Struck]:
    parts = groups(len(beats))
    in_twos = set(parts) == {2}
    begins = [sum(parts[:k]) for k in range(len(parts))]
    middle = begins[len(parts) // 2] if len(parts) > 1 else -1
    for k, beat in enumerate(beats):
        if k in begins and not (in_twos and feel.half and k == middle):
            # The first of each group, but where the drums answer there.
            answers = not in_twos and len(parts) > 1 and begins.index(k) % 2
            yield _hit(tempo, Part.SNARE if answers else Part.KICK, beat, 1.0 if k == 0 else 0.8)
        if in_twos and (k == middle if feel.half and middle > 0 else k % 2):
            yield _hit(tempo, Part.SNARE, beat, 0.9)
        if len(parts) == 1 and len(beats) == 3 and k:
            yield _hit(tempo, Part.RIM, beat, 0.7 if k == 1 else 0.55)
        metal = Part.RIDE if feel.bass == "walk" else Part.HAT
        yield _hit(tempo, metal, beat, 0.8 if k in begins else 0.6)
        if (in_twos or len(parts) == 1) and tempo.bpm_at(tempo.time_at(beat)) < _FASTEST_BPM:
            yield from (_hit(tempo, metal, beat + at, 0.45) for at in feel.between)


# -- bass ----------------------------------------------------------------------------------------------------------


def _bass(
    tempo: TempoMap, beats: Sequence[int], chords: Sequence[Chord | None], feel: Feel
) -> Iterator[Struck]:  # fmt: skip
    parts = groups(len(beats))
    begins = {sum(parts[:k]) for k in range(len(parts))}
    for k, beat in enumerate(beats):
        chord, following = chords[k], chords[k + 1]
        if chord is None:
            continue
        fresh = k == 0 or chords[k - 1] != chord
        root = _bass_pitch(chord)
        match feel.bass:
            case "held":
                if fresh or k in begins:
                    to = next((j for j in range(k + 1, len(beats)) if j in begins or chords[j] != chord), len(beats))
                    yield _hit(tempo, Part.BASS, beat, 0.9, pitch=root, lasts=to - k - 0.05)
            case "eighths":
                for at in (0.0, 0.5):
                    yield _hit(tempo, Part.BASS, beat + at, 0.85 if at == 0 else 0.7, pitch=root, lasts=0.45)
            case "walk":
                yield _hit(tempo, Part.BASS, beat, 0.85, pitch=_walked(chord, following, k, fresh), lasts=0.9)
            case _:
                pitch = root if fresh or k in begins else root + _fifth(chord)
                yield _hit(tempo, Part.BASS, beat, 0.85, pitch=pitch, lasts=0.9)


def _bass_pitch(chord: Chord) -> int:
    tone = (chord.bass or chord.root).pitch_class
    return _LOWEST_BASS + (tone - _LOWEST_BASS) % 12


def _fifth(chord: Chord) -> int:
    """Half steps from the bass up to the chord's fifth, whichever it has; over another bass, to its root."""
    if chord.bass is not None:
        return (chord.root.pitch_class - chord.bass.pitch_class) % 12
    found = [7 * FIFTHS[d] % 12 for d in KINDS[chord.kind].degrees if d.endswith("5")]
    return found[0] if found else 0


def _walked(chord: Chord, following: Chord | None, k: int, fresh: bool) -> int:
    """Up the chord's tones; before another chord, a half step below where that begins."""
    root = _bass_pitch(chord)
    if fresh:
        return root
    if following is not None and following != chord:
        to = _bass_pitch(following)
        return to - 1 if to > _LOWEST_BASS else to + 1
    tones = sorted({0, *(7 * FIFTHS[d] % 12 for d in KINDS[chord.kind].degrees[1:4])})
    return root + tones[k % len(tones)]


# -- chords --------------------------------------------------------------------------------------------------------


def _chords(
    tempo: TempoMap, beats: Sequence[int], chords: Sequence[Chord | None], feel: Feel, voicing: tuple[int, ...]
) -> tuple[list[Struck], tuple[int, ...]]:
    out: list[Struck] = []
    parts = groups(len(beats))
    begins = {sum(parts[:k]) for k in range(len(parts))}
    for k, beat in enumerate(beats):
        chord = chords[k]
        if chord is None:
            continue
        voicing = voiced(chord, voicing)
        fresh = k == 0 or chords[k - 1] != chord
        to = next((j for j in range(k + 1, len(beats)) if chords[j] != chord), len(beats))
        strokes: list[tuple[float, float, float]] = []
        match feel.chords:
            case "held":
                strokes = [(0.0, to - k - 0.05, 0.9)] if fresh else []
            case "answer":
                strokes = [(0.0, 0.35, 0.8)] if (k not in begins or len(beats) == 1) else []
            case _:
                strokes = [(0.0, 0.4, 0.7), (0.5, 0.4, 0.55)]
        out += [_hit(tempo, Part.CHORDS, beat + at, loud, pitch=p, lasts=lasts)
                for at, lasts, loud in strokes for p in voicing]  # fmt: skip
    return out, voicing


def voiced(chord: Chord, before: Sequence[int]) -> tuple[int, ...]:
    """Pitches (MIDI) for a chord, near those of the chord before: four at most, of larger chords without the fifth and
    then the root, which the bass has."""
    tones = [(chord.root.pitch_class + s) % 12 for s in KINDS[chord.kind].semitones]
    plain_fifth = (chord.root.pitch_class + 7) % 12
    for spare in (plain_fifth, chord.root.pitch_class):
        if len(tones) > _VOICES and spare in tones:
            tones.remove(spare)
    # Within an octave, in the order in which they lie.
    tones = sorted(tones[-_VOICES:], key=lambda tone: (tone - chord.root.pitch_class) % 12)
    centre = sum(before) / len(before)
    best: tuple[float, tuple[int, ...]] | None = None
    for turn in range(len(tones)):
        order = tones[turn:] + tones[:turn]
        for low in range(_LOWEST_VOICE, _LOWEST_VOICE + 12):
            if low % 12 != order[0]:
                continue
            pitches = [low]
            for tone in order[1:]:
                pitches.append(pitches[-1] + (tone - pitches[-1] - 1) % 12 + 1)
            if pitches[-1] > _HIGHEST_VOICE:
                continue
            moved = sum(min(abs(p - q) for q in before) for p in pitches)
            cost = moved + abs(sum(pitches) / len(pitches) - centre)
            if best is None or cost < best[0]:
                best = (cost, tuple(pitches))
    assert best is not None
    return best[1]


def _without_bars(project: Project, start: float, end: float) -> Iterator[Struck]:
    """Chords and bass alone, struck where each begins and again every two seconds."""
    voicing: tuple[int, ...] = _FIRST_VOICING
    for here in project.chords:
        until = chord_end(project, here.start)
        if here.chord is None or until <= start or here.start >= end:
            continue
        voicing = voiced(here.chord, voicing)
        at = here.start
        while at < min(until, end) - 0.05:
            to = min(at + _AGAIN_S, until)
            yield Struck(Part.BASS, at, to, _bass_pitch(here.chord), 0.9)
            for pitch in voicing:
                yield Struck(Part.CHORDS, at, to, pitch, 0.9)
            at = to
