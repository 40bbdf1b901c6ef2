"""Figures that come again: found where they were planted, said as they moved, and claimed nowhere else."""

import pytest
from benchmarks.figures import MOVES, drawn, is_found

from notcher.harmony.patterns import Figure, figures, solo_figures
from notcher.score.chords import set_key
from notcher.score.key import Key
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.score.tempo import TempoMap
from notcher.wording.figures import figure_words, move_words
from tests.conftest import note, small_project


def line(*places: tuple[int, int], lengths: float | list[float] = 0.25, extra: tuple[Note, ...] = ()) -> Project:
    """Places one after another, in A minor; lengths in seconds, a beat being half of one."""
    each = lengths if isinstance(lengths, list) else [lengths] * len(places)
    notes, at = [], 0.0
    for k, ((s, f), length) in enumerate(zip(places, each, strict=True)):
        notes.append(note(k, at, s, f, length=length * 0.9))
        at += length
    made = small_project().with_notes([*notes, *extra])
    made = made.with_tempo(TempoMap.steady(120, first_beat=0.0, count=60))
    return set_key(made, Key.of(9, "minor"))


def found_in(project: Project) -> Figure:
    found = figures(project, project.notes)
    assert len(found) == 1
    return found[0]


def test_a_shape_that_moves_up_the_neck() -> None:
    shape = ((3, 5), (2, 7), (3, 6), (2, 5), (1, 8))
    project = line(*shape, *((s, f + 2) for s, f in shape), *((s, f + 4) for s, f in shape))
    found = found_in(project)
    assert (found.size, len(found.playings)) == (5, 3)
    assert [move_words(p.move) for p in found.playings if p.move] == ["same again, 2 frets up"] * 2
    assert figure_words(found) == ("A figure of 5 notes comes 3 times, each 2 frets up.")


def test_a_scale_in_threes_crosses_the_beat() -> None:
    """Common practice, no source: 1 2 3, 2 3 4, 3 4 5 ... in even sixteenths begin on another part of the beat."""
    scale = [(4, 7), (4, 9), (4, 10), (3, 7), (3, 9), (3, 10), (2, 8), (2, 10)]
    project = line(*(scale[k + j] for k in range(6) for j in range(3)), lengths=0.125)
    found = found_in(project)
    assert (found.size, found.crosses) == (3, True)
    assert all(p.move is not None and p.move.steps == 1 for p in found.playings[1:])
    assert figure_words(found).startswith("The scale up in threes, 6 times, each on another part of the beat")


def test_a_lick_that_goes_round() -> None:
    project = line(*((1, 8), (2, 5), (1, 5), (2, 8)) * 4)
    assert figure_words(found_in(project)) == "A figure of 4 notes goes round 4 times."


def test_on_the_next_strings_backwards_an_octave_up_and_in_another_rhythm() -> None:
    shape = ((5, 7), (5, 10), (4, 7), (5, 8), (4, 9))
    across = line(*shape, *((s - 1, f) for s, f in shape), *((s - 2, f) for s, f in shape))
    moves = [move_words(p.move) for p in found_in(across).playings if p.move]
    assert moves == ["same again, on the next thinner string"] * 2
    back = line(*shape, (1, 3), *reversed(shape), lengths=0.3)
    assert move_words(found_in(back).playings[1].move).startswith("backwards")  # type: ignore[arg-type]
    octave = ((5, 7), (5, 10), (4, 7), (5, 8), (4, 10), (4, 9))
    higher = line(*octave, (1, 13), *((s - 2, f + 2 + (s - 2 <= 2)) for s, f in octave))
    assert "octave up" in move_words(found_in(higher).playings[1].move)  # type: ignore[arg-type]
    slower = line(*shape, *shape, *shape, lengths=[0.2, 0.4, 0.2, 0.2, 0.4] * 2 + [0.4, 0.8, 0.4, 0.4, 0.8])
    assert "half as fast" in move_words(found_in(slower).playings[2].move)  # type: ignore[arg-type]


def test_the_odd_one_out_is_named() -> None:
    shape = [(3, 5), (2, 8), (3, 7), (2, 5), (1, 8)]
    odd = [*shape]
    odd[2] = (3, 9)
    found = found_in(line(*shape, *shape, *odd))
    assert "the 3rd time its 3rd note differs" in figure_words(found)


@pytest.mark.parametrize(
    "places",
    [
        [(6, f) for f in range(3, 15)],  # a chromatic run
        [(4, 7), (4, 9), (4, 10), (3, 7), (3, 9), (3, 10), (2, 8), (2, 10), (1, 7), (1, 8)],  # a scale
        [(2, 8), (2, 10)] * 8,  # a trill written out
        [(2, 8)] * 12,  # one tone
    ],
)
def test_runs_trills_and_one_tone_are_no_figures(places: list[tuple[int, int]]) -> None:
    project = line(*places)
    assert figures(project, project.notes) == ()


def test_27_of_30_planted_figures_are_found_and_none_claimed_in_30_phrases_without() -> None:
    """On seeds, and ways of wandering, that no threshold saw (benchmarks/figures.py)."""
    planted = [drawn(7000 + k, MOVES[k % len(MOVES)], fresh=True) for k in range(30)]
    assert sum(is_found(p, figures(p.project, p.notes)) for p in planted) >= 27
    without = [drawn(7000 + k, None, fresh=True) for k in range(30)]
    assert sum(bool(figures(p.project, p.notes)) for p in without) == 0


def test_from_one_phrase_to_another() -> None:
    shape = ((3, 5), (2, 8), (3, 7), (2, 5), (1, 8), (3, 4), (2, 6))
    filler = ((1, 3), (2, 11), (4, 2), (5, 9))
    project = line(*shape, *filler, *((s, f + 5) for s, f in shape), lengths=0.5)
    cut = (Phrase("a", "First", 0.0, 4.5), Phrase("b", "Second", 4.5, 9.5))
    found = solo_figures(Project(**{f: getattr(project, f) for f in project.__dataclass_fields__} | {"phrases": cut}))
    assert [[p.start < 4.5 for p in f.playings] for f in found] == [[True, False]]


def test_what_the_demo_has_is_said(demo: Project) -> None:
    """Its script plays the tapped figure four times in sixteenths of a triplet, on two parts of the beat by turns, and
    the call twice."""
    said = [figure_words(f) for f in solo_figures(demo)]
    assert "A figure of 3 notes goes round 4 times." in said, "where two parts alternate, each is not on another"
    assert any("5 notes" in s for s in said)


@pytest.mark.parametrize("how", ["octave", "scale", "backwards"])
def test_figures_that_are_moved_or_turned_are_found_wherever_they_are_planted(how: str) -> None:
    """An octave up, by steps of the scale, and back again, in phrases no threshold saw."""
    planted = [drawn(seed, how, fresh=True) for seed in range(12_000, 12_010)]
    assert sum(is_found(p, figures(p.project, p.notes)) for p in planted) >= 8
