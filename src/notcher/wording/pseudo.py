"""A language that nobody speaks, for tests: every letter has an accent and every word is four tenths longer.

What shows no accents has not gone through the catalogues; what is cut off would be cut off in other languages too.
"""

import math
import re

PSEUDO = "pseudo"
LONGER = 0.4
PADDING = "·"
_PLAIN = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
_ACCENTED = "ÅƁÇÐÉƑĜĤÎĴĶĻṀÑÖÞǪŔŠŢÛṼŴẊÝŽåɓçðéƒĝĥîĵķļṁñöþǫŕšţûṽŵẋýž"
_LETTERS = str.maketrans(_PLAIN, _ACCENTED)
# Values, tags and entities stay; everything else is words, with what ends a word apart from it.
_KEPT = re.compile(r"(\{[^{}]*\}|%\(\w+\)[a-z]|%[sdr]|<[^<>]*>|&\w+;|\s+)")
_ENDS = re.compile(r"^(.*?)([.,:;!?)…'’\"]*)$", re.DOTALL)


def lengthened(text: str) -> str:
    """A pattern with accents and longer words; the names of values in braces stay."""
    return "".join(part if not part or _KEPT.fullmatch(part) else _longer(part) for part in _KEPT.split(text))


def _longer(word: str) -> str:
    letters = sum(c in _PLAIN for c in word)
    if not letters:
        return word
    found = _ENDS.match(word)
    assert found is not None
    return found[1].translate(_LETTERS) + PADDING * math.ceil(LONGER * letters) + found[2]
