"""How the bench counts techniques, and that its phrases hold what they say."""

from typing import Any

from benchmarks.techniques import NAMES, counted, played
from benchmarks.truth import Truth
from benchmarks.varied import DELAYED, DEVELOPMENT, EVALUATION, Piece

from notcher.listen.candidates.heard_note import HeardNote
from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, BendKind, Mark


def real(onset: float, pitch: int = 64, attack: str = "pick", *marks: str, kind: str = "") -> dict[str, Any]:
    return {
        "onset": onset, "duration": 0.1, "string": 2, "fret": 5, "pitch": pitch, "sounding": 0, "attack": attack,
        "marks": list(marks), "bend": {"kind": kind, "target_cents": 200} if kind else None,
    }  # fmt: skip


def said(onset: float, pitch: int = 64, attack: Attack = Attack.PICK, *marks: Mark) -> HeardNote:
    return HeardNote(onset, onset + 0.1, pitch, attack, None, None, frozenset(marks), 0.9, Measured())


def test_a_run_of_notes_is_one_trill_and_found_anywhere_in_it() -> None:
    truth = Truth([real(1.0 + 0.1 * k, 64 + 2 * (k % 2), "hammer", "trill") for k in range(8)], 0.0)
    assert [len(played(truth)[name]) for name in ("trill", "tremolo")] == [1, 0]
    found = counted(truth, [said(1.3, 64, Attack.PICK, Mark.TRILL), said(4.0, 64, Attack.PICK, Mark.TRILL)])
    assert (found["trill there"], found["trill found"], found["trill false"]) == (1, 1, 1)


def test_a_slide_is_long_from_four_frets_on() -> None:
    truth = Truth([real(1.0, 60), real(2.0, 63, "slide"), real(3.0, 70, "slide")], 0.0)
    found = counted(truth, [said(1.0, 60), said(2.0, 63, Attack.SLIDE), said(3.0, 70, Attack.SLIDE)])
    assert (found["long slide there"], found["long slide found"], found["long slide false"]) == (1, 1, 0)


def test_a_harmonic_where_no_node_is_is_not_said() -> None:
    truth = Truth([real(1.0, 64), real(2.0, 61)], 0.0)
    found = counted(
        truth, [said(1.0, 64, Attack.PICK, Mark.NATURAL_HARMONIC), said(2.0, 61, Attack.PICK, Mark.NATURAL_HARMONIC)]
    )
    assert found["natural-harmonic false"] == 1


def test_bends_are_counted_by_their_kind() -> None:
    bent = HeardNote(
        1.0, 1.5, 64, Attack.PICK, Bend(BendKind.AGAIN, 200), None, frozenset(), 0.9, Measured()
    )  # fmt: skip
    found = counted(Truth([real(1.0, kind="bend-again")], 0.0), [bent])
    assert (found["bend-again found"], found["staggered there"]) == (1, 0)


def test_every_technique_is_in_every_phrase_to_judge_by() -> None:
    """What is played is drawn from the seed alone: no sound is made here."""
    for seed in list(EVALUATION)[:3]:
        notes = Piece(seed).played[0]
        there = (
            {m for _, _, n in notes for m in n.marks} | {n.attack for _, _, n in notes} | {n.kind for _, _, n in notes}
        )
        assert {name for name in NAMES if name not in ("long slide", "slide-off")} <= there


def test_development_and_evaluation_are_apart() -> None:
    assert not set(DEVELOPMENT) & {*EVALUATION, *DELAYED}
    assert all(Piece(seed).judged for seed in (*EVALUATION, *DELAYED))
    assert not any(Piece(seed).judged for seed in DEVELOPMENT)
