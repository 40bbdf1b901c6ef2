"""What is looked for, read from a line of words: 'bend dorian over Bm7 faster than 8 harbour'."""

import re
from dataclasses import dataclass

from notcher.collect.described import Described
from notcher.harmony.scales import BY_NAME as SCALES
from notcher.harmony.symbols import parse_chord
from notcher.score.errors import ScoreError
from notcher.score.technique import ATTACKS, BENDS, MARKS, Absent

_SPEED = re.compile(r"(faster than|slower than|>|<)\s*(\d+(?:[.,]\d+)?)", re.IGNORECASE)
_A_SECOND = re.compile(r"\b(?:notes\s+)?a\s+second\b", re.IGNORECASE)
_OVER = re.compile(r"\bover\s+(\S+)", re.IGNORECASE)
_TONIC = re.compile(r"(?<!\w)([A-Ha-h])([♯♭#b]?)(?!\w)")
_SMALL = frozenset(["scale", "with", "a", "in", "and"])


@dataclass(frozen=True, slots=True)
class Query:
    """Whatever is empty or None does not matter. techniques: by their words, or what several of those have in common
    (harmonic); tonic: of the scale, in letters of any keyboard. words: each must stand in a phrase's or project's
    names; like: a phrase that it goes like, in any key."""

    words: tuple[str, ...] = ()
    techniques: tuple[str, ...] = ()
    scale: str = ""
    chord: str = ""
    faster: float | None = None
    slower: float | None = None
    like: Described | None = None
    tonic: str = ""

    @property
    def is_empty(self) -> bool:
        """Whether it asks for nothing."""
        return self == Query()


TOGETHER = frozenset(["harmonic", "pre-bend"])
"""What several techniques are called together."""
_IN_COMMON = {**{word: word for word in TOGETHER}, "prebend": "pre-bend", "palm": "palm mute"}


def _vocabulary() -> dict[str, str]:
    """Words of the line and of speech, and the technique each names."""
    out = {"tapping": "tapped", "hammer-on": "hammered on", "pull-off": "pulled off", **_IN_COMMON}
    rows: list[tuple[str, tuple[str, ...] | Absent]] = [("vibrato", ())]
    rows += [(row.words, row.line) for row in ATTACKS]
    rows += [(row.words, row.line) for row in MARKS]
    rows += [(row.words, row.line) for row in BENDS]
    for words, line in rows:
        for word in (words, *(line if not isinstance(line, Absent) else ())):
            if len(word) > 2:
                out.setdefault(word, words)
    return out


def read_query(text: str, *, german: bool = False) -> Query:
    """What a line asks for. What it does not know as a technique, scale, chord or speed is a word to be found in names.

    Raises ScoreError for a chord after 'over' that cannot be read.
    """
    rest, faster, slower = text, None, None
    for found in _SPEED.finditer(text):
        value = float(found[2].replace(",", "."))
        if found[1].lower() in ("faster than", ">"):
            faster = value
        else:
            slower = value
    rest = _SPEED.sub(" ", rest)
    chord = ""
    if over := _OVER.search(rest):
        parsed = parse_chord(over[1], german=german)
        if parsed is None:
            raise ScoreError("name the chord that is looked for, such as Bm7")
        chord = parsed.plain()
        rest = _OVER.sub(" ", rest)
    rest = _A_SECOND.sub(" ", rest)
    rest, scale = _taken(rest, {name: name for name in SCALES})
    tonic = ""
    if scale and (of := _TONIC.search(rest)):
        tonic = of[1].upper() + of[2].replace("♯", "#").replace("♭", "b")
        rest = rest[: of.start()] + " " + rest[of.end() :]
    techniques = []
    while True:
        rest, technique = _taken(rest, _vocabulary())
        if not technique:
            break
        techniques.append(technique)
    words = tuple(w for w in rest.lower().split() if w not in _SMALL)
    return Query(words, tuple(dict.fromkeys(techniques)), scale, chord, faster, slower, tonic=tonic)


def _taken(text: str, known: dict[str, str]) -> tuple[str, str]:
    """The text without the longest thing that is known and stands in it as whole words, and what that means."""
    for word in sorted(known, key=lambda w: -len(w)):
        found = re.search(rf"(?<![\w-]){re.escape(word)}(?:s|ed|ing)?(?![\w-])", text, re.IGNORECASE)
        if found:
            return text[: found.start()] + " " + text[found.end() :], known[word]
    return text, ""
