"""A phrase as one line of words, as instructors say it: "9 on the G bend whole release, 7" or "G9 bend whole release".

The grammar is described in docs/LINE.md. Both orders and both ways of naming intervals are read; which of them is
written is a Dialect.
"""

import difflib
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from notcher.score.errors import ScoreError
from notcher.score.note import LONGEST_RISE_S, Attack, BendKind, Mark
from notcher.score.said import Said
from notcher.score.technique import ATTACKS, BENDS, MARKS, Absent
from notcher.score.tuning import MOST_STRINGS

_LETTERS = ("e", "B", "G", "D", "A", "E")
_STEPS = {
    50: "quarter", 100: "half", 150: "three quarters", 200: "whole", 250: "one and a quarter", 300: "one and a half",
    350: "one and three quarters", 400: "two", 450: "two and a quarter", 500: "two and a half",
    550: "two and three quarters", 600: "three",
}  # fmt: skip
_TONES = _STEPS | {50: "quarter tone", 100: "semitone", 200: "tone", 300: "tone and a half", 400: "two tones",
                   500: "two tones and a half", 600: "three tones"}  # fmt: skip
_MORE_INTERVALS = {
    "quarter step": 50, "half step": 100, "whole step": 200, "full": 200, "two steps": 400, "three steps": 600,
    "¼": 50, "1/4": 50, "½": 100, "1/2": 100, "¾": 150, "3/4": 150, "1¼": 250, "1½": 300, "1¾": 350, "2½": 500,
}  # fmt: skip
_ATTACKS = {row.attack: row.line for row in ATTACKS}
_MARKS = {row.mark: row.line for row in MARKS}
_KINDS = {row.kind: row.line for row in BENDS if not isinstance(row.line, Absent)}
_RELEASE = ("release", "and release", "r")
RELEASED = {BendKind.BEND: BendKind.BEND_RELEASE, BendKind.PRE_BEND: BendKind.PRE_BEND_RELEASE}
_VIBRATO = ("vibrato", "vib", "v")
_FINGERS = {0: "thumb", 1: "finger 1", 2: "finger 2", 3: "finger 3", 4: "finger 4"}
_OPEN = ("open",)
_BEGIN_A_PLACE = frozenset({"open", "string", "fret", "high", "low"})
_ORDINALS = {"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "sixth": 6, "seventh": 7, "eighth": 8}
_STRINGS = frozenset(str(k) for k in range(1, MOST_STRINGS + 1))


def _interval_words() -> dict[str, int]:
    found = {words: cents for table in (_STEPS, _TONES) for cents, words in table.items()}
    return found | _MORE_INTERVALS


_Meaning = tuple[str, object]


def _vocabulary() -> dict[tuple[str, ...], _Meaning]:
    table: dict[tuple[str, ...], _Meaning] = {}
    for kind, group in (("attack", _ATTACKS), ("mark", _MARKS), ("bend", _KINDS)):
        for meaning, phrases in group.items():
            for words in phrases:
                table[tuple(words.split())] = (kind, meaning)
    for words in _RELEASE:
        table[tuple(words.split())] = ("release", None)
    for words in _VIBRATO:
        table[tuple(words.split())] = ("vibrato", None)
    for finger, words in _FINGERS.items():
        table[tuple(words.split())] = ("finger", finger)
    for words, cents in _interval_words().items():
        table[tuple(words.split())] = ("interval", cents)
    return table


WORDS = _vocabulary()
LONGEST = max(len(w) for w in WORDS)
TOKEN = re.compile(r"[+,;|]|[^\s+,;|]+")
PLACE = re.compile(r"([eEbBgGdDaA])([0-9]{1,2})$")
RISE = re.compile(r"([0-9]{1,3}(?:\.[0-9]{1,6})?|\.[0-9]{1,6})s$")
_SHARE = re.compile(r"([0-9]{1,3}(?:\.[0-9]{1,6})?)%$")
FRET = re.compile(r"([0-9]{1,2})$")


class LineError(ScoreError):
    """A line that cannot be read: start and end of the word at fault."""

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.start, self.end = start, end


@dataclass(frozen=True, slots=True)
class Dialect:
    """How a line is written. fret_first: "9 on the G" instead of "G9"; by_number: "3" instead of "G"; tones: "tone"
    instead of "whole"."""

    fret_first: bool = False
    by_number: bool = False
    tones: bool = False


@dataclass(slots=True)
class Token:
    """A word and where it stands."""

    text: str
    start: int
    end: int

    @property
    def low(self) -> str:
        """Letter case ignored."""
        return self.text.lower()


def written_line(notes: Sequence[Said], dialect: Dialect = Dialect()) -> str:
    """Notes as a line; read_line gives them back."""
    out: list[str] = []
    for s in notes:
        words = [_place(s, dialect)]
        if s.attack is not Attack.PICK:
            words.insert(0, _ATTACKS[s.attack][0])
        if s.bend:
            words += _bend(*s.bend, tones=dialect.tones)
            if s.rise is not None:
                words += ["over", f"{s.rise:g}s"]
        if s.vibrato:
            words.append(_VIBRATO[0])
        words += [_MARKS[m][0] for m in Mark if m in s.marks]
        if s.raked_from is not None:
            words += ["from", str(s.raked_from)]
        if s.sounding is not None:
            words += ["sounding", f"{s.sounding * 100:g}%"]
        if s.finger is not None:
            words.append(_FINGERS[s.finger])
        out.append(("+ " if s.together and out else "") + " ".join(words))
    return ", ".join(out).replace(", +", " +")


def _place(s: Said, dialect: Dialect) -> str:
    # Strings beyond the sixth have no letter of their own.
    if dialect.by_number or s.string > len(_LETTERS):
        return f"{s.fret} on string {s.string}" if dialect.fret_first else f"string {s.string} fret {s.fret}"
    if dialect.fret_first:
        letter = {1: "high E", 6: "low E"}.get(s.string, _LETTERS[s.string - 1])
        return f"{s.fret} on the {letter}"
    return f"{_LETTERS[s.string - 1]}{s.fret}"


def _bend(kind: BendKind, cents: int, *, tones: bool) -> list[str]:
    released = {v: k for k, v in RELEASED.items()}
    words = [_KINDS[released.get(kind, kind)][0]]
    if kind is not BendKind.CURL or cents != 50:
        words.append((_TONES if tones else _STEPS)[cents])
    return [*words, _RELEASE[0]] if kind in released else words


def read_line(text: str) -> list[Said]:
    """The notes a line says, in order. Raises LineError at the first word that cannot be understood."""
    return _Reader(tokens(text)).notes()


def completions(text: str, cursor: int) -> list[str]:
    """Words that the one being typed before the cursor may become, the likeliest first."""
    begun = re.search(r"[^\s+,;|]*$", text[:cursor])
    stem = begun[0].lower() if begun else ""
    if not stem or stem[0].isdigit():
        return []
    words = sorted({" ".join(w) for w in WORDS if len(" ".join(w)) > 2 and " ".join(w).startswith(stem)})
    return [w for w in words if w != stem]


def tokens(text: str) -> list[Token]:
    """The words of a line, with their places in it."""
    return [Token(m[0], m.start(), m.end()) for m in TOKEN.finditer(text)]


def unknown(token: Token) -> LineError:
    """That a word is not known, with those it may have been."""
    known = sorted({" ".join(w) for w in WORDS} | set(_NUMBERED))
    close = difflib.get_close_matches(token.low, known, n=1, cutoff=0.6)
    hint = f"; did you mean '{close[0]}'?" if close else ""
    return LineError(f"'{token.text}' is not a word of the line{hint}", token.start, token.end)


class _Reader:
    """Goes through the words from left to right, filling one note after another."""

    def __init__(self, tokens: list[Token]) -> None:
        self._tokens, self._at = tokens, 0
        self._found: list[Said] = []
        self._attack: tuple[Attack, Token] | None = None
        self._together = False

    def notes(self) -> list[Said]:
        while self._at < len(self._tokens):
            token = self._tokens[self._at]
            if token.text in ",;|":
                self._at += 1
            elif token.text == "+":
                self._need_note(token, "'+' joins a note to the one before it")
                self._together = True
                self._at += 1
            elif not self._take_place():
                self._take_word()
        if self._attack is not None:
            _, token = self._attack
            raise LineError(f"after '{token.text}' a fret is missing", token.start, token.end)
        if self._together:
            token = self._tokens[-1]
            raise LineError("after '+' a note is missing", token.start, token.end)
        return self._found

    # -- places ------------------------------------------------------------------------------------------------------

    def _take_place(self) -> bool:
        token = self._tokens[self._at]
        first = self._at
        named = PLACE.match(token.text)
        if named:
            self._at += 1
            self._add(string_of(named[1]), int(named[2]), first)
            return True
        if token.low in _OPEN:
            self._at += 1
            self._add(self._string(first) or self._same_string(token), 0, first)
            return True
        string = self._string_words()
        if string is not None:
            self._skip("fret")
            fret = self._number()
            if fret is None:
                end = self._tokens[self._at - 1].end
                raise LineError("after the string a fret is missing", token.start, end)
            self._add(string, fret, first)
            return True
        if token.low == "fret":
            self._at += 1
        fret = self._number()
        if fret is None:
            self._at = first
            return False
        self._add(self._string(first) or self._same_string(token), fret, first)
        return True

    def _number(self) -> int | None:
        if self._at < len(self._tokens):
            found = FRET.match(self._tokens[self._at].text)
            if found:
                self._at += 1
                return int(found[1])
        return None

    def _skip(self, *words: str) -> bool:
        if self._at < len(self._tokens) and self._tokens[self._at].low in words:
            self._at += 1
            return True
        return False

    def _string(self, first: int) -> int | None:
        """'on the G', 'on string 3', after a fret."""
        back = self._at
        if not self._skip("on"):
            return None
        self._skip("the")
        string = self._string_words(after_on=True)
        if string is None:
            self._at = back
            token = self._tokens[min(back + 1, len(self._tokens) - 1)]
            raise LineError(f"'{token.text}' is no string: say e, B, G, D, A, E, or 1 to 8", token.start, token.end)
        self._skip("string")
        return string

    def _string_words(self, *, after_on: bool = False) -> int | None:
        """'high E', 'string 3', 'third', and after 'on' also a bare letter or number."""
        if self._at >= len(self._tokens):
            return None
        token = self._tokens[self._at]
        following = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else None
        if token.low in ("high", "low") and following is not None and following.low == "e":
            self._at += 2
            return 1 if token.low == "high" else 6
        if token.low == "string" and following is not None and following.text in _STRINGS:
            self._at += 2
            return int(following.text)
        if not after_on:
            return None
        if token.text in ("e", "E", *"bBgGdDaA"):
            self._at += 1
            return string_of(token.text)
        counted = re.match(r"([1-8])(st|nd|rd|th)?$", token.low)
        string = int(counted[1]) if counted else _ORDINALS.get(token.low)
        if string is not None:
            self._at += 1
        return string

    def _same_string(self, token: Token) -> int:
        if not self._found:
            raise LineError(
                f"the first note needs its string, such as G{token.text} or {token.text} on the G",
                token.start, token.end,
            )  # fmt: skip
        return self._found[-1].string

    def _add(self, string: int, fret: int, first: int) -> None:
        start, end = self._tokens[first].start, self._tokens[self._at - 1].end
        try:
            note = Said(string, fret, together=self._together, span=(start, end))
        except ScoreError as error:
            raise LineError(str(error), start, end) from None
        if self._attack is not None:
            note = replace(note, attack=self._attack[0])
        self._attack, self._together = None, False
        self._found.append(note)

    # -- words -------------------------------------------------------------------------------------------------------

    def _take_word(self) -> None:
        token = self._tokens[self._at]
        if token.low in _NUMBERED:
            _NUMBERED[token.low](self, token)
            return
        for length in range(min(LONGEST, len(self._tokens) - self._at), 0, -1):
            words = tuple(t.low for t in self._tokens[self._at : self._at + length])
            if words in WORDS:
                self._at += length
                self._mean(*WORDS[words], token)
                return
        if token.low == "on":
            raise LineError("this note has its string already", token.start, token.end)
        raise unknown(token)

    def _take_rise(self, token: Token) -> None:
        """'over 0.8s': how long a slow bend takes to its top."""
        note = self._need_note(token, "it says how long a bend rises")
        said = RISE.match(self._tokens[self._at + 1].low) if self._at + 1 < len(self._tokens) else None
        if note.bend is None:
            raise LineError("there is no bend here to rise; say 'bend' first", token.start, token.end)
        if said is None or not 0 < float(said[1]) <= LONGEST_RISE_S:
            end = self._tokens[min(self._at + 1, len(self._tokens) - 1)].end
            raise LineError("after 'over' say the seconds it rises, such as 'over 0.8s'", token.start, end)
        self._at += 2
        self._change(rise=float(said[1]))

    def _take_raked_from(self, token: Token) -> None:
        """'from 6': the string at which a rake begins."""
        note = self._need_note(token, "it says on which string a rake begins")
        if note.attack is not Attack.RAKE:
            raise LineError("only a rake begins on another string; say 'rake' first", token.start, token.end)
        said = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else token
        if said.text not in _STRINGS:
            raise LineError("after 'from' say the string's number, such as 'from 6'", token.start, said.end)
        self._at += 2
        self._change(raked_from=int(said.text))

    def _take_sounding(self, token: Token) -> None:
        """'sounding 50%': the share of its value that is heard."""
        self._need_note(token, "it says how much of a note is heard")
        said = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else token
        share = _SHARE.match(said.text)
        if share is None or not 0 < float(share[1]) <= 100:
            raise LineError("after 'sounding' say how much of it, such as 'sounding 50%'", token.start, said.end)
        self._at += 2
        self._change(sounding=float(share[1]) / 100)

    def _mean(self, kind: str, meaning: object, token: Token) -> None:
        if kind == "attack":
            assert isinstance(meaning, Attack)
            if self._place_follows():
                self._attack = (meaning, token)
            else:
                self._need_note(token, "say the note it belongs to first")
                self._change(attack=meaning)
            return
        note = self._need_note(token, "say the note it belongs to first")
        if kind == "mark":
            assert isinstance(meaning, Mark)
            self._change(marks=note.marks | {meaning})
        elif kind == "vibrato":
            self._change(vibrato=True)
        elif kind == "finger":
            assert isinstance(meaning, int)
            self._change(finger=meaning)
        elif kind == "bend":
            assert isinstance(meaning, BendKind)
            self._change(bend=(meaning, 50 if meaning is BendKind.CURL else 200))
        elif kind == "interval":
            assert isinstance(meaning, int)
            if note.bend is None:
                raise LineError(f"'{token.text}' says how far a bend goes; say 'bend' first", token.start, token.end)
            self._change(bend=(note.bend[0], meaning))
        else:
            self._release(note, token)

    def _release(self, note: Said, token: Token) -> None:
        if note.bend is None or note.bend[0] not in RELEASED:
            raise LineError("there is no bend here to release; say 'bend' first", token.start, token.end)
        self._change(bend=(RELEASED[note.bend[0]], note.bend[1]))

    def _place_follows(self) -> bool:
        if self._at >= len(self._tokens):
            return False
        token = self._tokens[self._at]
        return bool(
            PLACE.match(token.text) or FRET.match(token.text) or token.low in ("open", "string", "fret", "high", "low")
        )

    def _need_note(self, token: Token, remedy: str) -> Said:
        if not self._found:
            raise LineError(f"'{token.text}' stands before any note; {remedy}", token.start, token.end)
        return self._found[-1]

    def _change(self, **values: object) -> None:
        end = self._tokens[self._at - 1].end
        last = self._found[-1]
        self._found[-1] = replace(last, span=(last.span[0], end), **values)  # type: ignore[arg-type]


_NUMBERED = {"over": _Reader._take_rise, "from": _Reader._take_raked_from, "sounding": _Reader._take_sounding}


def string_of(letter: str) -> int:
    if letter in ("e", "E"):
        return 1 if letter == "e" else 6
    return {"b": 2, "g": 3, "d": 4, "a": 5}[letter.lower()]
