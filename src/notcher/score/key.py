"""Keys: a tonic and a mode, and how the twelve tones are written in them."""

from dataclasses import dataclass
from typing import Annotated

from notcher.score.clause import Clause
from notcher.score.declared import Chance, Seconds, declared
from notcher.score.errors import ScoreError
from notcher.score.limits import check_time
from notcher.score.spelling import Tone, within

MODES = {"lydian": -1, "major": 0, "mixolydian": 1, "dorian": 2, "minor": 3, "phrygian": 4, "locrian": 5}
"""Each mode, and by how many fifths its tonic lies above that of the major key with the same signature."""
# The twelve tones that a key writes go from the flat second, 5 fifths below its tonic, to the sharp fourth (the
# harmonic chromatic scale of harmony textbooks; from memory). Over a minor third guitarists write a flat fifth, the
# blue note, in place of a sharp fourth (common practice, no source).
_BELOW, _BELOW_MINOR = 5, 6
# Sharps or flats up to which a signature is written; a tonic beyond is called by its other name.
_MOST = 6


@dataclass(frozen=True, slots=True)
class Key:
    """A key. mode: one of MODES, with the names of MusicXML."""

    tonic: Tone
    mode: Annotated[str, declared(enum=tuple(MODES))]

    def __post_init__(self) -> None:
        if self.mode not in MODES:
            raise ScoreError("'{mode}' is no mode; there are {modes}", mode=self.mode, modes=", ".join(MODES))
        if not -7 <= self.signature <= 7:
            raise ScoreError(
                "{tonic} {mode} would need {n} sharps or flats; a signature has 7 at most",
                tonic=str(self.tonic), mode=self.mode, n=abs(self.signature),
            )  # fmt: skip

    @classmethod
    def of(cls, pitch_class: int, mode: str) -> "Key":
        """The key on a pitch class, by its name with the fewest sharps or flats (F♯ major and E♭ minor of two)."""
        signatures = [s for s in range(-_MOST, _MOST + 1) if (7 * (s + MODES[mode]) - pitch_class) % 12 == 0]
        preferred = min(signatures, key=lambda s: (abs(s), (s < 0) == (mode in ("lydian", "major", "mixolydian"))))
        return cls(Tone(preferred + MODES[mode]), mode)

    @property
    def signature(self) -> int:
        """Sharps of its signature, flats below zero."""
        return self.tonic.fifths - MODES[self.mode]

    @property
    def minor(self) -> bool:
        """Whether its third is the small one."""
        return MODES[self.mode] >= MODES["dorian"]

    @property
    def pitch_classes(self) -> frozenset[int]:
        """Those of its seven tones."""
        return frozenset(7 * (self.signature + k) % 12 for k in range(-1, 6))

    def tone(self, pitch: int) -> Tone:
        """How a pitch (MIDI, or its class) is written in this key."""
        return within(pitch % 12, self.tonic.fifths - (_BELOW_MINOR if self.minor else _BELOW))


@dataclass(frozen=True, slots=True)
class KeyAt:
    """A key from a time in seconds on, until the next one. confidence: the chance that tonic and mode are right;
    decided: whether the person said so."""

    start: Seconds
    key: Key
    confidence: Chance = 1.0
    decided: bool = False

    def __post_init__(self) -> None:
        check_time(self.start, Clause("a key"))
        if not 0 <= self.confidence <= 1:
            raise ScoreError("a confidence is 0 to 1, got {confidence}", confidence=self.confidence)
