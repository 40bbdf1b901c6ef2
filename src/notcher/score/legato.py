"""Hammer-ons, pull-offs and slides after notes were moved: what no longer follows a note on its string is picked."""

from collections.abc import Sequence
from dataclasses import replace

from notcher.score.note import Attack, Note

_LEGATO_S = 0.06


def legato_mended(notes: Sequence[Note]) -> list[Note]:
    """Notes in time order: those hammered, pulled or slid to that no longer follow one on their string, or lie on its
    fret, are picked; hammers and pulls go by whether they rise."""
    out: list[Note] = []
    last: dict[int, Note] = {}
    for n in notes:
        before = last.get(n.string)
        if n.attack in (Attack.HAMMER, Attack.PULL, Attack.SLIDE):
            follows = before is not None and n.onset - before.end < _LEGATO_S
            rises = before is not None and n.fret > before.fret
            if not follows or before is None or before.fret == n.fret:
                n = replace(n, attack=Attack.PICK)
            elif n.attack is not Attack.SLIDE:
                n = replace(n, attack=Attack.HAMMER if rises else Attack.PULL)
        out.append(n)
        last[n.string] = n
    return out
