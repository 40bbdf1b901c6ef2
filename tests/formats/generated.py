"""Scores made by chance, each with something of all that a page must hold; the same for the same seed."""

import random
from dataclasses import replace

from notcher.harmony.symbols import parse_chord
from notcher.score.chord import ChordAt
from notcher.score.key import Key, KeyAt
from notcher.score.note import Attack, Bend, BendKind, Mark, Note, Vibrato
from notcher.score.project import Phrase, Project, Section
from notcher.score.tempo import TempoMap
from notcher.score.tuning import NAMED, STANDARD
from tests.conftest import small_project

_RHYTHMS = ((1, 1), (0.5, 0.5, 0.5, 0.5), (1 / 3, 1 / 3, 1 / 3, 1), (0.25,) * 8, (1.5, 0.5), (0.75, 0.25, 1), (2,),
            (2 / 3, 1 / 3, 0.5, 0.5))  # fmt: skip
_CHORDS = ("F#m7", "D", "Bbmaj7", "E7", "C#m7b5", "A/C#", "G")


def generated(seed: int, *, bars: int = 16) -> Project:
    """A solo of some bars, two to a phrase."""
    r = random.Random(seed)
    bpm = r.choice((66, 92, 120, 152))
    beat = 60 / bpm
    changes = ((5, 3), (9, 4)) if seed % 3 == 0 else ()
    tempo = TempoMap(TempoMap.steady(bpm, first_beat=1.0, count=4 * bars + 8).beats, 4, 0, changes)
    notes: list[Note] = []
    at, position, last = 0.0, r.randint(0, 14), (2, 7)
    while at < 4 * bars - 3:
        if r.random() < 0.12:
            at += r.choice((0.5, 1.0, 2.0, 5.0))
            continue
        for length in r.choice(_RHYTHMS):
            string = min(6, max(1, last[0] + r.choice((-1, 0, 0, 1))))
            fret = min(22, position + r.randint(0, 4))
            onset = tempo.time_at(at)
            end = tempo.time_at(at + length * r.choice((0.97, 0.97, 0.5)))
            notes.append(_note(r, len(notes), onset, end, string, fret))
            if r.random() < 0.08 and string < 6:
                notes.append(Note(f"n{len(notes)}", onset, end, string + 1, fret, finger=r.choice((None, 2))))
            last = (string, fret)
            at += length
        if r.random() < 0.15:
            position = r.randint(0, 17)
    end = tempo.time_at(4 * bars)
    phrases = tuple(
        Phrase(f"p{k}", r.choice(("Tide", "A longer name", "Bell")) + f" {k + 1}", tempo.time_at(8 * k),
               tempo.time_at(8 * k + 8), advice=r.choice(("", "lean on the second beat")))
        for k in range(bars // 2)
    )  # fmt: skip
    chords = tuple(ChordAt(tempo.time_at(2 * k), parse_chord(r.choice(_CHORDS))) for k in range(bars * 2))
    keys: tuple[KeyAt, ...] = (KeyAt(0.0, Key.of(r.randint(0, 11), r.choice(("major", "minor")))),)
    if seed % 4 == 1:
        keys += (KeyAt(tempo.time_at(12), Key.of(r.randint(0, 11), "major")),)
    project = replace(
        small_project(), notes=(), phrases=phrases, tempo=tempo if seed % 5 else None, chords=chords, keys=keys,
        sections=(Section("A", tempo.time_at(0)), Section("B", tempo.time_at(16), like="A", less_bars=1)),
        tuning=r.choice((STANDARD, NAMED["half-step-down"], NAMED["drop-d"])),
    )  # fmt: skip
    project = replace(project, recording=replace(project.recording, duration=end + 4 * beat))
    return project.with_notes(notes)


def _note(r: random.Random, number: int, onset: float, end: float, string: int, fret: int) -> Note:
    bend = vibrato = doubt = finger = None
    attack, marks = Attack.PICK, set[Mark]()
    chance = r.random()
    if chance < 0.15 and fret:
        bend = Bend(r.choice(tuple(BendKind)), r.choice((50, 100, 200, 300)))
    elif chance < 0.35:
        attack = r.choice((Attack.HAMMER, Attack.PULL, Attack.SLIDE, Attack.TAP, Attack.RAKE))
    elif chance < 0.5:
        marks = {r.choice(sorted(set(Mark) - {Mark.NATURAL_HARMONIC, Mark.GRACE}))}
    elif chance < 0.53:
        marks = {Mark.NATURAL_HARMONIC}
        fret = r.choice((5, 7, 12))
    if r.random() < 0.12:
        vibrato = Vibrato(5.5, r.choice((15.0, 30.0, 45.0)), 0.1)
    if r.random() < 0.05:
        doubt = "under the cymbal"
    if r.random() < 0.3:
        finger = r.randint(1, 4) if fret else None
    if r.random() < 0.15:
        marks |= {r.choice((Mark.DOWN_STROKE, Mark.UP_STROKE))}
    return Note(f"n{number}", onset, max(end, onset + 0.03), string, fret, attack=attack, bend=bend, vibrato=vibrato,
                marks=frozenset(marks), doubt=doubt, finger=finger)  # fmt: skip
