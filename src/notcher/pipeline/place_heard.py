"""Heard notes put on the neck, all of a solo or one among others."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

from notcher.listen.candidates.heard_note import HeardNote
from notcher.place.harmonics import Node, likeliest_node
from notcher.place.solver import place
from notcher.place.wanted import Wanted
from notcher.score.edits import SHORTEST_NOTE, new_note_id
from notcher.score.errors import ScoreError
from notcher.score.gap import Gap
from notcher.score.measured import Measured
from notcher.score.note import Attack, Mark, Note, struck_together
from notcher.score.pitch import harmonic_rise
from notcher.score.project import Phrase, Project, phrase_number
from notcher.score.tuning import Tuning
from notcher.teach.phrasing import propose_phrases

_AROUND = 6


def placed_notes(
    heard: Iterable[HeardNote], tuning: Tuning, *, phrases: Sequence[Phrase] = (), beside: Sequence[Note] = ()
) -> list[Note]:
    """Heard notes with a string and a fret each, numbered n1, n2 ...

    phrases: of the solo; those that would be proposed, where it has none. beside: notes that are settled already, which
    the hand comes from and goes to; what is struck with one of them is placed by itself.
    """
    ordered = sorted(heard, key=lambda n: (n.onset, -n.pitch))
    settled = [n for n in beside if not any(struck_together(n.onset, h.onset) for h in ordered)]
    ordered, nodes = _with_nodes(ordered, tuning)
    cut = phrases or propose_phrases([*ordered, *settled], duration=math.inf)
    wanted = [
        Wanted(n.onset, n.end, _fretted(n, tuning), n.attack, n.bend.target_cents if n.bend else 0,
               n.vibrato is not None, phrase=phrase_number(cut, n.onset),
               place=(nodes[k].string, nodes[k].fret) if k in nodes else None)
        for k, n in enumerate(ordered)
    ]  # fmt: skip
    wanted += [Wanted.of(n, tuning, fixed=True, phrase=phrase_number(cut, n.onset)) for n in settled]
    order = sorted(range(len(wanted)), key=lambda i: wanted[i].onset)
    found = dict(zip(order, place([wanted[i] for i in order], tuning), strict=True))
    return [
        Note(
            f"n{i}", h.onset, h.end, p.string, p.fret, attack=h.attack, bend=h.bend, vibrato=h.vibrato, marks=h.marks,
            confidence=h.confidence, evidence=h.evidence, sure=h.sure, maybe=h.maybe,
            partial=nodes[i - 1].partial if i - 1 in nodes else _partial(h, tuning),
        )
        for i, (h, p) in enumerate(((h, found[k]) for k, h in enumerate(ordered)), 1)
    ]  # fmt: skip


def _with_nodes(heard: list[HeardNote], tuning: Tuning) -> tuple[list[HeardNote], dict[int, Node]]:
    """The notes, natural harmonics only where a node of this tuning sounds them, and the node of each by its place in
    the list."""
    out: list[HeardNote] = []
    nodes: dict[int, Node] = {}
    last: tuple[Node, float] | None = None
    for k, n in enumerate(heard):
        if Mark.NATURAL_HARMONIC in n.marks:
            node = likeliest_node(n.pitch, tuning, last[0] if last else None, n.onset - last[1] if last else 0.0)
            if node is None:
                n = replace(n, marks=n.marks - {Mark.NATURAL_HARMONIC})
            else:
                nodes[k], last = node, (node, n.onset)
        out.append(n)
    return out, nodes


def _fretted(n: HeardNote, tuning: Tuning) -> int:
    """The pitch that is pressed down: under a pinch harmonic that of the string it squeals on."""
    partial = _partial(n, tuning)
    return n.pitch if partial is None else round(n.pitch - harmonic_rise(partial))


def _partial(n: HeardNote, tuning: Tuning) -> int | None:
    """Which partial of its string a pinch harmonic is, where the neck has that string's pitch."""
    if n.partial is None or Mark.PINCH_HARMONIC not in n.marks:
        return None
    return n.partial if tuning.places(round(n.pitch - harmonic_rise(n.partial))) else None


def placed_among(project: Project, heard: HeardNote) -> Note:
    """A heard note with a place by the hand around it; it counts as added by hand, and so as confirmed.

    Raises ScoreError where it is not on the neck.
    """
    before = [n for n in project.notes if n.onset <= heard.onset][-_AROUND:]
    after = [n for n in project.notes if n.onset > heard.onset][:_AROUND]
    if not project.tuning.places(heard.pitch):
        raise ScoreError("the pitch heard here is not on the neck in this tuning; check the tuning")
    mine = Wanted(
        heard.onset, heard.end, heard.pitch, heard.attack, heard.bend.target_cents if heard.bend else 0,
        heard.vibrato is not None,
    )  # fmt: skip
    around = [Wanted.of(n, project.tuning, fixed=True) for n in (*before, *after)]
    wanted = [*around[: len(before)], mine, *around[len(before) :]]
    found = place(wanted, project.tuning)[len(before)]
    following = next((n for n in after if n.string == found.string), None)
    end = heard.end if following is None else max(heard.onset + SHORTEST_NOTE, min(heard.end, following.onset))
    return Note(
        new_note_id(project), heard.onset, end, found.string, found.fret, attack=heard.attack, bend=heard.bend,
        vibrato=heard.vibrato, marks=heard.marks, confidence=heard.confidence, confirmed=True, by_hand=True,
        evidence=None,
    )  # fmt: skip


def note_in_gap(project: Project, gap: Gap) -> Project:
    """The project with the note that may be missing in a gap, placed by the hand around it. Raises ScoreError where it
    is not on the neck."""
    heard = HeardNote(
        gap.start, gap.end, gap.midi, Attack.PICK, None, None, frozenset(), gap.chance, Measured()
    )  # fmt: skip
    return project.with_notes([*project.notes, placed_among(project, heard)])
