"""The player without a device: the tests pull the sound as a sound card would."""

import itertools
import time
from collections.abc import Iterator

import librosa
import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.player import Click, Player
from tests.conftest import tone

SECONDS = 6.0

pytestmark = pytest.mark.alone


def ramp(start: float, end: float) -> np.ndarray:
    """A source whose samples say the time they belong to (1 = SECONDS), shape (1, n)."""
    n = max(0, round(end * RATE) - round(start * RATE))
    return ((np.arange(n) + round(start * RATE)) / RATE / SECONDS)[None, :].astype(np.float32)


STEADY = np.concatenate([tone(440, SECONDS, decay=0.0)])


def steady(start: float, end: float) -> np.ndarray:
    return STEADY[None, round(start * RATE) : round(end * RATE)]


@pytest.fixture
def player() -> Iterator[Player]:
    made = Player()
    made.set_gain(1.0)
    made.set_sources({"ramp": ramp, "steady": steady}, duration=SECONDS)
    yield made
    made.close()


def pull(player: Player, seconds: float, *, step: float = 0.02) -> np.ndarray:
    """Take sound as a device does, waiting for the worker but not for the clock."""
    blocks = []
    for _ in range(round(seconds / step)):
        limit = time.monotonic() + 5
        while player.playing and player.buffered() < step and time.monotonic() < limit:
            time.sleep(0.001)
        blocks.append(player.pull(round(step * RATE)))
    return np.concatenate(blocks, axis=1)


def test_at_full_speed_it_plays_the_samples(player: Player) -> None:
    player.seek(1.0)
    player.play()
    got = pull(player, 2.0)[0] * SECONDS
    expected = 1.0 + np.arange(len(got)) / RATE
    # All but the first and joining milliseconds, where it fades.
    assert np.median(np.abs(got - expected)) < 1e-3
    assert player.position == pytest.approx(3.0, abs=0.01)


def test_a_loop_comes_round_again(player: Player) -> None:
    player.set_loop((2.0, 2.5))
    player.play()
    got = pull(player, 1.6)[0] * SECONDS
    assert got.max() < 2.51
    places = got[::441][got[::441] > 1.99]
    assert np.sum(np.diff(places) < -0.3) >= 2
    assert 2.0 <= player.position < 2.5


def test_slow_playing_keeps_pitch_and_says_where_it_is(player: Player) -> None:
    player.choose("steady")
    player.set_pace(0.5)
    player.play()
    got = pull(player, 3.0)
    assert player.position == pytest.approx(1.5, abs=0.1)
    f0 = librosa.yin(got[0, RATE // 2 :], fmin=200, fmax=900, sr=RATE)
    assert abs(1200 * np.log2(np.median(f0) / 440)) < 5
    # Chunks join without holes or clicks.
    power = librosa.feature.rms(y=got[0, RATE // 2 :], frame_length=1024, hop_length=512)[0]
    assert power.min() > 0.5 * np.median(power)


def test_the_pace_changes_while_it_plays(player: Player) -> None:
    player.choose("steady")
    player.play()
    pull(player, 0.5)
    player.set_pace(0.5)
    before = player.position
    for _ in range(15):  # in real time, so that the worker can be as fast as it is
        time.sleep(0.02)
        pull(player, 0.02)
    pull(player, 1.7)
    # The sound that was ready when the pace changed is replaced, not played out.
    assert player.position - before == pytest.approx(1.0, abs=0.2)


def test_the_source_changes_at_the_same_place(player: Player) -> None:
    player.play()
    pull(player, 1.0)
    player.choose("steady")
    pull(player, 0.5)
    assert player.position == pytest.approx(1.5, abs=0.06)
    with pytest.raises(KeyError, match="band without the lead"):
        player.choose("band without the lead")


def test_a_slow_worker_never_jumps_back(player: Player, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was ready is played out before the new sound is there; that one begins where the old one ended."""
    import notcher.audio.player as module

    made = module._stretched

    def late(*args: object, **more: object) -> object:
        time.sleep(0.15)
        return made(*args, **more)  # type: ignore[arg-type]

    player.play()
    pull(player, 1.0)
    monkeypatch.setattr(module, "_stretched", late)
    player.choose("steady")
    places = []
    for _ in range(40):
        pull(player, 0.02)
        places.append(player.position)
    assert all(b >= a - 1e-6 for a, b in itertools.pairwise(places))
    assert places[-1] == pytest.approx(1.8, abs=0.06)


def test_a_count_in_is_four_clicks_at_the_pace(player: Player) -> None:
    player.set_pace(0.5)
    player.choose("steady")
    player.play(count_in=[Click((k - 4) * 0.3, 2 if k == 0 else 1) for k in range(4)])
    got = np.abs(pull(player, 2.4)[0])
    frames = got[: len(got) // 441 * 441].reshape(-1, 441).max(axis=1)
    onsets = [i for i in range(1, len(frames)) if frames[i] > 0.15 and frames[i - 1] < 0.05] + (
        [0] if frames[0] > 0.15 else []
    )
    assert sorted(onsets)[:4] == pytest.approx([0, 60, 120, 180], abs=2)
    assert player.position < 0.2


def test_changes_during_the_count_in_leave_the_clicks_and_replace_the_sound(player: Player) -> None:
    player.seek(1.0)
    player.play(count_in=[Click(1.0 + (k - 4) * 0.2, 2 if k == 0 else 1) for k in range(4)])
    pull(player, 0.3)
    time.sleep(0.2)  # the sound after the clicks is ready by now
    player.set_pace(0.5)
    limit = time.monotonic() + 10
    while player._fresh and time.monotonic() < limit:  # the clicks leave the worker time enough
        time.sleep(0.01)
    pull(player, 0.5)
    assert player.position == pytest.approx(1.0, abs=0.02)
    pull(player, 2.0)
    assert player.position == pytest.approx(2.0, abs=0.06)


def test_it_stops_at_the_end_and_starts_over(player: Player) -> None:
    player.seek(SECONDS - 0.3)
    player.play()
    pull(player, 0.6)
    assert not player.playing
    assert player.position == pytest.approx(SECONDS, abs=0.01)
    player.play()
    pull(player, 0.2)
    assert player.position < 0.5


def test_pausing_keeps_the_place(player: Player) -> None:
    player.play()
    pull(player, 0.7)
    player.pause()
    at = player.position
    assert at == pytest.approx(0.7, abs=0.05)
    assert not player.pull(1000).any()
    player.play()
    pull(player, 0.2)
    assert player.position == pytest.approx(at + 0.2, abs=0.05)


def test_a_source_that_fails_stops_the_sound_and_is_told(player: Player) -> None:
    def broken(start: float, end: float) -> np.ndarray:
        raise OSError("the disk went away")

    player.set_sources({"broken": broken}, duration=2.0)
    player.play()
    limit = time.monotonic() + 5
    while player.playing and time.monotonic() < limit:
        time.sleep(0.01)
    failure = player.take_failure()
    assert isinstance(failure, OSError)
    assert player.take_failure() is None


@pytest.mark.parametrize("pace", [0.05, 3.0])
def test_paces_out_of_bounds(player: Player, pace: float) -> None:
    with pytest.raises(ValueError, match="from 0.1 to 2"):
        player.set_pace(pace)


def test_a_loop_too_short_to_hear_is_none(player: Player) -> None:
    player.set_loop((1.0, 1.01))
    assert player.loop is None
    player.set_loop((2.0, 1.0))
    assert player.loop == (1.0, 2.0)


@pytest.mark.parametrize("cents", [14.0, -35.0, 100.0])
def test_playback_is_brought_in_tune(player: Player, cents: float) -> None:
    """Measured by the reference library's autocorrelation tracker (librosa.yin)."""
    player.choose("steady")
    player.set_cents(cents)
    player.play()
    heard = pull(player, 2.0)[0]
    sounding = heard[np.argmax(np.abs(heard) > 0.01) + RATE // 4 :]
    f0 = librosa.yin(sounding[:RATE], fmin=200, fmax=900, sr=RATE)
    assert 1200 * np.log2(np.median(f0) / 440) == pytest.approx(cents, abs=4)


def test_playback_is_moved_by_an_octave_and_a_semitone_at_most(player: Player) -> None:
    player.set_cents(-1300)
    with pytest.raises(ValueError, match="1300 cents at most"):
        player.set_cents(1301)


def test_a_tone_sounds_beside_what_plays_and_alone(player: Player) -> None:
    player.sound_beside(np.full(RATE // 10, 0.5, np.float32))
    assert player.sounds_beside
    alone = pull(player, 0.2)
    assert np.allclose(alone[0][: RATE // 10], 0.5)
    assert np.allclose(alone[0][RATE // 10 :], 0.0)
    assert not player.sounds_beside
    player.play()
    before = pull(player, 0.5)
    player.sound_beside(np.full(RATE // 10, 0.5, np.float32))
    with_tone = pull(player, 0.05)
    assert with_tone[0].mean() - before[0][-100:].mean() == pytest.approx(0.5, abs=0.05)
