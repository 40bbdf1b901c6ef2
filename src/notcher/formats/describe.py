"""Descriptions of notes in the words of the line: "curl 7", "G bend whole", "hammer on the B", "doubtful".

What finds notes and what they are to become are said alike (docs/LINE.md).
"""

from dataclasses import replace

from notcher.formats.line import FRET, PLACE, RELEASED, LineError, Token, string_of, tokens, unknown, vocabulary
from notcher.score.find import Description, Standing
from notcher.score.note import Attack, BendKind, Mark
from notcher.score.tuning import HIGHEST_FRET, MOST_STRINGS

_SMALL = frozenset(
    ["a", "all", "any", "fret", "frets", "note", "notes", "on", "the", "string", "with", "and", "step", "steps"]
)
_STRINGS = frozenset("ebgda")
_NO = frozenset({"no", "not", "without"})


def read_description(text: str) -> Description:
    """What the words ask of a note. Raises LineError at the first that cannot be understood."""
    words = tokens(text)
    found, at = Description(), 0
    while at < len(words):
        token = words[at]
        if token.small in _NO and at + 1 < len(words):
            found, at = _denied(found, words, at + 1)
        elif token.text in ",;|":
            at += 1
        elif at and words[at - 1].small in ("on", "the") and token.low in _STRINGS:
            # 'b' is short for bend elsewhere.
            found, at = replace(found, string=string_of(token.text)), at + 1
        elif (length := _known(words, at)) > 0:
            found, at = _meant(found, words, at, length), at + length
        elif token.small in _SMALL:
            at += 1
        elif (taken := _place(found, words, at)) is not None:
            found, at = taken
        else:
            raise unknown(token)
    return found


def _known(words: list[Token], at: int) -> int:
    """How many words from here on have a meaning together, 0 for none; the plural counts too."""
    for length in range(min(vocabulary().longest, len(words) - at), 0, -1):
        if _key(words[at : at + length]) is not None:
            return length
    return 0


def _key(words: list[Token]) -> tuple[str, ...] | None:
    known = vocabulary().terms
    plain = tuple(t.low for t in words)
    if plain in known:
        return plain
    singular = (*plain[:-1], plain[-1].removesuffix("s"))
    return singular if singular in known else None


def _meant(found: Description, words: list[Token], at: int, length: int) -> Description:
    token = words[at]
    key = _key(words[at : at + length])
    assert key is not None
    kind, meaning = vocabulary().terms[key]
    match kind:
        case "attack":
            assert isinstance(meaning, Attack)
            return replace(found, attack=meaning)
        case "mark":
            assert isinstance(meaning, Mark)
            return replace(found, marks=found.marks | {meaning})
        case "vibrato":
            return replace(found, vibrato=True)
        case "interval":
            assert isinstance(meaning, int)
            return replace(found, cents=meaning, bent=True)
        case "finger":
            assert isinstance(meaning, int)
            return replace(found, finger=meaning)
        case "release":
            if found.kind not in RELEASED:
                raise LineError("there is no bend here to release; say 'bend' first", token.start, token.end)
            return replace(found, kind=RELEASED[found.kind])
        case _:
            assert isinstance(meaning, BendKind)
            return replace(found, kind=meaning, bent=True)


def _denied(found: Description, words: list[Token], at: int) -> tuple[Description, int]:
    """'no bend', 'no vibrato', 'no palm mute'."""
    length = _known(words, at)
    if length == 0:
        raise unknown(words[at])
    key = _key(words[at : at + length])
    assert key is not None
    kind, meaning = vocabulary().terms[key]
    if kind == "mark":
        assert isinstance(meaning, Mark)
        return replace(found, without=found.without | {meaning}), at + length
    if kind == "vibrato":
        return replace(found, vibrato=False), at + length
    if kind == "bend":
        return replace(found, bent=False), at + length
    token = words[at]
    raise LineError(
        "'no {text}' says nothing; a note can be without a bend, vibrato or mark",
        token.start,
        token.end,
        text=token.text,
    )


def _place(found: Description, words: list[Token], at: int) -> tuple[Description, int] | None:
    token = words[at]
    following = words[at + 1].low if at + 1 < len(words) else ""
    named = PLACE.match(token.text)
    if named:
        return replace(found, string=string_of(named[1]), fret=_fret(int(named[2]), token)), at + 1
    if token.small in ("high", "low") and following == "e":
        return replace(found, string=1 if token.small == "high" else 6), at + 2
    before = words[at - 1].small if at else ""
    number = FRET.match(token.text)
    if number and before == "string":
        if not 1 <= int(token.text) <= MOST_STRINGS:
            raise LineError(
                "strings go from 1 (thinnest) to {most_strings}, got {text}",
                token.start,
                token.end,
                most_strings=MOST_STRINGS,
                text=token.text,
            )
        return replace(found, string=int(token.text)), at + 1
    if number:
        return replace(found, fret=_fret(int(token.text), token)), at + 1
    if token.small == "open":
        return replace(found, fret=0), at + 1
    if token.small == "bent":
        return replace(found, bent=True), at + 1
    if token.low in _STRINGS:
        return replace(found, string=string_of(token.text)), at + 1
    if token.small in set(Standing):
        return replace(found, standing=Standing(token.small)), at + 1
    return None


def _fret(fret: int, token: Token) -> int:
    if fret > HIGHEST_FRET:
        raise LineError(
            "frets go from 0 (open) to {highest_fret}, got {fret}",
            token.start,
            token.end,
            highest_fret=HIGHEST_FRET,
            fret=fret,
        )
    return fret
