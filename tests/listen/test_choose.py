"""Which candidates become notes: each rule on candidates and chances given by hand."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.listen.candidates.gather import Candidates
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.candidates.tuning_offset import Offset
from notcher.listen.classify.belief import KEPT, Belief
from notcher.listen.classify.confirmed_notes import Known
from notcher.listen.classify.judge import Classified
from notcher.listen.decide.choose import chosen_of
from notcher.listen.decide.plainer import as_reached
from notcher.listen.frames.contour import Trace
from notcher.models.classifier import FeatureTable, classifier
from notcher.score.measured import Measured
from notcher.score.note import CLAIMED, Attack, Bend, BendKind, Mark, Maybe
from notcher.score.sure import Sure

WHOLE = Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.2, 200.0), (0.5, 200.0)))
SURE = Belief(0.9, 0.9, 0.9, 0.9, 0.9)


def note(onset: float, pitch: int = 64, length: float = 0.5, attack: Attack = Attack.PICK, **more: object) -> HeardNote:
    made = HeardNote(onset, onset + length, pitch, attack, None, None, frozenset(), 0.5, Measured())
    return replace(made, **more)  # type: ignore[arg-type]


def classified(*judged: tuple[HeardNote | Candidate, Belief], **columns: list[float]) -> Classified:
    notes = tuple(n if isinstance(n, Candidate) else Candidate(n) for n, _ in judged)
    usual = dict.fromkeys(classifier("note").names, 0.0)
    rows = [usual | {name: values[i] for name, values in columns.items()} for i in range(len(notes))]
    silent = Trace.silent(10)
    candidates = Candidates(notes, (), silent, silent, Offset(0.0, 0.0, len(notes)), None)
    return Classified(candidates, FeatureTable.of(rows), tuple(belief for _, belief in judged))


def believed(chance: float) -> Belief:
    return replace(SURE, note=chance)


def test_from_its_chance_on_it_is_a_note_and_what_is_left_out_may_be_marked() -> None:
    judged = classified(
        (note(2.0, 67), believed(KEPT)), (note(0.0), believed(0.9)), (note(1.0, 65), believed(KEPT - 0.01)),
        (note(3.0, 60), believed(0.05)),
    )  # fmt: skip
    notes, gaps, left = chosen_of(judged)
    assert [(n.onset, n.confidence) for n in notes] == [(0.0, 0.9), (2.0, KEPT)]
    assert [(g.start, g.midi, g.chance) for g in gaps] == [(1.0, 65, KEPT - 0.01)]
    assert [(n.onset, n.confidence) for n in left] == [(1.0, KEPT - 0.01), (3.0, 0.05)]


def test_no_note_twice_the_likelier_stays() -> None:
    judged = classified((note(1.0), believed(0.6)), (note(1.04), believed(0.8)), (note(1.08), believed(0.7)))
    notes, _, left = chosen_of(judged)
    assert [n.onset for n in notes] == [1.04]
    assert left == (), "what is the same note is not said to be missing"
    other_pitch = classified((note(1.0), believed(0.6)), (note(1.04, 69), believed(0.8)))
    assert len(chosen_of(other_pitch)[0]) == 2


@pytest.mark.parametrize(("chance", "marks"), [(KEPT, {Mark.BAR_SCOOP}), (KEPT - 0.01, set())])
def test_what_the_bar_does_goes_to_the_likelier_reading_of_the_same_note(chance: float, marks: set[Mark]) -> None:
    scooped = note(1.01, marks=frozenset({Mark.BAR_SCOOP}))
    notes, *_ = chosen_of(classified((note(1.0), believed(0.8)), (scooped, believed(chance))))
    assert [(n.onset, set(n.marks)) for n in notes] == [(1.0, marks)]


def test_a_note_that_another_cuts_ends_there() -> None:
    whole = note(1.0, length=1.0, bend=WHOLE)
    shorter = replace(whole, end=1.5, bend=None)
    cut = Candidate(note(1.5), cuts=(whole, shorter))
    notes, *_ = chosen_of(classified((whole, SURE), (cut, SURE)))
    assert [(n.onset, n.end, n.bend) for n in notes] == [(1.0, 1.5, None), (1.5, 2.0, None)]
    # What is left of a bend that is not likely enough is no more written than the whole of it.
    doubtful = replace(SURE, bend=0.5)
    rest = Candidate(note(1.5), cuts=(whole, replace(whole, end=1.5)))
    notes, *_ = chosen_of(classified((whole, doubtful), (rest, SURE)))
    assert [(n.end, n.bend, len(n.maybe)) for n in notes] == [(1.5, None, 1), (2.0, None, 0)]
    # Where what would cut it is no note, it stays whole.
    notes, *_ = chosen_of(classified((whole, SURE), (cut, believed(0.2))))
    assert [(n.end, n.bend is not None) for n in notes] == [(2.0, True)]


def test_strings_of_one_stroke_begin_together() -> None:
    notes, *_ = chosen_of(
        classified((note(1.0), SURE), (note(1.02, 69), SURE), (note(2.0), SURE), (note(2.03, 69), SURE))
    )
    assert [n.onset for n in notes] == [1.0, 1.0, 2.0, 2.03]
    hammered = note(1.02, 66, attack=Attack.HAMMER)
    notes, *_ = chosen_of(classified((note(1.0), SURE), (hammered, SURE)))
    assert [n.onset for n in notes] == [1.0, 1.02]


@pytest.mark.parametrize(("held", "kind"), [(0.9, BendKind.UNISON), (0.1, BendKind.BEND)])
def test_a_unison_bend_has_its_held_string_or_is_a_bend(held: float, kind: BendKind) -> None:
    bent = note(1.0, 64, bend=replace(WHOLE, kind=BendKind.UNISON))
    notes, *_ = chosen_of(classified((bent, SURE), (note(1.01, 66), replace(SURE, note=held))))
    assert {n.pitch: n.bend.kind for n in notes if n.bend is not None} == {64: kind}
    assert len(notes) == (2 if kind is BendKind.UNISON else 1)


@pytest.mark.parametrize(("kind", "written"), [(BendKind.BEND, 64), (BendKind.PRE_BEND_RELEASE, 66)])
def test_a_bend_that_is_not_likely_enough_is_asked_and_the_plainer_note_written(kind: BendKind, written: int) -> None:
    """A string that was pushed before it was struck sounds at once where it was pushed to."""
    bend = replace(WHOLE, kind=kind)
    ((found,), *_) = chosen_of(classified((note(1.0, bend=bend), replace(SURE, bend=CLAIMED - 0.01))))
    assert (found.bend, found.pitch, found.maybe) == (None, written, (Maybe(CLAIMED - 0.01, bend=bend),))
    ((found,), *_) = chosen_of(classified((note(1.0, bend=bend), replace(SURE, bend=CLAIMED))))
    assert (found.bend, found.pitch, found.maybe) == (bend, 64, ())


def test_how_a_note_is_reached_is_written_where_it_is_likely_enough() -> None:
    hammered = note(1.0, attack=Attack.HAMMER, sure=Sure(0.9, 0.9, 0.55, 0.9))
    asked = as_reached(hammered)
    assert (asked.attack, asked.maybe) == (Attack.PICK, (Maybe(0.55, attack=Attack.HAMMER),))
    assert asked.sure == Sure(0.9, 0.9, 0.45, 0.9), "how sure it is goes with what is written"
    for certain in (replace(hammered, sure=Sure(0.9, 0.9, CLAIMED, 0.9)), replace(hammered, sure=None)):
        assert as_reached(certain) == certain
    picked = replace(hammered, attack=Attack.PICK)
    assert as_reached(picked) == picked, "nothing is plainer"


def test_how_sure_each_part_is_goes_along_with_what_decided() -> None:
    belief = Belief(0.7, 0.61, 0.62, 0.63, 0.64)
    (found,), *_ = chosen_of(classified((note(1.0), belief), struck=[0.9]))
    assert found.sure is not None
    assert (found.sure.onset, found.sure.pitch, found.sure.attack, found.sure.bend) == (0.61, 0.62, 0.63, 0.64)
    assert 1 <= len(found.evidence.because) <= 4
    assert {w.what for w in found.evidence.because} <= set(classifier("note").names)


def test_what_the_person_confirmed_moves_the_chances_of_the_rest() -> None:
    """Every other candidate is soft, and none of the confirmed ones is: what is soft is believed less."""
    onsets = np.arange(40) * 0.3
    judged = classified(
        *((note(float(t)), believed(0.45)) for t in onsets), level=[0.0 if k % 2 == 0 else -20.0 for k in range(40)]
    )
    assert len(chosen_of(judged)[0]) == 40
    known = [Known(float(t), 64, False, k > 0) for k, t in enumerate(onsets[:20:2])]
    notes, *_ = chosen_of(judged, known)
    late = [round(n.onset / 0.3) for n in notes if n.onset > 6.0]
    assert late
    assert all(k % 2 == 0 for k in late)


def test_without_candidates_there_is_nothing() -> None:
    assert chosen_of(classified()) == ([], (), ())
