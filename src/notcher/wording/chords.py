"""Chords, keys, degrees and what notes do, as they are said."""

from notcher.harmony.roles import Doing, Role
from notcher.harmony.spelling import written_tone
from notcher.harmony.symbols import tone_text
from notcher.score.chord import KINDS, Chord
from notcher.score.chords import chord_at
from notcher.score.key import Key, KeyAt
from notcher.score.pitch import FLAT_NAMES, SHARP_NAMES
from notcher.score.project import Project
from notcher.score.spelling import Tone
from notcher.wording.names import german_names, twelve_notes
from notcher.wording.say import later, tr

_ROLES = {
    Role.CHORD_TONE: later("chord tone"), Role.SUSPENSION: later("suspension"), Role.PASSING: later("passing note"),
    Role.NEIGHBOUR: later("neighbour"), Role.FROM_BELOW: later("approach from a half step below"),
    Role.FROM_ABOVE: later("approach from a half step above"), Role.BLUE: later("blue note"),
    Role.TENSION: later("tension"),
}  # fmt: skip
_MODES = {
    "major": later("major"), "minor": later("minor"), "dorian": later("dorian"), "mixolydian": later("mixolydian"),
    "phrygian": later("phrygian"), "lydian": later("lydian"), "locrian": later("locrian"),
}  # fmt: skip

# Seconds by which a chord may begin before a line's first note and still stand over it.
_NEAR_S = 0.1


def tone_name(tone: Tone) -> str:
    """A tone's name as the language has it."""
    if german_names() and tone.letter == "B":
        return tone_text(tone, german=True)
    called = twelve_notes(flats=tone.alter < 0)[tone.pitch_class]
    # The twelve have no B sharp, F flat or anything with two signs.
    common = (tone.alter in (0, 1) and str(tone) in SHARP_NAMES) or str(tone) in FLAT_NAMES
    return called if common else str(tone)


def pitch_name(project: Project, midi: int, time: float, *, shift: int = 0) -> str:
    """A pitch as it is written where it sounds, with its octave (A4 is 440 Hz). shift: semitones by which it is called
    otherwise, by shape."""
    tone = written_tone(project, midi, time, shift=shift)
    return f"{tone_name(tone)}{tone.octave_of(midi + shift)}"


def chord_name(chord: Chord | None) -> str:
    """A chord's symbol, N.C. for none."""
    if chord is None:
        return tr("N.C.")
    return tone_name(chord.root) + KINDS[chord.kind].symbol + (f"/{tone_name(chord.bass)}" if chord.bass else "")


def key_name(key: Key, *, short: bool = False) -> str:
    """A key as it is said: F♯ minor; short: F♯m, for what is neither, with its mode."""
    if short and key.mode in ("major", "minor"):
        return tone_name(key.tonic) + ("m" if key.mode == "minor" else "")
    return tr("{tonic} {mode}", tonic=tone_name(key.tonic), mode=tr(_MODES[key.mode]))


SURE_KEY = 0.7
"""Chance from which a key that was heard is named alone."""


def key_words(at: KeyAt, *, short: bool = False) -> str:
    """A key as it is known: of one that is hardly more than a guess, the reading beside it, too."""
    name = key_name(at.key, short=short)
    if at.decided or at.confidence >= SURE_KEY:
        return name
    return tr("{key} or {other}", key=name, other=key_name(other_reading(at.key), short=short))


def other_reading(key: Key) -> Key:
    """The key that is most easily taken for one: of a mode the major or minor key on its tonic, of those the other one
    with the same signature."""
    if key.mode not in ("major", "minor"):
        return Key.of(key.tonic.pitch_class, "minor" if key.minor else "major")
    up, mode = (9, "minor") if key.mode == "major" else (3, "major")
    return Key.of((key.tonic.pitch_class + up) % 12, mode)


def chords_over(project: Project, start: float, end: float) -> tuple[tuple[float, str], ...]:
    """(time, name) of the chords of a line: the one that sounds as it begins, and those that follow."""
    if not project.chords:
        return ()
    sounding = chord_at(project, start + _NEAR_S)
    inside = [(c.start, chord_name(c.chord)) for c in project.chords if start + _NEAR_S < c.start < end]
    return (*([(start, chord_name(sounding.chord))] if sounding else []), *inside)


def degree_name(degree: str) -> str:
    """A degree with its sign as it is written: ♭3."""
    return degree.replace("b", "♭").replace("#", "♯")


_DEGREES = {
    "1": later("root"), "b2": later("flat second"), "2": later("second"), "#2": later("sharp second"),
    "b3": later("flat third"), "3": later("third"), "4": later("fourth"), "#4": later("sharp fourth"),
    "b5": later("flat fifth"), "5": later("fifth"), "#5": later("sharp fifth"), "b6": later("flat sixth"),
    "6": later("sixth"), "bb7": later("double flat seventh"), "b7": later("flat seventh"), "7": later("seventh"),
    "b9": later("flat ninth"), "9": later("ninth"), "#9": later("sharp ninth"), "11": later("eleventh"),
    "#11": later("sharp eleventh"), "b13": later("flat thirteenth"), "13": later("thirteenth"),
}  # fmt: skip


def degree_words(doing: Doing, *, how: str) -> str:
    """What stands at a note. how: chord, key: against that, in figures; words: against the chord, in words, or where no
    chord is under it, against the key."""
    if how == "key":
        return degree_name(doing.in_key)
    if how == "words":
        degree = doing.degree if doing.chord is not None else doing.in_key
        return tr(_DEGREES[degree]) if degree else ""
    return degree_name(doing.degree)


def doing_words(doing: Doing) -> str:
    """What a note does: 5 of F♯m, chord tone; ♭7 of the key where no chord is under it; empty where nothing is
    known."""
    if doing.chord is not None and doing.role is not None:
        values = {"degree": degree_name(doing.degree), "chord": chord_name(doing.chord)}
        return tr("{degree} of {chord}, {role}", role=tr(_ROLES[doing.role]), **values)
    return tr("{degree} of the key", degree=degree_name(doing.in_key)) if doing.in_key else ""
