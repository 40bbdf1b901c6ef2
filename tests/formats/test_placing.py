"""`notcher place`: the form that is read and written, what stays, what is offered, and what is refused."""

import json
from pathlib import Path
from typing import Any

import pytest

from notcher.cli import main
from notcher.formats.placing import with_places
from notcher.score.errors import ScoreError
from notcher.score.playing import Hand

STANDARD = [64, 59, 55, 50, 45, 40]


def document(*pitches: int, **more: Any) -> dict[str, Any]:
    notes = [
        {"id": f"n{k}", "onset": 0.3 * k, "duration": 0.25, "pitch": p} for k, p in enumerate(pitches, 1)
    ]  # fmt: skip
    return {"format": "notcher-notes", "version": 1, "tuning": STANDARD, "offset_cents": 0.0, "notes": notes, **more}


LICK = (69, 72, 74, 76, 74, 72, 69, 67)


def test_all_places_are_filled_in() -> None:
    done = with_places(document(*LICK), offer=3)
    assert (done["version"], done["strings"]) == (2, 6)
    for row, pitch in zip(done["notes"], LICK, strict=True):
        assert STANDARD[row["string"] - 1] + row["fret"] == pitch
        assert row["finger"] in (1, 2, 3, 4)
        assert 0 < row["sure"]["place"] <= 1
        assert row["position"] <= row["fret"] <= row["position"] + 5
    (phrase,) = done["phrases"]
    assert phrase["notes"] == [f"n{k}" for k in range(1, 9)]
    assert len(phrase["offered"]) == 3
    assert all(len(o["places"]) == 8 for o in phrase["offered"])


def test_what_is_confirmed_stays_and_settles_the_rest() -> None:
    asked = document(*LICK)
    asked["notes"][0] |= {"string": 4, "fret": 19, "confirmed": True}
    done = with_places(asked)
    assert (done["notes"][0]["string"], done["notes"][0]["fret"]) == (4, 19)
    assert all(row["fret"] >= 14 for row in done["notes"])
    assert done["notes"][0]["sure"] == {"place": 1.0}
    assert done["phrases"][0]["offered"] == []


def test_a_place_that_is_not_confirmed_is_found_anew() -> None:
    asked = document(69)
    asked["notes"][0] |= {"string": 6, "fret": 24}
    row = with_places(asked)["notes"][0]
    assert (row["string"], row["fret"]) != (6, 24)
    no_pitch = document(69)
    del no_pitch["notes"][0]["pitch"]
    no_pitch["notes"][0] |= {"string": 1, "fret": 5}
    assert with_places(no_pitch)["notes"][0]["pitch"] == 69


def test_phrases_as_they_are_said_or_cut_at_rests() -> None:
    said = with_places(document(*LICK, phrases=[["n1", "n2", "n3"], ["n4", "n5"]]))
    assert [p["notes"] for p in said["phrases"]] == [["n1", "n2", "n3"], ["n4", "n5", "n6", "n7", "n8"]]
    apart = document(*LICK)
    for row in apart["notes"][4:]:
        row["onset"] += 2.0
    assert [len(p["notes"]) for p in with_places(apart)["phrases"]] == [4, 4]
    again = with_places(said)
    assert [p["notes"] for p in again["phrases"]] == [p["notes"] for p in said["phrases"]]


@pytest.mark.parametrize("hand", list(Hand))
@pytest.mark.parametrize("strings", [6, 7, 8])
def test_any_number_of_strings_and_every_school(hand: Hand, strings: int) -> None:
    tuning = [*STANDARD, 35, 30][:strings]
    done = with_places(document(*LICK, min(tuning) + 1, tuning=tuning), hand=hand)
    assert done["strings"] == strings
    assert done["notes"][-1]["string"] == strings


def test_open_strings_and_taps_have_no_finger() -> None:
    asked = document(40, 76)
    asked["notes"][1] |= {"attack": "tap"}
    assert [row["finger"] for row in with_places(asked)["notes"]] == [None, None]


def test_with_a_capo_frets_count_from_it_and_the_neck_ends_where_it_ends() -> None:
    done = with_places(document(*LICK, capo=3, frets=19))
    for row, pitch in zip(done["notes"], LICK, strict=True):
        assert STANDARD[row["string"] - 1] + 3 + row["fret"] == pitch
        assert row["fret"] <= 16


def test_a_phrase_with_one_note_and_none_at_all() -> None:
    assert len(with_places(document(69), offer=3)["phrases"][0]["offered"]) >= 2
    empty = with_places(document(), offer=3)
    assert (empty["notes"], empty["phrases"]) == ([], [])


def _confirmed(string: int, fret: int, pitch: int) -> dict[str, Any]:
    row = {"string": string, "fret": fret, "confirmed": True, "pitch": pitch}
    return {**document(69), "notes": [{"id": "n1", "onset": 0.3, "duration": 0.2, **row}]}


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        (document(39), "note 'n1', D♯2 at 0.30 s, is not on this guitar"),
        (document(89), "is not on this guitar: frets go from 0"),
        (document(84, frets=19), "frets go from 0 (open) to 19"),
        (_confirmed(1, 5, 70), "does not sound its A♯4"),
        (_confirmed(7, 5, 40), "strings go from 1"),
        ({**_confirmed(1, 22, 86), "frets": 19}, "frets go from 0 (open) to 19"),
        ({**_confirmed(1, 22, 89), "capo": 3}, "counted from the capo at fret 3"),
        ({**document(69), "notes": [{"id": "n1", "onset": 0.0, "duration": 0.2}]}, "neither a pitch nor a place"),
        (document(69, phrases=[["n1", "n9"]]), "names the note 'n9'"),
        (document(69, phrases=[[1]]), "phrase 1 is no list"),
        (document(69, frets=9), "a neck has 12 to 24 frets"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_by_name(asked: dict[str, Any], said: str) -> None:
    with pytest.raises(ScoreError, match=r"got \d+$|n[19]'|no list of the ids") as caught:
        with_places(asked)
    assert said in str(caught.value)


def test_two_confirmed_notes_on_one_string_at_one_time_are_refused() -> None:
    asked = document(69, 71)
    asked["notes"][0] |= {"onset": 1.0, "string": 1, "fret": 5, "confirmed": True}
    asked["notes"][1] |= {"onset": 1.01, "string": 1, "fret": 7, "confirmed": True}
    with pytest.raises(ScoreError, match="both confirmed on string 1"):
        with_places(asked)


def test_the_command_writes_the_document(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    source, out = tmp_path / "in.json", tmp_path / "out.json"
    source.write_text(json.dumps(document(*LICK)))
    assert main(["place", str(source), "-o", str(out), "--offer", "3", "--hand", "strong-three"]) == 0
    assert "8 notes in 1 phrase" in capsys.readouterr().out
    assert len(json.loads(out.read_text())["phrases"][0]["offered"]) == 3


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "it is no JSON"),
        ("[]", "no document of notes"),
        ('{"format": "notcher-project", "tuning": [], "notes": []}', "no document of notes: at"),
        (json.dumps({**document(69), "version": 9}), "at version"),
        (json.dumps({**document(69), "notes": [{"onset": "now", "duration": 1}]}), "at notes/0/onset"),
        ('{"format": "notcher-notes", "tuning": [64, 59, 55, 50, 45, 40], "notes": [{"onset": 1e999, "duration": 1}]}',
         "no JSON"),
        ("[" * 5000, "it is no JSON"),
    ],
)  # fmt: skip
def test_what_is_no_document_is_one_line(
    tmp_path: Path, text: str, said: str, capsys: pytest.CaptureFixture[str]
) -> None:
    source = tmp_path / "in.json"
    source.write_text(text)
    assert main(["place", str(source), "-o", str(tmp_path / "out.json")]) == 1
    error = capsys.readouterr().err
    assert said in error
    assert error.count("\n") == 1
    assert not (tmp_path / "out.json").exists()


@pytest.mark.parametrize("options", [["--offer", "9"], ["--offer", "x"], ["--offer", "-1"], ["--hand", "none"]])
def test_wrong_usage_is_status_2(tmp_path: Path, options: list[str]) -> None:
    source = tmp_path / "in.json"
    source.write_text(json.dumps(document(*LICK)))
    with pytest.raises(SystemExit, match="2") as caught:
        main(["place", str(source), "-o", str(tmp_path / "out.json"), *options])
    assert caught.value.code == 2


def test_the_input_is_never_overwritten(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    source = tmp_path / "in.json"
    source.write_text(json.dumps(document(*LICK)))
    assert main(["place", str(source), "-o", str(source)]) == 1
    assert "would be lost" in capsys.readouterr().err
