"""A field is declared once: schema and codec are made from it. Walked as DEVELOPERS.md's row for a field says."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any

import jsonschema
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.formats.codec import from_plain, to_plain
from notcher.formats.schema import _of
from notcher.score.declared import Chance, Seconds, declared, within
from notcher.score.measured import Measured, SecondString, Weighed
from notcher.score.note import Mark, Note
from notcher.score.spelling import Tone


@dataclass(frozen=True, slots=True)
class Pedal:
    """Made for the test."""

    at: Seconds
    gain: Annotated[int, within(0, 11, "one louder")]
    tone: Tone
    marks: frozenset[Mark] = frozenset()
    knobs: tuple[tuple[Annotated[str, declared("its name")], float], ...] = ()
    share: Fraction | None = None
    place: Annotated[str, declared("where it stands", name="seat", may_lack=True)] = "floor"
    chance: Chance | None = None


WHOLE = Pedal(1.5, 7, Tone.named("F#"), frozenset({Mark.DEAD, Mark.ACCENT}), (("drive", 0.5),), Fraction(2, 3), "amp")


def test_it_stands_in_the_file_as_it_is_declared() -> None:
    plain = to_plain(WHOLE)
    assert plain == {
        "at": 1.5, "gain": 7, "tone": "F#", "marks": ["accent", "dead"], "knobs": [["drive", 0.5]], "share": "2/3",
        "seat": "amp", "chance": None,
    }  # fmt: skip
    assert all(type(mark) is str for mark in plain["marks"])
    again = from_plain(plain, Pedal)
    assert again == WHOLE
    assert all(isinstance(mark, Mark) for mark in again.marks), "a name equals its text, but is none"


def test_the_schema_says_what_was_declared() -> None:
    schema = _of(Pedal)
    assert schema["properties"]["gain"] == {"type": "integer", "minimum": 0, "maximum": 11, "description": "one louder"}
    assert set(schema["properties"]) - set(schema["required"]) == {"seat"}
    jsonschema.validate(to_plain(WHOLE), schema)
    for name, wrong in (("gain", 12), ("chance", 1.5), ("marks", ["loud"]), ("tone", "H"), ("knobs", [["drive"]])):
        with pytest.raises(jsonschema.ValidationError, match="is|does not|not valid"):
            jsonschema.validate(to_plain(WHOLE) | {name: wrong}, schema)


@pytest.mark.parametrize(
    ("name", "wrong", "match"),
    [
        ("at", "1.5", "is no number"), ("at", True, "is no number"), ("gain", 1.5, "is no whole number"),
        ("gain", None, "is no whole number"), ("tone", "H", "H"), ("marks", ["loud"], "loud"),
        ("seat", 5, "is no text"),
        ("share", "1/0", "is no part of a beat"), ("share", 0.5, "is no text"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_refused(name: str, wrong: Any, match: str) -> None:
    with pytest.raises((TypeError, ValueError, KeyError), match=match):
        from_plain(to_plain(WHOLE) | {name: wrong}, Pedal)


def test_what_stands_nowhere_is_missed() -> None:
    plain = to_plain(WHOLE)
    del plain["gain"]
    with pytest.raises(KeyError, match="gain"):
        from_plain(plain, Pedal)


def test_a_type_that_has_no_place_in_a_file_says_where_to_give_it_one() -> None:
    with pytest.raises(TypeError, match="give it a row in _PLAIN"):
        _of(complex)


_numbers = st.floats(-1e6, 1e6)


@given(
    st.builds(
        Measured, _numbers, _numbers, _numbers, _numbers, _numbers, st.booleans(),
        st.none() | st.builds(SecondString, _numbers, _numbers), st.none() | st.floats(0, 1),
        st.lists(st.builds(Weighed, st.text(max_size=9), _numbers, st.floats(-1, 1)), max_size=3).map(tuple),
        stroke=st.booleans(),
    )
)  # fmt: skip
def test_evidence_comes_back_as_it_was(evidence: Measured) -> None:
    kept = Note("n1", 0.5, 1.0, 3, 9, evidence=evidence)
    assert from_plain(to_plain(kept), Note) == kept
