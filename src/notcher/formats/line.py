"""A phrase as one line of words, as instructors say it: "9 on the G bend whole release, 7" or "G9 bend whole release".

The grammar is described in docs/LINE.md. Both orders and both ways of naming intervals are read; which of them is
written is a Dialect.
"""

import difflib
import functools
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from notcher.score.clause import Clause
from notcher.score.errors import ScoreError
from notcher.score.find import Standing
from notcher.score.note import LONGEST_RISE_S, Attack, BendKind, Mark
from notcher.score.passage_edit import PassageNote
from notcher.score.technique import ATTACKS, BENDS, MARKS, Absent
from notcher.score.tuning import MOST_STRINGS
from notcher.wording.catalogue import language, term

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
}  # fmt: skip
_SIGNS = {
    "¼": 50, "1/4": 50, "½": 100, "1/2": 100, "¾": 150, "3/4": 150, "1¼": 250, "1½": 300, "1¾": 350, "2½": 500,
}  # fmt: skip
_ATTACKS = {row.attack: row.line for row in ATTACKS}
_MARKS = {row.mark: row.line for row in MARKS}
_KINDS = {row.kind: row.line for row in BENDS if not isinstance(row.line, Absent)}
# Bare numbers after a bend, and the interval each may mean.
_STEPS_OR_FRET = {"1": "whole", "2": "two", "3": "three"}
_RELEASE = ("release", "and release", "r")
RELEASED = {BendKind.BEND: BendKind.BEND_RELEASE, BendKind.PRE_BEND: BendKind.PRE_BEND_RELEASE}
_VIBRATO = ("vibrato", "vib", "v")
_FINGERS = {0: "thumb", 1: "finger 1", 2: "finger 2", 3: "finger 3", 4: "finger 4"}
_ORDINALS = {"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "sixth": 6, "seventh": 7, "eighth": 8}
_STRINGS = frozenset(str(k) for k in range(1, MOST_STRINGS + 1))
SMALL_WORDS = (
    "open", "string", "fret", "high", "low", "on", "the", "over", "from", "sounding", *_ORDINALS,
    # Of descriptions (describe.py).
    "a", "all", "any", "frets", "note", "notes", "with", "and", "step", "steps", "no", "not", "without", "bent",
    *Standing,
)  # fmt: skip
"""What stands between the terms, each one word."""
_Meaning = tuple[str, object]


def _in_line(text: str) -> str:
    """A term of the line in the person's language."""
    return term("line", text)


def _terms() -> Iterator[tuple[str, _Meaning]]:
    """The terms in English, and what they mean."""
    for kind, group in (("attack", _ATTACKS), ("mark", _MARKS), ("bend", _KINDS)):
        for meaning, phrases in group.items():
            yield from ((words, (kind, meaning)) for words in phrases)
    yield from ((words, ("release", None)) for words in _RELEASE)
    yield from ((words, ("vibrato", None)) for words in _VIBRATO)
    yield from ((words, ("finger", finger)) for finger, words in _FINGERS.items())
    for table in (_STEPS, _TONES):
        yield from ((words, ("interval", cents)) for cents, words in table.items())
    yield from ((words, ("interval", cents)) for words, cents in _MORE_INTERVALS.items())


def line_terms() -> list[str]:
    """All that a translation of the line needs."""
    return list(dict.fromkeys([*(words for words, _ in _terms()), *SMALL_WORDS]))


@dataclass(frozen=True, slots=True)
class Vocabulary:
    """The words of the line in a language, English among them: groups of words with what they mean, and of the small
    words which one is meant. numbers: of strings, by the word that counts them."""

    terms: dict[tuple[str, ...], _Meaning]
    small: dict[str, str]
    numbers: dict[str, int]

    @property
    def longest(self) -> int:
        """Words in the longest group."""
        return max(len(words) for words in self.terms)


def vocabulary() -> Vocabulary:
    """The words that can be read: those of the language in use, and English, in which lines are passed on."""
    return _vocabulary(language().code)


@functools.lru_cache(maxsize=4)
def _vocabulary(code: str) -> Vocabulary:
    """code: of the language in use, for the cache."""
    terms: dict[tuple[str, ...], _Meaning] = {(sign,): ("interval", cents) for sign, cents in _SIGNS.items()}
    small: dict[str, str] = {}
    numbers: dict[str, int] = {}
    # The person's own language last: what means two things means what it says there.
    for say in (str, _in_line):
        terms |= {tuple(say(words).lower().split()): meaning for words, meaning in _terms()}
        small |= {say(word).lower(): word for word in SMALL_WORDS}
        numbers |= {say(word).lower(): n for word, n in _ORDINALS.items()}
    return Vocabulary(terms, small, numbers)


TOKEN = re.compile(r"[+,;|]|[^\s+,;|]+")
PLACE = re.compile(r"([eEbBgGdDaA])([0-9]{1,2})$")
RISE = re.compile(r"([0-9]{1,3}(?:\.[0-9]{1,6})?|\.[0-9]{1,6})s$")
_SHARE = re.compile(r"([0-9]{1,3}(?:\.[0-9]{1,6})?)%$")
FRET = re.compile(r"([0-9]{1,2})$")


class LineError(ScoreError):
    """A line that cannot be read: start and end of the word at fault."""

    def __init__(self, pattern: str | Clause, start: int, end: int, **values: object) -> None:
        super().__init__(pattern, **values)
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

    @property
    def small(self) -> str:
        """Which of the small words it is, in English; '' for another."""
        return vocabulary().small.get(self.low, "")


DIALECTS = (
    Dialect(), Dialect(fret_first=True), Dialect(tones=True), Dialect(fret_first=True, tones=True),
    Dialect(by_number=True), Dialect(fret_first=True, by_number=True, tones=True),
)  # fmt: skip
"""Those that a person may choose from."""


def written_line(notes: Sequence[PassageNote], dialect: Dialect = Dialect()) -> str:
    """Notes as a line; read_line gives them back."""
    out: list[str] = []
    for s in notes:
        words = [_place(s, dialect)]
        if s.attack is not Attack.PICK:
            words.insert(0, _in_line(_ATTACKS[s.attack][0]))
        if s.bend:
            words += _bend(*s.bend, tones=dialect.tones)
            if s.rise is not None:
                words += [_in_line("over"), f"{s.rise:g}s"]
        if s.vibrato:
            words.append(_in_line(_VIBRATO[0]))
        words += [_in_line(_MARKS[m][0]) for m in Mark if m in s.marks]
        if s.raked_from is not None:
            words += [_in_line("from"), str(s.raked_from)]
        if s.sounding is not None:
            words += [_in_line("sounding"), f"{s.sounding * 100:g}%"]
        if s.finger is not None:
            words.append(_in_line(_FINGERS[s.finger]))
        out.append(("+ " if s.together and out else "") + " ".join(words))
    return ", ".join(out).replace(", +", " +")


def _place(s: PassageNote, dialect: Dialect) -> str:
    string, on = _in_line("string"), _in_line("on")
    # Strings beyond the sixth have no letter of their own.
    if dialect.by_number or s.string > len(_LETTERS):
        if dialect.fret_first:
            return f"{s.fret} {on} {string} {s.string}"
        return f"{string} {s.string} {_in_line('fret')} {s.fret}"
    if dialect.fret_first:
        letter = _LETTERS[s.string - 1]
        side = {1: "high", 6: "low"}.get(s.string)
        called = f"{_in_line(side)} E" if side else letter
        return f"{s.fret} {on} {_in_line('the')} {called}"
    return f"{_LETTERS[s.string - 1]}{s.fret}"


def _bend(kind: BendKind, cents: int, *, tones: bool) -> list[str]:
    released = {v: k for k, v in RELEASED.items()}
    words = [_in_line(_KINDS[released.get(kind, kind)][0])]
    if kind is not BendKind.CURL or cents != 50:
        words.append(_in_line((_TONES if tones else _STEPS)[cents]))
    return [*words, _in_line(_RELEASE[0])] if kind in released else words


def read_line(text: str) -> list[PassageNote]:
    """The notes a line says, in order. Raises LineError at the first word that cannot be understood."""
    return _Reader(tokens(text)).notes()


def completions(text: str, cursor: int) -> list[str]:
    """Words that the one being typed before the cursor may become, the likeliest first."""
    begun = re.search(r"[^\s+,;|]*$", text[:cursor])
    stem = begun[0].lower() if begun else ""
    if not stem or stem[0].isdigit():
        return []
    own = {_in_line(words).lower() for words, _ in _terms()}
    words = sorted(w for w in own if len(w) > 2 and w.startswith(stem))
    return [w for w in words if w != stem]


def tokens(text: str) -> list[Token]:
    """The words of a line, with their places in it."""
    return [Token(m[0], m.start(), m.end()) for m in TOKEN.finditer(text)]


def unknown(token: Token) -> LineError:
    """That a word is not known, with those it may have been."""
    own = {_in_line(words).lower() for words, _ in _terms()} | {_in_line(word).lower() for word in _NUMBERED}
    close = difflib.get_close_matches(token.low, sorted(own), n=1, cutoff=0.6)
    if not close:
        return LineError("'{word}' is not a word of the line", token.start, token.end, word=token.text)
    return LineError(
        "'{word}' is not a word of the line; did you mean '{close}'?", token.start, token.end, word=token.text,
        close=close[0],
    )  # fmt: skip


class _Reader:
    """Goes through the words from left to right, filling one note after another."""

    def __init__(self, tokens: list[Token]) -> None:
        self._tokens, self._at = tokens, 0
        self._found: list[PassageNote] = []
        self._attack: tuple[Attack, Token] | None = None
        self._together = False

    def notes(self) -> list[PassageNote]:
        while self._at < len(self._tokens):
            token = self._tokens[self._at]
            if token.text in ",;|":
                self._at += 1
            elif token.text == "+":
                self._need_note(token, Clause("'+' joins a note to the one before it"))
                self._together = True
                self._at += 1
            elif not self._take_place():
                self._take_word()
        if self._attack is not None:
            _, token = self._attack
            raise LineError("after '{text}' a fret is missing", token.start, token.end, text=token.text)
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
        if token.small == "open":
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
        if token.small == "fret":
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
        if self._at < len(self._tokens) and self._tokens[self._at].small in words:
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
            raise LineError(
                "'{text}' is no string: say e, B, G, D, A, E, or 1 to 8", token.start, token.end, text=token.text
            )
        self._skip("string")
        return string

    def _string_words(self, *, after_on: bool = False) -> int | None:
        """'high E', 'string 3', 'third', and after 'on' also a bare letter or number."""
        if self._at >= len(self._tokens):
            return None
        token = self._tokens[self._at]
        following = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else None
        if token.small in ("high", "low") and following is not None and following.low == "e":
            self._at += 2
            return 1 if token.small == "high" else 6
        if token.small == "string" and following is not None and following.text in _STRINGS:
            self._at += 2
            return int(following.text)
        if not after_on:
            return None
        if token.text in ("e", "E", *"bBgGdDaA"):
            self._at += 1
            return string_of(token.text)
        counted = re.match(r"([1-8])(st|nd|rd|th)?$", token.low)
        string = int(counted[1]) if counted else vocabulary().numbers.get(token.low)
        if string is not None:
            self._at += 1
        return string

    def _same_string(self, token: Token) -> int:
        if not self._found:
            raise LineError(
                "the first note needs its string, such as G{text} or {text} on the G", token.start, token.end,
                text=token.text,
            )  # fmt: skip
        return self._found[-1].string

    def _add(self, string: int, fret: int, first: int) -> None:
        start, end = self._tokens[first].start, self._tokens[self._at - 1].end
        try:
            note = PassageNote(string, fret, together=self._together, span=(start, end))
        except ScoreError as error:
            raise LineError(error.clause, start, end) from None
        if self._attack is not None:
            note = replace(note, attack=self._attack[0])
        self._attack, self._together = None, False
        self._found.append(note)

    # -- words -------------------------------------------------------------------------------------------------------

    def _take_word(self) -> None:
        token = self._tokens[self._at]
        if token.small in _NUMBERED:
            _NUMBERED[token.small](self, token)
            return
        known = vocabulary()
        for length in range(min(known.longest, len(self._tokens) - self._at), 0, -1):
            words = tuple(t.low for t in self._tokens[self._at : self._at + length])
            if words in known.terms:
                self._at += length
                self._mean(*known.terms[words], token)
                return
        if token.small == "on":
            raise LineError("this note has its string already", token.start, token.end)
        raise unknown(token)

    def _take_rise(self, token: Token) -> None:
        """'over 0.8s': how long a slow bend takes to its top."""
        note = self._need_note(token, Clause("it says how long a bend rises"))
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
        note = self._need_note(token, Clause("it says on which string a rake begins"))
        if note.attack is not Attack.RAKE:
            raise LineError("only a rake begins on another string; say 'rake' first", token.start, token.end)
        said = self._tokens[self._at + 1] if self._at + 1 < len(self._tokens) else token
        if said.text not in _STRINGS:
            raise LineError("after 'from' say the string's number, such as 'from 6'", token.start, said.end)
        self._at += 2
        self._change(raked_from=int(said.text))

    def _take_sounding(self, token: Token) -> None:
        """'sounding 50%': the share of its value that is heard."""
        self._need_note(token, Clause("it says how much of a note is heard"))
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
                self._need_note(token, Clause("say the note it belongs to first"))
                self._change(attack=meaning)
            return
        note = self._need_note(token, Clause("say the note it belongs to first"))
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
            following = self._tokens[self._at] if self._at < len(self._tokens) else None
            if following is not None and following.text in _STEPS_OR_FRET:
                raise LineError(
                    "'{text}' may be steps or a fret: say 'bend {steps}', or put a comma before the fret",
                    following.start, following.end, text=following.text, steps=_STEPS_OR_FRET[following.text],
                )  # fmt: skip
        elif kind == "interval":
            assert isinstance(meaning, int)
            if note.bend is None:
                raise LineError(
                    "'{text}' says how far a bend goes; say 'bend' first", token.start, token.end, text=token.text
                )
            self._change(bend=(note.bend[0], meaning))
        else:
            self._release(note, token)

    def _release(self, note: PassageNote, token: Token) -> None:
        if note.bend is None or note.bend[0] not in RELEASED:
            raise LineError("there is no bend here to release; say 'bend' first", token.start, token.end)
        self._change(bend=(RELEASED[note.bend[0]], note.bend[1]))

    def _place_follows(self) -> bool:
        if self._at >= len(self._tokens):
            return False
        token = self._tokens[self._at]
        return bool(
            PLACE.match(token.text)
            or FRET.match(token.text)
            or token.small in ("open", "string", "fret", "high", "low")
        )

    def _need_note(self, token: Token, remedy: Clause) -> PassageNote:
        if not self._found:
            raise LineError(
                "'{text}' stands before any note; {remedy}", token.start, token.end, text=token.text, remedy=remedy
            )
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
