"""Chord symbols as people write them: F♯m7, A/C#, Bm7b5, N.C."""

import re

from notcher.score.chord import KINDS, Chord
from notcher.score.errors import ScoreError
from notcher.score.key import MODES, Key
from notcher.score.spelling import Tone

# Each kind's other ways of being written (common practice, no source); letter case counts, as m is minor and M major.
_WAYS = {
    "major": "M maj major",
    "minor": "- mi min minor",
    "dominant": "dom7 dom",
    "minor-seventh": "-7 mi7 min7",
    "major-seventh": "M7 ma7 Maj7 Δ Δ7 j7",
    "suspended-second": "2",
    "suspended-fourth": "sus 4",
    "diminished": "° o mb5 m(b5) -b5 minb5",
    "half-diminished": "ø ø7 m7(b5) m7-5 m7(-5) -7b5 -7(b5) min7b5 min7(b5) min7-5 mi7b5 h7",
    "augmented": "+ (#5) #5 aug5",
    "major-sixth": "M6 maj6 add6",
    "power": "no3 (no3)",
    "minor-sixth": "-6 min6 mi6",
    "diminished-seventh": "°7 o7",
    "augmented-seventh": "7(#5) 7+5 7(+5) +7 aug7 7+",
    "major-minor": "mM7 m(M7) mmaj7 minmaj7 -maj7 min(maj7) mΔ",
    "seventh-suspended": "7sus 7(sus4) sus7",
    "added-ninth": "(add9) add2",
    "minor-added-ninth": "madd9 m(add2) madd2",
    "dominant-ninth": "7(9)",
    "minor-ninth": "-9 min9 mi9",
    "major-ninth": "M9 ma9 Maj9 Δ9",
    "dominant-flat-ninth": "7(b9) 7-9 7(-9)",
    "dominant-sharp-ninth": "7(#9) 7+9 7(+9)",
    "minor-11th": "-11 min11",
    "dominant-11th": "7(11)",
    "dominant-13th": "7(13)",
    "ninth-suspended": "9sus 9(sus4) sus9 11sus",
    "13th-suspended": "13sus 13(sus4) sus13",
    "major-sixth-ninth": "69 6(9) 6add9",
    "minor-sixth-ninth": "m69 m6(9) -6/9 min6/9",
    "major-13th": "M13 ma13 Maj13 Δ13",
    "minor-13th": "-13 min13 mi13",
    "dominant-flat-fifth": "7-5 7(b5) 7(-5)",
    "dominant-sharp-11th": "7(#11) 7+11",
    "dominant-flat-13th": "7(b13) 7-13",
    "major-sharp-11th": "maj7(#11) M7#11 Δ7#11",
    "altered": "alt 7(alt) 7alt.",
}  # fmt: skip
_KIND_OF = {
    way: name
    for name, ways in _WAYS.items()
    for way in (KINDS[name].symbol.replace("♭", "b").replace("♯", "#"), *ways.split())
}
_SYMBOL = re.compile(r"([A-H](?:##|bb|#|b|x)?)(.*)")
_MODES = {"": "major", "m": "minor", "min": "minor", "maj": "major", "ionian": "major", "aeolian": "minor"}
_NONE = {"n.c.", "nc", "n.c", "n", "-", "no chord", "–", "—"}


def parse_chord(text: str, *, german: bool = False) -> Chord | None:
    """The chord of a symbol, None for no chord (N.C.). german: whether B is called H, and B flat B.

    Raises ScoreError for what is no symbol, naming the part that is not understood.
    """
    body = text.strip().replace("♯", "#").replace("♭", "b").replace(" ", "")
    if text.strip().lower() in _NONE:
        return None
    found = _SYMBOL.fullmatch(body[:1].upper() + body[1:])
    if found is None:
        raise ScoreError(
            "'{text}' is no chord symbol; begin with the root, as in F#m7, A/C# or Bm7b5, or write N.C.", text=text
        )
    root, kind, bass = parse_tone(found[1], text, german=german), found[2], None
    if "/" in kind and kind not in _KIND_OF:
        kind, _, low = kind.rpartition("/")
        bass = parse_tone(low[:1].upper() + low[1:], text, german=german)
    if kind not in _KIND_OF:
        raise ScoreError(
            "'{kind}' in '{text}' is no kind of chord that is known here, such as m, 7, m7, maj7, sus4, dim or m7b5",
            kind=kind, text=text,
        )  # fmt: skip
    return Chord(root, _KIND_OF[kind], None if bass == root else bass)


def tone_text(tone: Tone, *, german: bool = False) -> str:
    """A tone as it is written: F♯; german: B as H, and B flat as B."""
    if not german or tone.letter != "B":
        return str(tone)
    if tone.alter == -1:
        return "B"
    return "H" + str(tone)[1:]


def symbol_text(chord: Chord | None, *, german: bool = False) -> str:
    """A chord's symbol as parse_chord reads it: F♯m7, A/C♯, N.C."""
    if chord is None:
        return "N.C."
    low = f"/{tone_text(chord.bass, german=german)}" if chord.bass else ""
    return tone_text(chord.root, german=german) + KINDS[chord.kind].symbol + low


def parse_key(name: str, mode: str, text: str, *, german: bool = False) -> Key:
    """The key of a tonic's name and a mode as people say it: m, min, '' for major, dorian. text: what was typed, for
    errors.

    Raises ScoreError for what is no tone or no mode.
    """
    low = mode.lower().removesuffix(".")
    said = "minor" if mode == "m" else _MODES.get(low, low)
    if said not in MODES:
        raise ScoreError(
            "'{mode}' in '{text}' is no mode; there are {modes}", mode=mode, text=text, modes=", ".join(MODES)
        )
    plain = name[:1].upper() + name[1:].replace("♯", "#").replace("♭", "b")
    return Key(parse_tone(plain, text, german=german), said)


def parse_tone(name: str, text: str, *, german: bool) -> Tone:
    """The tone of a name in a symbol. Raises ScoreError, with the symbol, for what is none."""
    letter, rest = name[:1], name[1:]
    if letter == "H":
        if not german:
            raise ScoreError("'{text}' has an H; in this way of naming notes it is called B", text=text)
        letter = "B"
    elif german and letter == "B" and not rest:
        rest = "b"
    try:
        return Tone.named(letter + rest)
    except ScoreError:
        raise ScoreError("'{name}' in '{text}' is no tone; write it as in F#, Bb or C", name=name, text=text) from None
