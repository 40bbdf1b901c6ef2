"""Guitars below D2 are heard as far down as their tuning goes, and all that is told of it is as it was played."""

import numpy as np
import pytest
from benchmarks.scores import matched

from benchmarks import low
from notcher.audio import RATE
from notcher.audio.faster import faster
from notcher.audio.recording import Audio
from notcher.listen.candidates.heard_note import HeardNote
from notcher.listen.decide.put_back import Raised
from notcher.listen.frames.evidence import explain
from notcher.listen.frames.raised import USUAL_LOWEST, raised_for
from notcher.listen.listener import listen
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.measured import Measured, Weighed
from notcher.score.note import Attack, Bend, BendKind, Maybe, Vibrato
from notcher.score.tuning import STANDARD, parse_tuning
from tests.conftest import hz, tone


@pytest.mark.parametrize(("tuning", "lowest"), [("seven strings, low B", 35), ("eight strings, low F sharp", 30)])
def test_low_strings_are_heard_where_they_are_played(tuning: str, lowest: int) -> None:
    """A riff on a waveguide's strings: what lies below D2 is found with the tuning, and only with it."""
    piece = low.Piece(tuning, "model", "crunch", 5)
    truth = piece.truth
    heard = listen(piece.audio("alone"), lowest=lowest, doubt=False)
    right = matched(truth, heard.notes)
    assert len(right) > 0.85 * len(truth.pitched())
    deep = [n for n in truth.pitched() if n["pitch"] < 38]
    assert deep
    assert sum(n["pitch"] < 38 for n, _ in right) >= 0.75 * len(deep)
    assert heard.offset.cents == pytest.approx(truth.offset_cents, abs=6)
    assert len(heard.trace) == int(piece.audio("alone").duration / 0.005)


def test_only_a_guitar_that_goes_lower_is_heard_otherwise() -> None:
    assert raised_for(min(STANDARD.open_pitches)) == raised_for(38) == 0
    assert raised_for(min(parse_tuning("E4 B3 G3 D3 A2 E2 B1").open_pitches)) == 5
    assert Raised.to_hear(USUAL_LOWEST) is None


def test_all_that_is_told_of_a_note_is_as_it_was_played() -> None:
    raised = Raised(5)
    f = 2 ** (5 / 12)
    heard = HeardNote(
        1.0, 1.5, 45, Attack.PICK, Bend(BendKind.BEND, 100, ((0.0, 0.0), (0.3, 98.0))), Vibrato(6.0, 20.0, 0.2),
        frozenset(), 0.9,
        Measured(because=(Weighed("seconds", 0.5, 0.1), Weighed("pitch", 45.0, 0.1), Weighed("flux", 1.2, 0.1))),
        maybe=(Maybe(0.4, bend=Bend(BendKind.HOLD, 100, ((0.2, 100.0),))), Maybe(0.3, attack=Attack.TAP)),
    )  # fmt: skip
    note = raised.note(heard)
    assert (note.onset, note.end, note.pitch) == (pytest.approx(f, abs=1e-4), pytest.approx(1.5 * f, abs=1e-4), 40)
    assert note.bend is not None
    assert note.bend.points == ((0.0, 0.0), (pytest.approx(0.3 * f, abs=1e-4), 98.0))
    suggested, tapped = note.maybe
    assert suggested.bend is not None
    assert suggested.bend.points == ((pytest.approx(0.2 * f, abs=1e-4), 100.0),)
    assert tapped == Maybe(0.3, attack=Attack.TAP)
    assert note.vibrato is not None
    assert note.vibrato.rate_hz == pytest.approx(6 / f, abs=0.01)
    assert note.vibrato.extent_cents == 20.0
    assert [w.value for w in note.evidence.because] == [pytest.approx(0.5 * f), 40.0, 1.2]


def test_a_recording_that_is_played_faster_is_cut_alike_wherever_it_is_read() -> None:
    """What is read in pieces is what is read at once, and its tone lies as much higher (against soxr on the whole)."""
    import soxr

    sound = tone(hz(35), 3.0)
    quick = faster(Audio(sound[None, :], RATE, 1), 2 ** (5 / 12))
    assert quick.duration == pytest.approx(3.0 / 2 ** (5 / 12), abs=1e-3)
    whole = quick.samples[0]
    pieces = np.concatenate([quick.between(a, a + 0.25)[0] for a in np.arange(0, 2.0, 0.25)])
    assert np.max(np.abs(pieces - whole[: len(pieces)])) < 5e-3
    theirs = soxr.resample(sound, RATE * 2 ** (5 / 12), RATE)
    # Each piece begins at a whole sample of what is played faster: half a sample, 11 microseconds, at most.
    assert np.max(np.abs(whole[1000:80_000] - theirs[1000:80_000])) < 2e-3


def test_what_is_weighed_of_a_low_note_is_told_where_it_is() -> None:
    rest = np.zeros(RATE // 4, np.float32)
    audio = Audio(np.concatenate([rest, tone(hz(31), 1.2), rest])[None, :], RATE, 1)
    found = explain(audio, Isolation(StereoPosition.MIX), 0.25, 1.2, lowest=30)
    assert found.weighed[0].cents == pytest.approx(3100, abs=15)
    sounding = found.cents[np.isfinite(found.cents)]
    assert float(np.median(sounding)) == pytest.approx(3100, abs=15)
    assert found.lowest == 30
    assert found.start == 0.0
    assert len(found.cents) == len(found.flux) == len(found.picture) > 1.2 / 0.005
