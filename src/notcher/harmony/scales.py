"""Scales: their tones by degree, and which of them a set of tones is."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from notcher.score.chord import FIFTHS
from notcher.score.spelling import Tone


@dataclass(frozen=True, slots=True)
class Scale:
    """A scale by its degrees. plain: how readily it is named where several fit, less being sooner."""

    name: str
    degrees: tuple[str, ...]
    plain: int

    @property
    def semitones(self) -> tuple[int, ...]:
        """Its tones above the tonic."""
        return tuple(7 * FIFTHS[d] % 12 for d in self.degrees)

    def tones(self, tonic: Tone) -> tuple[Tone, ...]:
        """Its tones as they are written on a tonic."""
        return tuple(tonic.up(FIFTHS[d]) for d in self.degrees)

    def holds(self, pitch: int, tonic: Tone) -> bool:
        """Whether a pitch (MIDI, or its class) is one of its tones on a tonic."""
        return (pitch - tonic.pitch_class) % 12 in self.semitones


def _scale(name: str, degrees: str, plain: int) -> Scale:
    return Scale(name, tuple(degrees.split()), plain)


SCALES = (
    _scale("minor pentatonic", "1 b3 4 5 b7", 0),
    _scale("major pentatonic", "1 2 3 5 6", 0),
    _scale("blues", "1 b3 4 b5 5 b7", 1),
    _scale("major", "1 2 3 4 5 6 7", 2),
    _scale("minor", "1 2 b3 4 5 b6 b7", 2),
    _scale("dorian", "1 2 b3 4 5 6 b7", 3),
    _scale("mixolydian", "1 2 3 4 5 6 b7", 3),
    _scale("harmonic minor", "1 2 b3 4 5 b6 7", 4),
    _scale("phrygian", "1 b2 b3 4 5 b6 b7", 4),
    _scale("lydian", "1 2 3 #4 5 6 7", 4),
    _scale("melodic minor", "1 2 b3 4 5 6 7", 5),
    _scale("locrian", "1 b2 b3 4 b5 b6 b7", 6),
    _scale("phrygian dominant", "1 b2 3 4 5 b6 b7", 6),
    _scale("half-whole diminished", "1 b2 b3 3 #4 5 6 b7", 7),
    _scale("whole-half diminished", "1 2 b3 4 b5 b6 6 7", 7),
    _scale("whole tone", "1 2 3 #4 #5 b7", 7),
)
"""Every scale that is named (degrees: any standard theory textbook's, from memory; blues: common practice)."""
SYMMETRICAL = (("whole tone", 2, 5), ("half-whole diminished", 3, 6))
"""Scales that repeat themselves: the name, after how many half steps, and how many of its tones say that it is one."""
BY_NAME = {scale.name: scale for scale in SCALES}
# Share of the sounding time that a scale must hold to be named; from which `plain` on a scale is rare, so that nothing
# of it may be missing; scales whose tones together are nothing but usual on a tonic.
COVERS, _RARE = 0.95, 4
_USUAL_TOGETHER = ("blues", "mixolydian", "dorian", "minor", "major pentatonic")
# What a semitone above the tonic is called where no chord or scale says otherwise.
_USUAL = ("1", "b2", "2", "b3", "3", "4", "b5", "5", "b6", "6", "b7", "7")


def degree(pitch: int, tonic: Tone, scale: Scale | None = None) -> str:
    """The degree of a pitch (MIDI, or its class) above a tonic: 1, b3, #4. Of a scale that holds it, as the scale has
    it."""
    above = (pitch - tonic.pitch_class) % 12
    if scale is not None and above in scale.semitones:
        return scale.degrees[scale.semitones.index(above)]
    return _USUAL[above]


def symmetrical(pitch_classes: Iterable[int], tonic: Tone | None = None) -> Scale | None:
    """The scale that repeats itself every two or three half steps and holds some tones, whichever of them is the tonic;
    None where none does, where they are too few to say, or where all of them are usual on the key's tonic, as those of
    a blues with both thirds are."""
    tones = frozenset(pitch_classes)
    if tonic is not None:
        usual = {s for name in _USUAL_TOGETHER for s in BY_NAME[name].semitones}
        if all((tone - tonic.pitch_class) % 12 in usual for tone in tones):
            return None
    for name, every, least in SYMMETRICAL:
        scale = BY_NAME[name]
        if len(tones) >= least and any(
            tones <= {(start + s) % 12 for s in scale.semitones} for start in range(every)
        ):  # fmt: skip
            return scale
    return None


def fitting(
    seconds: Mapping[int, float], tonic: Tone, among: Iterable[Scale] = SCALES
) -> tuple[Scale, tuple[int, ...]] | None:
    """The plainest scale on a tonic that holds at least COVERS of the sounding time, and the pitch classes outside it;
    None where no scale does. seconds: how long each pitch class sounds."""
    whole = sum(seconds.values())
    if whole <= 0:
        return None
    best: tuple[tuple[float, ...], Scale, tuple[int, ...]] | None = None
    for scale in among:
        outside = tuple(sorted(pc for pc, s in seconds.items() if s > 0 and not scale.holds(pc, tonic)))
        held = 1.0 - sum(seconds[pc] for pc in outside) / whole
        if held < COVERS:
            continue
        used = sum((tonic.pitch_class + s) % 12 in seconds for s in scale.semitones)
        if scale.plain >= _RARE and used < len(scale.semitones):
            # What a phrase lacks is not claimed of it.
            continue
        # All within comes first, then few tones that nobody played, then what is named more readily.
        rank = (float(len(outside) > 0), float(len(scale.semitones) - used) * 0.5 + scale.plain)
        if best is None or rank < best[0]:
            best = (rank, scale, outside)
    return None if best is None else (best[1], best[2])
