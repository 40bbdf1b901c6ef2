"""Strings that are pushed while another is held, on what an ear would hear of them: drawn here, not recorded."""

from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.missed import Candidate
from notcher.listen.candidates.pushed import _bend, _Push, with_pushed
from notcher.listen.frames.bands import STEP
from notcher.listen.frames.ear import LOWEST, PER_SEMITONE, Begun, Ear
from notcher.listen.listener import listen
from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, BendKind
from tests.conftest import tone

ONSET, LASTS = 0.5, 1.0


def heard(*strings: tuple[float, np.ndarray]) -> Any:
    """Frames whose ear hears strings: each its onset in seconds and its MIDI pitch each STEP."""
    ear = Ear.silent(round(2.5 / STEP))
    rows = np.arange(ear.sounds.shape[1])
    for onset, midi in strings:
        first = round(onset / STEP)
        for k, pitch in enumerate(midi):
            near = np.exp(-0.5 * ((rows - (pitch - LOWEST) * PER_SEMITONE) / 0.6) ** 2)
            ear.sounds[first + k] = np.maximum(ear.sounds[first + k], np.round(240 * near).astype(np.uint8))
        at = round((midi[0] - LOWEST) * PER_SEMITONE)
        ear.struck[first - 1 : first + 2, at - 1 : at + 2] = 220
        if midi[-1] > midi[0]:
            # The ear takes the end of a push for a finger now and then.
            arrives, goal = first + int(np.argmax(midi)), round((midi[-1] - LOWEST) * PER_SEMITONE)
            ear.fingered[arrives - 1 : arrives + 2, goal] = 100
    return SimpleNamespace(ear=ear, alone=True)


def held(pitch: float, seconds: float = LASTS) -> np.ndarray:
    return np.full(round(seconds / STEP), float(pitch))


def pushed_up(pitch: float, goal: float, *, rests: float = 0.05, rises: float = 0.12) -> np.ndarray:
    at = np.arange(round(LASTS / STEP)) * STEP
    return pitch + goal * np.clip((at - rests) / rises, 0, 1)


def found(pitch: int, seconds: float = LASTS, onset: float = ONSET, *, struck: bool = True) -> Candidate:
    note = HeardNote(onset, onset + seconds, pitch, Attack.PICK, None, None, frozenset(), 0.8, Measured(flux=1.0))
    return Candidate(note, Begun(onset, float(pitch), 0.9, 0.9, 0.1) if struck else None)


def bends(candidates: list[Candidate]) -> list[tuple[int, BendKind, int]]:
    return [(c.note.pitch, c.note.bend.kind, c.note.bend.target_cents) for c in candidates if c.note.bend is not None]


def test_a_unison_bend_is_one() -> None:
    """The contour holds the upper string; the lower one was heard as a short note."""
    frames = heard((ONSET, held(66)), (ONSET, pushed_up(64, 2)))
    out = with_pushed(frames, [found(66), found(64, 0.15)], 0.0)
    assert bends(out) == [(64, BendKind.UNISON, 200)]
    upper = next(c.note for c in out if c.note.pitch == 66)
    assert upper.evidence.unison
    lower = next(c.note for c in out if c.note.pitch == 64)
    assert lower.end == pytest.approx(ONSET + LASTS, abs=0.1)


@pytest.mark.parametrize("known", [True, False], ids=["both found", "only the pushed one found"])
def test_a_bend_that_the_contour_followed_meets_a_held_string(known: bool) -> None:
    frames = heard((ONSET, held(66)), (ONSET, pushed_up(64, 2)))
    bent = replace(found(64).note, bend=Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.17, 200.0), (1.0, 200.0))))
    out = with_pushed(frames, [Candidate(bent), *([found(66)] if known else [])], 0.0)
    assert bends(out) == [(64, BendKind.UNISON, 200)]
    assert [c.note.pitch for c in out if c.note.evidence.unison] == [66]


def test_a_bend_by_itself_stays_a_bend() -> None:
    frames = heard((ONSET, pushed_up(64, 2)))
    bent = replace(found(64).note, bend=Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.17, 200.0), (1.0, 200.0))))
    assert bends(with_pushed(frames, [Candidate(bent)], 0.0)) == [(64, BendKind.BEND, 200)]


def test_an_oblique_bend_is_followed_while_the_upper_string_rings() -> None:
    frames = heard((ONSET, held(69)), (ONSET, pushed_up(64, 2, rests=0.1, rises=0.2)))
    # Its top had been taken for a note of its own.
    out = with_pushed(frames, [found(69), found(64, 0.15), found(66, 0.7, ONSET + 0.2, struck=False)], 0.0)
    assert bends(out) == [(64, BendKind.BEND, 200)]
    assert [c.note.pitch for c in out] == [69, 64]
    (_, first), *_, (_, top) = next(c.note.bend.points for c in out if c.note.bend is not None)
    assert (first, top) == (0.0, 200.0)


def test_strings_that_are_held_are_not_pushed() -> None:
    frames = heard((ONSET, held(69)), (ONSET, held(64)))
    assert bends(with_pushed(frames, [found(69), found(64)], 0.0)) == []


def test_a_note_picked_two_frets_up_is_no_bend() -> None:
    frames = heard((ONSET, held(69)), (ONSET, held(64, 0.2)), (ONSET + 0.2, held(66, 0.8)))
    out = with_pushed(frames, [found(69), found(64, 0.2), found(66, 0.8, ONSET + 0.2)], 0.0)
    assert bends(out) == []
    assert [c.note.pitch for c in out] == [69, 64, 66]


def test_one_note_after_another_is_none() -> None:
    frames = heard((ONSET, held(64, 0.3)), (ONSET + 0.3, held(66, 0.3)))
    assert bends(with_pushed(frames, [found(64, 0.3), found(66, 0.3, ONSET + 0.3)], 0.0)) == []


def test_a_tuning_off_by_a_quarter_tone_changes_nothing() -> None:
    frames = heard((ONSET, held(66.4)), (ONSET, pushed_up(64.4, 2)))
    assert bends(with_pushed(frames, [found(66), found(64, 0.15)], 40.0)) == [(64, BendKind.UNISON, 200)]


@pytest.mark.parametrize(("lower", "seconds"), [(57, 0.12), (62, 0.2)])
def test_two_strings_that_meet_are_heard_as_a_unison_bend(lower: int, seconds: float) -> None:
    """All the way from a sound: plucked strings, the lower one pushed up a whole step to the other."""
    shape = np.interp(np.linspace(0, 1.0, 200), [0, 0.05, 0.05 + seconds, 1.0], [0, 0, 200, 200])
    strings = [tone(440 * 2 ** ((lower - 69) / 12), 1.0, cents=shape, decay=0.8),
               tone(440 * 2 ** ((lower + 2 - 69) / 12), 1.0, decay=0.8)]  # fmt: skip
    silence = np.zeros(round(0.4 * RATE), np.float32)
    sound = np.concatenate([silence, sum(strings), silence])
    notes = listen(Audio(sound[None].astype(np.float32), RATE, 1), doubt=False).notes
    assert {(n.pitch, str(n.bend.kind) if n.bend else "") for n in notes} == {(lower, "unison"), (lower + 2, "")}


@given(
    st.floats(0, 0.6), st.floats(0.04, 0.8), st.none() | st.floats(0, 2), st.floats(0.02, 3), st.booleans(),
    st.sampled_from((1.0, 1.5, 2.0)),
)  # fmt: skip
def test_whatever_ends_a_pushed_note_soon_its_bend_ends_with_it(
    leaves: float, rises: float, let_down: float | None, lasts: float, unison: bool, goal: float
) -> None:
    """A stroke may come before the string is up, or even before it is pushed."""
    bend = _bend(_Push(goal, leaves, leaves + rises, let_down, {}), lasts, unison=unison)
    times = [t for t, _ in bend.points]
    assert times == sorted(times)
    assert times[-1] <= round(lasts, 3)
    assert bend.target_cents == 100 * goal
