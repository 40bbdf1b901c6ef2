"""A phrase's places: what is offered and why, what one word moves and what it never moves."""

from collections.abc import Sequence
from dataclasses import replace

import pytest

from notcher.formats.placing import with_places
from notcher.place.phrases import next_place, places_of, shifted, take_place
from notcher.place.solver import settle
from notcher.score.errors import ScoreError
from notcher.score.note import Bend, BendKind, Note
from notcher.score.project import Phrase, Project, Recording
from notcher.wording import render_message
from tests.conftest import note

# A minor pentatonic from 69 on down and up again, in the box at the fifth fret (common practice, no source).
_BOX = [(1, 5), (2, 8), (2, 5), (3, 7), (3, 5), (4, 7)]


def solo(*phrases: list[tuple[int, int]], each: float = 0.25) -> Project:
    """Phrases of equal notes with a second between them."""
    notes: list[Note] = []
    spans: list[Phrase] = []
    at = 1.0
    for k, places in enumerate(phrases, 1):
        begin = at
        for string, fret in places:
            notes.append(note(len(notes) + 1, at, string, fret, length=each))
            at += each
        spans.append(Phrase(f"p{k}", f"Phrase {k}", begin - 0.3, at + 0.3))
        at += 1.0
    return Project(Recording("", "0" * 64, at, 44100, 1), notes=tuple(notes), phrases=tuple(spans))


def where(project: Project, phrase: int = 0) -> list[tuple[int, int]]:
    p = project.phrases[phrase]
    return [(n.string, n.fret) for n in project.notes_between(p.start, p.end)]


def ids_of(project: Project, phrase: int) -> frozenset[str]:
    p = project.phrases[phrase]
    return frozenset(n.id for n in project.notes_between(p.start, p.end))


def taken(project: Project, phrase: int, places: Sequence[tuple[int, int]]) -> Project:
    """A place taken, and all that follows from it."""
    return settle(take_place(project, project.phrases[phrase], places), ids_of(project, phrase))


def pitches(project: Project) -> list[int]:
    return [n.pitch(project.tuning) for n in project.notes]


def test_places_differ_and_sound_the_same() -> None:
    project = solo(_BOX)
    offers = places_of(project, project.phrases[0])
    assert len(offers) == 3
    assert len({o.places for o in offers}) == 3
    assert len({o.position for o in offers}) == 3
    for offer in offers:
        assert [project.tuning.pitch(*p) for p in offer.places] == pitches(project)
    assert next(o for o in offers if o.now).places == tuple(_BOX)


def test_no_place_sends_the_hand_out_of_reach_and_back() -> None:
    """Within a phrase that one hand can hold, no offer leaves the hand's reach."""
    project = solo(_BOX)
    for offer in places_of(project, project.phrases[0], most=6):
        frets = [fret for _, fret in offer.places if fret]
        assert max(frets) - min(frets) <= 7, offer.places


def test_each_place_says_why() -> None:
    project = solo(_BOX)
    offers = places_of(project, project.phrases[0])
    said = [[render_message(c) for c in o.why] for o in offers]
    thick = max(range(3), key=lambda k: sum(s for s, _ in offers[k].places))
    assert "the thicker strings' fuller tone" in said[thick]
    bent = project.with_notes([
        replace(n, bend=Bend(BendKind.BEND, 200)) if (n.string, n.fret) == (3, 7) else n for n in project.notes
    ])  # fmt: skip
    box = next(o for o in places_of(bent, bent.phrases[0]) if o.now)
    assert "the bends lie under the third finger" in [render_message(c) for c in box.why]


def test_the_same_position_as_before_is_said() -> None:
    project = solo(_BOX, _BOX)
    now = next(o for o in places_of(project, project.phrases[1]) if o.now)
    assert "same position as the phrase before" in [render_message(c) for c in now.why]


def test_open_strings_that_ring_are_said() -> None:
    project = solo([(1, 0), (2, 3), (2, 0), (3, 2), (3, 0), (4, 2)])
    for offer in places_of(project, project.phrases[0], most=8):
        rung = sum(fret == 0 for _, fret in offer.places)
        said = [render_message(c) for c in offer.why]
        assert (f"{rung} open strings ring" in said) == (rung > 1)


def test_taking_a_place_is_the_word_for_its_first_note() -> None:
    project = solo(_BOX)
    offer = next(o for o in places_of(project, project.phrases[0]) if not o.now)
    after = take_place(project, project.phrases[0], offer.places)
    assert where(after) == list(offer.places)
    assert [n.held for n in after.notes] == [True] + [False] * (len(_BOX) - 1)
    assert not any(n.confirmed for n in after.notes)


def test_later_phrases_follow_and_are_named() -> None:
    """The same notes in the next phrase go where the person put them in the first."""
    project = solo(_BOX, _BOX)
    offer = places_of(project, project.phrases[0])[2]
    after = taken(project, 0, offer.places)
    assert where(after, 1) == list(offer.places)


def test_only_the_phrase_itself_moves_before_the_key_is_up() -> None:
    project = solo(_BOX, _BOX)
    offer = places_of(project, project.phrases[0])[2]
    after = settle(take_place(project, project.phrases[0], offer.places), ids_of(project, 0), later=False)
    assert where(after) == list(offer.places)
    assert where(after, 1) == _BOX


def test_what_is_confirmed_or_held_never_moves() -> None:
    project = solo(_BOX, _BOX, _BOX)
    notes = list(project.notes)
    for k in (2, 8):
        notes[k] = replace(notes[k], confirmed=True)
    notes[9] = replace(notes[9], held=True)
    project = project.with_notes(notes)
    for offer in places_of(project, project.phrases[0]):
        after = taken(project, 0, offer.places)
        for k in (2, 8, 9):
            assert (after.notes[k].string, after.notes[k].fret) == (notes[k].string, notes[k].fret)


def test_nothing_moves_in_phrases_before() -> None:
    project = solo(_BOX, _BOX)
    offer = next(o for o in places_of(project, project.phrases[1]) if not o.now)
    assert where(taken(project, 1, offer.places)) == _BOX


def test_towards_thicker_and_back() -> None:
    project = solo(_BOX)
    thicker = shifted(project, project.phrases[0], -1)
    assert sum(s for s, _ in where(thicker)) > sum(s for s, _ in _BOX)
    assert pitches(thicker) == pitches(project)
    back = shifted(thicker, thicker.phrases[0], 1)
    assert sum(s for s, _ in where(back)) < sum(s for s, _ in where(thicker))


def test_where_the_strings_end_it_is_said() -> None:
    project = solo([(1, 20), (1, 22), (1, 20)])
    with pytest.raises(ScoreError, match="no place on thinner strings"):
        next_place(project, project.phrases[0], 1)
    low = solo([(6, 1), (6, 3), (6, 1)])
    with pytest.raises(ScoreError, match="no place on thicker strings"):
        next_place(low, low.phrases[0], -1)


def test_a_phrase_of_one_note_has_places() -> None:
    project = solo([(2, 5)])
    found = {o.places for o in places_of(project, project.phrases[0], most=6)}
    assert ((1, 0),) in found
    assert ((2, 5),) in found


def test_a_phrase_without_notes_has_none() -> None:
    project = solo(_BOX)
    empty = replace(project, phrases=(Phrase("p1", "", 3.2, 3.4),))
    assert places_of(empty, empty.phrases[0]) == []
    with pytest.raises(ScoreError, match="no notes in this phrase"):
        take_place(empty, empty.phrases[0], [])


def test_what_was_offered_before_an_edit_is_not_taken_after_it() -> None:
    project = solo(_BOX)
    with pytest.raises(ScoreError, match="changed meanwhile"):
        take_place(project, project.phrases[0], _BOX[:-1])


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"pitch": 60.0}, "has the pitch 60.0; write a whole number"), ({"id": "n2"}, "two notes have the id 'n2'"),
        ({"pitch": 41, "onset": 0.5}, "fit only string 6 together"),
    ],
)  # fmt: skip
def test_what_cannot_be_placed_is_told_in_a_sentence(change: dict[str, object], sentence: str) -> None:
    notes = [
        {"id": "n1", "onset": 0.0, "duration": 0.4, "pitch": 60, **change},
        {"id": "n2", "onset": 0.5, "duration": 0.4, "pitch": 40},
    ]
    document = {"format": "notcher-notes", "tuning": [64, 59, 55, 50, 45, 40], "notes": notes}
    with pytest.raises(ScoreError, match=sentence):
        with_places(document)


def test_a_note_in_two_phrases_is_told() -> None:
    notes = [{"id": f"n{k}", "onset": 0.5 * k, "duration": 0.4, "pitch": 60 + k} for k in range(3)]
    document = {"format": "notcher-notes", "tuning": [64, 59, 55, 50, 45, 40], "notes": notes,
                "phrases": [["n0", "n1"], ["n1", "n2"]]}  # fmt: skip
    with pytest.raises(ScoreError, match="'n1' is in phrase 1 and in phrase 2"):
        with_places(document)


def test_a_slide_is_never_to_or_from_an_open_string() -> None:
    """Common practice, no source: a slide needs a finger on the string at both ends."""
    for low, high in ((64, 66), (59, 61), (57, 55)):
        notes = [
            {"id": "a", "onset": 0.0, "duration": 0.5, "pitch": low},
            {"id": "b", "onset": 0.5, "duration": 0.5, "pitch": high, "attack": "slide"},
        ]
        document = {"format": "notcher-notes", "tuning": [64, 59, 55, 50, 45, 40], "notes": notes}
        placed = with_places(document, offer=3)
        assert all(n["fret"] > 0 for n in placed["notes"])
        for offer in placed["phrases"][0]["offered"]:
            frets = [fret for _, fret in offer["places"] if fret]
            assert max(frets) - min(frets) <= 7, "an offer names a position"
