"""What stands on one line of text tab: fret numbers with the letters and strokes around them."""

import re
from dataclasses import dataclass, replace
from fractions import Fraction

from notcher.formats.incoming.found import ReadNote
from notcher.formats.opening import ADVISED
from notcher.score.note import HIGHEST_PARTIAL, Attack, Bend, BendKind, Mark
from notcher.score.pitch import harmonic_nodes, nearest_quarter
from notcher.score.technique import MARKS, Absent
from notcher.score.tuning import HIGHEST_FRET

_GOAL = r"(?:[0-9]{1,2}|\([0-9]{1,2}(?:\.[0-9]+)?\)|full|1/2|½|1/4|¼)"
_FRET = r"(?P<fret>[0-9]{1,2})"
_BEND_SIGNS: tuple[tuple[BendKind, str], ...] = (
    (BendKind.STAGGERED, rf"\({_FRET}b\)b(?P<goal>{_GOAL})"),
    (BendKind.PRE_BEND_RELEASE, rf"\({_FRET}b(?P<goal>{_GOAL})?\)r[0-9]{{0,2}}"),
    (BendKind.PRE_BEND, rf"\({_FRET}b(?P<goal>{_GOAL})?\)"),
    (BendKind.PRE_BEND, rf"pb{_FRET}(?P<goal>)"),
    (BendKind.AGAIN, rf"{_FRET}b(?P<goal>{_GOAL})?r[0-9]{{0,2}}b{_GOAL}?"),
    (BendKind.BEND_RELEASE, rf"{_FRET}[b^](?P<goal>{_GOAL})?r[0-9]{{0,2}}"),
    (BendKind.MUTED, rf"{_FRET}b(?P<goal>{_GOAL})?x"),
    (BendKind.BEND, rf"{_FRET}[b^](?P<goal>{_GOAL})?"),
)
_BENDS = tuple((kind, re.compile(pattern, re.IGNORECASE)) for kind, pattern in _BEND_SIGNS)
_NATURAL, _PINCHED = re.compile(r"<([0-9]{1,2}(?:\.[0-9]+)?)>"), re.compile(r"\[([0-9]{1,2})\]")
_BRACKETED, _PLAIN, _DEAD = re.compile(r"\(([0-9]{1,2})\)"), re.compile(r"[0-9]{1,2}"), re.compile(r"[xX](?![0-9])")
_ATTACKS = (
    ("rk", Attack.RAKE), ("h", Attack.HAMMER), ("H", Attack.HAMMER), ("p", Attack.PULL), ("P", Attack.PULL),
    ("t", Attack.TAP), ("T", Attack.TAP), ("/", Attack.SLIDE), ("\\", Attack.SLIDE), ("s", Attack.SLIDE),
)  # fmt: skip
# Longer signs first, so that 'dip' is not taken for a down stroke.
_AFTER: tuple[tuple[str, Mark | None], ...] = (
    ("~", None), ("v", None),
    *sorted(
        ((row.text, row.mark) for row in MARKS if not isinstance(row.text, Absent)), key=lambda pair: -len(pair[0])
    ),
)  # fmt: skip
_DOUBT = "doubtful in the tab it was read from"
_IN_WORDS = {"full": 200, "1/2": 100, "½": 100, "1/4": 50, "¼": 50}
_START = ReadNote(Fraction(0), Fraction(1), 0)


@dataclass(frozen=True)
class Sign:
    """One fret number and what stands at it; note: without its time and pitch."""

    fret: int
    note: ReadNote


def read_cluster(text: str) -> tuple[list[tuple[int, Sign]], list[tuple[int, str]]]:
    """Signs that stand together, such as '5h7~': (column, sign), and (column, text) of what was not understood."""
    found: list[tuple[int, Sign]] = []
    unknown: list[tuple[int, str]] = []
    at, attack = 0, Attack.PICK
    while at < len(text):
        core = _core(text, at)
        if core is not None:
            sign, end = core
            note, end = _what_follows(text, end, replace(sign.note, attack=attack))
            # What stands before the first number stands over it: chords begin in one column.
            found.append((at if found else 0, Sign(sign.fret, note)))
            at, attack = end, Attack.PICK
            continue
        letters = next(((w, a) for w, a in _ATTACKS if text.startswith(w, at)), None)
        if letters is not None and at + len(letters[0]) < len(text):
            at, attack = at + len(letters[0]), letters[1]
            continue
        unknown.append((at, text[at:]))
        break
    return found, unknown


def _core(text: str, at: int) -> tuple[Sign, int] | None:
    """A fret number with its brackets and its bend, and where it ends."""
    for kind, pattern in _BENDS:
        match = pattern.match(text, at)
        if match and int(match["fret"]) <= HIGHEST_FRET:
            fret = int(match["fret"])
            return Sign(fret, replace(_START, fret=fret, bend=_bend(kind, fret, match["goal"] or ""))), match.end()
    match = _NATURAL.match(text, at)
    if match:
        node = float(match[1])
        if node <= HIGHEST_FRET:
            partial = _partial(node) if "." in match[1] else None
            marks = frozenset({Mark.NATURAL_HARMONIC})
            return Sign(round(node), replace(_START, fret=round(node), marks=marks, partial=partial)), match.end()
    for pattern, mark in ((_PINCHED, Mark.PINCH_HARMONIC), (_BRACKETED, None), (_PLAIN, None)):
        match = pattern.match(text, at)
        if match:
            digits = match[match.lastindex or 0]
            fret, end = int(digits), match.end()
            if fret > HIGHEST_FRET and pattern is _PLAIN:
                fret, end = int(digits[0]), at + 1
            if fret <= HIGHEST_FRET:
                return Sign(fret, replace(_START, fret=fret, marks=frozenset({mark} if mark else ()))), end
    match = _DEAD.match(text, at)
    return (Sign(0, replace(_START, fret=0, marks=frozenset({Mark.DEAD}))), match.end()) if match else None


def _bend(kind: BendKind, fret: int, goal: str) -> Bend:
    """A bend to a goal: the fret it sounds like, or an interval in words; a whole step where none is said."""
    said = goal.strip("()").lower()
    cents = _IN_WORDS.get(said) or (nearest_quarter((float(said) - fret) * 100) if said else 200)
    if not 50 <= cents <= 600:
        cents = 200
    if kind is BendKind.BEND and cents == 50:
        kind = BendKind.CURL
    return Bend(kind, cents)


def _partial(node: float) -> int:
    """The partial with a node nearest to a place between frets."""
    away = {k: min(abs(n - node) for n in harmonic_nodes(k)) for k in range(2, HIGHEST_PARTIAL + 1)}
    return min(away, key=lambda k: (round(away[k], 1), k))


def _what_follows(text: str, at: int, note: ReadNote) -> tuple[ReadNote, int]:
    """Signs after a fret number, up to the next one."""
    while at < len(text):
        if text[at] == "?":
            note, at = replace(note, doubt=_DOUBT), at + 1
            continue
        if text[at] == ADVISED:
            # What is said stands in words under the tab.
            at += 1
            continue
        word = next(((w, m) for w, m in _AFTER if text.startswith(w, at)), None)
        # A stroke or letter before a number leads to that number.
        if word is None or (len(word[0]) == 1 and word[0] in r"\[0-9]" and text[at + 1 : at + 2].isdigit()):
            break
        if word[1] is None:
            note = replace(note, vibrato=True)
        else:
            note = replace(note, marks=note.marks | {word[1]})
        at += len(word[0])
    return note, at
