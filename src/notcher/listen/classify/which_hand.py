"""Which hand began a note that follows on another: picked, or hammered, pulled off, slid to or tapped.

The leap itself was weighed before (listen/candidates/single_strings.py); here the notes around it are known as well:
whether the string before rings on, which it cannot where it is the same, how far the frets lie apart, whether a bend
was just let down, and how the line goes on. A forest decides (benchmarks/fit_hand.py), once another has said whether
the finger slid (slid.py).
"""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.classify import slid
from notcher.listen.frames.ear import begun_near, most_near
from notcher.listen.frames.measure import Frames
from notcher.models.classifier import Features, classifier
from notcher.score.measured import Weighed
from notcher.score.note import CLAIMED, Attack, Maybe

# Seconds within which a note follows on the one before, and by which two begin together.
_FOLLOWS_S, _TOGETHER_S = 0.08, 0.02
# Seconds before and after a beginning at which it is listened whether the note before sounds.
_SOUNDED_S, _RINGS_S = 0.05, (0.03, 0.09)
# Half steps above which a leap is as good as any other: no hand spans more (common practice, no source).
_FAR = 9.0
# Chance from which the fretting hand began it; of one whose leap says that it was tapped much less is needed. (Of taps
# among the development phrases 12 of 190 lie under 0.2, of picks taken for taps 4 of 6.)
_FROM, _FROM_TAPPED, _TOLD = 0.5, 0.15, 3
# Chance from which a slide is asked about.
_MAY_BE_SLID = 0.3
# What it is asked of.
_ASKED = (Attack.PICK, Attack.HAMMER, Attack.PULL, Attack.SLIDE, Attack.TAP)


def with_hands(frames: Frames, notes: Sequence[HeardNote], offset_cents: float) -> list[HeardNote]:
    """The notes with how each that follows on another is reached. notes: in time order."""
    out = list(notes)
    for i, n in enumerate(notes):
        before = _before(notes, i)
        if before is None or n.attack not in _ASKED or (n.pitch == before.pitch and not _let_down(before)):
            continue
        row = _features(frames, notes, i, before, offset_cents)
        out[i] = _reached_by(n, before, row, slid.features(frames, n, before, offset_cents, row))
    return out


def _reached_by(n: HeardNote, before: HeardNote, row: Features, way: Features) -> HeardNote:
    """The note slid to where that is likely enough; else as a hand began it, a slide asked where it may be one. way: as
    slid.py measures it."""
    asked = classifier("slide")
    chance = asked.chance(way, time=n.onset, pitch=float(n.pitch))
    if chance >= CLAIMED:
        return _reached(n, before, Attack.SLIDE, chance, chance, asked.because(way, yes=True, most=_TOLD))
    begun = _begun_by_a_hand(n, before, row)
    if chance < _MAY_BE_SLID:
        return begun
    return replace(begun, maybe=(*begun.maybe, Maybe(round(chance, 3), attack=Attack.SLIDE)))


def _begun_by_a_hand(n: HeardNote, before: HeardNote, row: Features) -> HeardNote:
    """The note picked, hammered, pulled off or tapped."""
    asked = classifier("hand")
    chance = asked.chance(row, time=n.onset, pitch=float(n.pitch))
    by_hand = chance >= (_FROM_TAPPED if n.attack is Attack.TAP else _FROM)
    attack = Attack.PICK
    if by_hand:
        fingered = Attack.HAMMER if n.pitch > before.pitch else Attack.PULL
        attack = Attack.TAP if n.attack is Attack.TAP else fingered
    # Whether it was tapped was asked before (belief.py); this only says which hand.
    sure = n.sure.attack if n.sure is not None and attack is Attack.TAP else max(chance, 1 - chance)
    return _reached(n, before, attack, chance, sure, asked.because(row, yes=by_hand, most=_TOLD))


def _reached(
    n: HeardNote, before: HeardNote, attack: Attack, by_hand: float, sure: float, why: tuple[Weighed, ...]
) -> HeardNote:
    # What was found beside the contour has no leap of its own: it lies as far from the note before as it is heard.
    leap = n.evidence.jump_cents or 100.0 * (n.pitch - before.pitch)
    evidence = replace(n.evidence, legato=round(by_hand, 3), reached=why, jump_cents=leap)
    weighed = None if n.sure is None else replace(n.sure, attack=round(sure, 3))
    return replace(n, attack=attack, evidence=evidence, sure=weighed)


def _before(notes: Sequence[HeardNote], i: int) -> HeardNote | None:
    """The note that another follows on, None after a rest."""
    n = notes[i]
    if any(abs(m.onset - n.onset) < _TOGETHER_S for m in notes[max(0, i - 5) : i + 6] if m is not n):
        return None
    before = next((m for m in reversed(notes[max(0, i - 6) : i]) if m.onset < n.onset - _TOGETHER_S), None)
    return before if before is not None and n.onset - before.end < _FOLLOWS_S else None


def _let_down(n: HeardNote) -> bool:
    return n.bend is not None and n.bend.released


def _features(
    frames: Frames, notes: Sequence[HeardNote], i: int, before: HeardNote, offset_cents: float
) -> dict[str, float]:
    n, ear, up = notes[i], frames.ear, offset_cents / 100
    struck, fingered, anywhere = begun_near(ear, n.onset, n.pitch + up)
    at = (_RINGS_S[0] + _RINGS_S[1]) / 2
    rings = most_near(ear.sounds, n.onset + at, before.pitch + up, before=at - _RINGS_S[0], after=_RINGS_S[1] - at)
    rang = most_near(ear.sounds, n.onset - _SOUNDED_S, before.pitch + up)
    p = n.evidence.legato
    earlier, later = notes[i - 2] if i > 1 else None, notes[i + 1] if i + 1 < len(notes) else None
    step = n.pitch - before.pitch
    earlier_follows = earlier is not None and before.onset - earlier.end < _FOLLOWS_S
    later_follows = later is not None and later.onset - n.end < _FOLLOWS_S
    return {
        "leap's chance": 0.0 if p is None else math.log((p + 0.01) / (1.01 - p)), "leap weighed": float(p is not None),
        "steps": min(_FAR, abs(step)), "up or down": float(np.sign(step)), "struck": struck, "fingered": fingered,
        "struck anywhere": anywhere, "flux": n.evidence.flux, "dip": n.evidence.dip_db, "rings on": rings,
        "rang before": rang, "let down": float(_let_down(before)), "since": min(1.0, n.onset - before.onset),
        "seconds": min(1.0, n.end - n.onset),
        "leap before": _near(before.pitch - earlier.pitch) if earlier is not None and earlier_follows else 0.0,
        "leap after": _near(later.pitch - n.pitch) if later is not None and later_follows else 0.0,
        "gap": n.onset - before.end, "alone": float(frames.alone),
    }  # fmt: skip


def _near(steps: int) -> float:
    return float(max(-_FAR, min(_FAR, steps)))
