"""What the spectrum says began beside the contour: on plucked sounds made for the test, with the contour's notes given
by hand, so that nothing but this step is judged."""

from dataclasses import replace

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.recording import Audio
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.candidates.struck_together import with_other_strings
from notcher.listen.frames.contour import Trace
from notcher.listen.frames.measure import Frames, Setup, measure_frames
from notcher.listen.frames.spectrum import HOP
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured
from notcher.score.note import Attack, Bend, BendKind
from tests.conftest import tone

LEAD_IN_S = 0.3


def plucked(*strings: tuple[float, int, float]) -> Frames:
    """Frames of strings, each from an onset in seconds on a MIDI pitch for some seconds."""
    out = np.zeros(round((max(o + s for o, _, s in strings) + 0.4) * RATE), np.float32)
    for onset, pitch, seconds in strings:
        part = tone(440.0 * 2 ** ((pitch - 69) / 12), seconds, decay=1.0)
        at = round(onset * RATE)
        out[at : at + len(part)] += part
    return frames_of(out)


def frames_of(samples: np.ndarray) -> Frames:
    audio = Audio(samples[None, :], RATE, 1)
    lead = Isolation(StereoPosition.MIX, low_hz=60.0)
    *_, (frames, _) = measure_frames(audio, Setup(lead, alone=True), start=0.0, end=audio.duration)
    return frames


def contour(n: int, *notes: HeardNote) -> Trace:
    """A contour that shows just these notes."""
    trace = Trace.silent(n)
    for heard in notes:
        trace.cents[round(heard.onset / HOP) : round(heard.end / HOP)] = 100.0 * heard.pitch
    return trace


def note(onset: float, pitch: int, seconds: float = 0.6, **more: object) -> HeardNote:
    evidence = Measured(flux=1.5)
    made = HeardNote(onset, onset + seconds, pitch, Attack.PICK, None, None, frozenset(), 0.9, evidence)
    return replace(made, **more)  # type: ignore[arg-type]


def found(frames: Frames, *notes: HeardNote) -> list[tuple[float, int]]:
    out = with_other_strings(frames, contour(len(frames.trace), *notes), list(notes), 0.0)
    assert out == sorted(out, key=lambda n: (n.onset, -n.pitch))
    return [(round(n.onset, 1), n.pitch) for n in out]


@pytest.mark.parametrize("interval", [4, 5, 9])
def test_the_string_struck_with_the_contours_is_found(interval: int) -> None:
    frames = plucked((LEAD_IN_S, 57, 0.7), (LEAD_IN_S, 57 + interval, 0.7))
    assert set(found(frames, note(LEAD_IN_S, 57))) == {(LEAD_IN_S, 57), (LEAD_IN_S, 57 + interval)}


@pytest.mark.parametrize("pitch", [52, 57, 64, 71])
def test_partials_of_one_string_are_no_other(pitch: int) -> None:
    assert found(plucked((LEAD_IN_S, pitch, 0.8)), note(LEAD_IN_S, pitch)) == [(LEAD_IN_S, pitch)]


def test_what_rings_on_is_not_struck_again() -> None:
    """The lower string was struck before and rings through: at the second stroke only the upper one begins."""
    frames = plucked((LEAD_IN_S, 57, 1.6), (1.1, 66, 0.7))
    out = found(frames, note(LEAD_IN_S, 57, 0.8), note(1.1, 66))
    assert out == [(LEAD_IN_S, 57), (1.1, 66)]


def test_three_strings_are_the_most_that_are_likely() -> None:
    frames = plucked(*((LEAD_IN_S, p, 0.8) for p in (52, 59, 64, 68)))
    out = found(frames, note(LEAD_IN_S, 52))
    assert (LEAD_IN_S, 52) in out
    assert 2 <= len(out) <= 4
    assert {p for _, p in out} <= {52, 59, 64, 68, 71, 76}


def test_slides_and_taps_are_not_looked_at() -> None:
    frames = plucked((LEAD_IN_S, 57, 0.7), (LEAD_IN_S, 62, 0.7))
    for attack in (Attack.SLIDE, Attack.TAP):
        assert found(frames, note(LEAD_IN_S, 57, attack=attack)) == [(LEAD_IN_S, 57)]


def test_a_bend_by_itself_stays_a_bend() -> None:
    shape = np.interp(np.linspace(0, 1.0, 200), [0, 0.05, 0.25, 1.0], [0, 0, 200, 200])
    sound = np.concatenate([np.zeros(round(LEAD_IN_S * RATE), np.float32), tone(220.0, 1.0, cents=shape, decay=0.8)])
    frames = frames_of(sound)
    bend = Bend(BendKind.BEND, 200, ((0.0, 0.0), (0.25, 200.0), (1.0, 200.0)))
    heard = note(LEAD_IN_S, 57, 1.0, bend=bend)
    out = with_other_strings(frames, contour(len(frames.trace), heard), [heard], 0.0)
    assert [(n.pitch, n.bend.kind if n.bend else None) for n in out] == [(57, BendKind.BEND)]


def test_where_the_contour_only_visits_another_pitch_it_comes_back_as_one_note() -> None:
    """Two strings ring; the contour goes from the lower to the upper and back with no stroke: each is one note."""
    frames = plucked((LEAD_IN_S, 57, 1.4), (LEAD_IN_S, 64, 1.4))
    unstruck = Measured(flux=0.0, jump_cents=700.0)
    back = Measured(flux=0.0, jump_cents=-700.0)
    notes = (
        note(LEAD_IN_S, 57, 0.4), note(0.7, 64, 0.4, evidence=unstruck), note(1.1, 57, 0.4, evidence=back),
    )  # fmt: skip
    out = found(frames, *notes)
    assert sorted(p for _, p in out) == [57, 64]
    assert all(onset == LEAD_IN_S for onset, _ in out)
