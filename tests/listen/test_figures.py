"""What several notes are together, and how a bend ends."""

from dataclasses import replace

import numpy as np

from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.decide.note_figures import with_figures
from notcher.listen.frames.measure import Frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, BendKind, Mark


def note(onset: float, pitch: int = 64, attack: Attack = Attack.PICK, lasts: float = 0.08) -> HeardNote:
    return HeardNote(onset, onset + lasts, pitch, attack, None, None, frozenset(), 0.9, Measured())


def frames(loud: float = -20.0) -> Frames:
    silent = Frames.empty(6.0, Isolation(StereoPosition.MIX), alone=True)
    return replace(silent, energy=np.full_like(silent.energy, loud))


def turns(count: int, apart: float, step: int = 2) -> list[HeardNote]:
    return [
        note(i * apart, 64 + step * (i % 2), Attack.PICK if i == 0 else Attack.HAMMER if i % 2 else Attack.PULL)
        for i in range(count)
    ]


def marked(notes: list[HeardNote], mark: Mark) -> list[int]:
    return [i for i, n in enumerate(with_figures(frames(), notes)) if mark in n.marks]


def test_quick_turns_of_two_notes_are_a_trill_written_at_the_first() -> None:
    assert marked(turns(9, 0.085), Mark.TRILL) == [0]


def test_slow_turns_are_notes_that_are_counted() -> None:
    assert marked(turns(9, 0.2), Mark.TRILL) == []


def test_two_notes_picked_in_turns_are_no_trill() -> None:
    picked = [replace(n, attack=Attack.PICK) for n in turns(9, 0.085)]
    assert marked(picked, Mark.TRILL) == []


def test_turns_of_an_octave_are_no_trill() -> None:
    assert marked(turns(9, 0.085, step=12), Mark.TRILL) == []


def test_one_pitch_struck_fast_and_evenly_is_tremolo_picking() -> None:
    assert marked([note(i * 0.09) for i in range(8)], Mark.TREMOLO) == [0]


def test_eighths_on_one_pitch_are_not() -> None:
    assert marked([note(i * 0.3) for i in range(8)], Mark.TREMOLO) == []


def test_a_few_strokes_are_not() -> None:
    assert marked([note(i * 0.09) for i in range(4)], Mark.TREMOLO) == []


def test_the_second_pitch_of_tremolo_picking_is_one_of_its_own() -> None:
    run = [note(i * 0.09, 64 if i < 8 else 67) for i in range(16)]
    assert marked(run, Mark.TREMOLO) == [0, 8]


def bent(end_cents: float = 200.0) -> HeardNote:
    shape = Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.15, 200.0), (0.5, end_cents)))
    return replace(note(1.0, lasts=0.5), bend=shape)


def test_a_bend_that_falls_silent_while_it_is_up_is_muted_there() -> None:
    sound = frames()
    sound.energy[round(1.51 / HOP) :] = -60.0
    (found,) = with_figures(sound, [bent()])
    assert found.bend is not None
    assert found.bend.kind is BendKind.MUTED


def test_a_bend_that_dies_away_or_is_followed_at_once_is_not() -> None:
    sound = frames()
    sound.energy[:] = np.linspace(-20.0, -40.0, len(sound.energy))
    for notes in ([bent()], [bent(), note(1.52)]):
        first = with_figures(sound, notes)[0]
        assert first.bend is not None
        assert first.bend.kind is BendKind.BEND
