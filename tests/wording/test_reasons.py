"""The sentence under "why" says what decided: held against the decision on every note of the demo."""

import pytest

from notcher.listen.classify.belief import KEPT
from notcher.models.classifier import classifier
from notcher.score.measured import Measured, SecondString, Weighed
from notcher.score.note import CLAIMED, Attack, Bend, BendKind, Mark, Maybe, Note
from notcher.score.project import Project
from notcher.wording.notes import maybe_words
from notcher.wording.reasons import reasons
from notcher.wording.weighed import WORDS, for_and_against, weighed_words, word_of


def test_everything_that_is_weighed_has_words() -> None:
    assert set(WORDS) == {
        word_of(what) for q in ("note", "legato", "hand", "slide", "dead", "pushed") for what in classifier(q).names
    }


def test_on_every_note_of_the_demo_the_sentence_is_the_decision(demo: Project) -> None:
    measured = [n for n in demo.notes if n.evidence is not None]
    assert len(measured) > 100
    for n in measured:
        found = n.evidence
        assert found is not None
        said = " ".join(reasons(n))
        assert f"{n.confidence * 100:.0f} % sure" in said
        assert n.confidence >= KEPT or n.by_hand
        assert all(weighed_words(w) in said for w in found.marked)
        if found.stroke:
            assert "dead string" in said
            assert found.marked
            continue
        assert found.because, "a note that was heard was weighed"
        shares = [abs(w.share) for w in found.because]
        assert shares == sorted(shares, reverse=True)
        assert sum(shares) <= 1.001
        assert all(weighed_words(w) in said for w in found.because)
        # What the instructor changed, or doubts, is no longer as it was weighed.
        as_heard = not (n.confirmed or n.doubt or n.maybe)
        if (
            as_heard
            and found.legato is not None
            and n.attack in (Attack.PICK, Attack.HAMMER, Attack.PULL, Attack.SLIDE)
        ):
            by_hand = found.legato >= CLAIMED
            assert by_hand == (n.attack is not Attack.PICK), n
            assert f"{found.legato * 100:.0f} % likely" in said
            assert f"{CLAIMED * 100:.0f} %" in said


def test_what_spoke_for_it_and_what_against() -> None:
    both = (Weighed("struck", 0.93, 0.4), Weighed("sounded before", 0.8, -0.1))
    assert for_and_against(both) == (
        "for it a stroke heard on this pitch 93 % (40 %); against it this pitch sounding before 80 % (10 %)"
    )
    assert for_and_against(both[1:]).startswith("against it")


@pytest.mark.parametrize(("legato", "attack", "word"), [(0.8, Attack.HAMMER, "80 %"), (0.2, Attack.PICK, "20 %")])
def test_a_leap_is_told_with_its_likelihood_and_limit(legato: float, attack: Attack, word: str) -> None:
    found = Measured(jump_cents=200.0, legato=legato, reached=(Weighed("dip", 1.0, 0.5),))
    said = reasons(Note("n1", 1.0, 1.3, 2, 5, attack=attack, confidence=0.9, evidence=found))
    assert word in said[0]
    assert "from 60 % on" in said[0]
    assert "dip of the level before it +1.0 dB (50 %)" in said[0]


def test_another_string_says_what_decided_as_well() -> None:
    found = Measured(other=SecondString(0.7, 1.0), because=(Weighed("struck", 0.5, 0.6),))
    said = reasons(Note("n1", 1.0, 1.3, 2, 5, confidence=0.9, evidence=found))
    assert "Another string" in said[0]
    assert "a stroke heard on this pitch 50 % (60 %)" in said[-1]


@pytest.mark.parametrize(
    ("maybe", "words"),
    [
        (Maybe(0.52, attack=Attack.HAMMER), "hammered on"), (Maybe(0.52, mark=Mark.PALM_MUTE), "palm mute"),
        (Maybe(0.52, bend=Bend(BendKind.PRE_BEND, 300)), "pre-bend 1½"),
    ],
)  # fmt: skip
def test_what_is_suggested_is_told_with_its_chance_and_limit(maybe: Maybe, words: str) -> None:
    note = Note("n1", 1.0, 1.3, 2, 5, confidence=0.9, evidence=Measured(), maybe=(maybe,))
    assert f"It may be {words}: that is 52 % likely, and from 60 % on it is written." in reasons(note)
    picked = any("picked is the likeliest" in said for said in reasons(note))
    assert picked is (maybe.attack is None), "nobody says that a note is picked where it may as well be hammered"
    assert maybe_words(maybe) == f"{words}?\n52 % likely"
