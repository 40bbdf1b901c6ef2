"""The lead parted from the rest by its own pitches."""

import itertools

import numpy as np
import pytest

from notcher.audio import RATE
from notcher.audio.lead import isolate_between
from notcher.audio.lines import STEP, Sounded, lines_of, lines_of_project
from notcher.audio.parted import BLOCK_S, Parted
from notcher.audio.recording import Audio
from notcher.audio.wiener import Lines, parted
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.project import Project
from tests.conftest import ROOT, tone

CENTRE = Isolation(StereoPosition.PAN)


def sdr_db(real: np.ndarray, found: np.ndarray) -> float:
    """Scale-invariant signal-to-distortion ratio (Le Roux and others 2019, "SDR - half-baked or well done?")."""
    real, found = real.ravel().astype(float), found.ravel().astype(float)
    goal = (real @ found) / (real @ real) * real
    return float(10 * np.log10((goal @ goal) / ((found - goal) @ (found - goal))))


def scene(seconds: float = 4.0) -> tuple[np.ndarray, np.ndarray, Lines]:
    """A lead of four notes in the middle over two strings of a chord at the same place, each shape (2, n); and what it
    plays."""
    hz = (392.0, 440.0, 523.25, 440.0)
    lead = np.concatenate([tone(f, seconds / 4) for f in hz])
    rest = 0.7 * (tone(146.83, seconds, decay=0.3) + tone(277.18, seconds, decay=0.3))
    noise = np.random.default_rng(1).normal(0, 0.003, (2, len(rest))).astype(np.float32)
    line = np.repeat(hz, round(seconds / 4 / STEP))[:, None]
    lines = Lines(line, STEP, np.arange(4) * seconds / 4)
    return np.stack([lead, lead]), np.stack([rest, rest]) + noise, lines


@pytest.mark.parametrize("isolation", [CENTRE, Isolation(StereoPosition.MIX), Isolation(StereoPosition.SIDES)])
def test_what_shares_the_leads_place_is_told_from_it_by_pitch(isolation: Isolation) -> None:
    lead, rest, lines = scene()
    found = parted(lead + rest, lines, isolation)
    assert found.shape == lead.shape
    assert sdr_db(lead, found) > sdr_db(lead, lead + rest) + 6
    assert sdr_db(rest, lead + rest - found) > sdr_db(rest, lead + rest) + 6


def test_in_one_channel_too() -> None:
    lead, rest, lines = scene()
    found = parted((lead + rest)[:1], lines, Isolation(StereoPosition.MIX))
    assert sdr_db(lead[:1], found) > sdr_db(lead[:1], (lead + rest)[:1]) + 6


def test_where_nothing_is_played_nothing_is_the_leads() -> None:
    lead, rest, _ = scene()
    silent = Lines(np.zeros((800, 1)), STEP, np.zeros(0))
    assert not np.any(parted(lead + rest, silent, Isolation(StereoPosition.MIX)))


def test_the_strength_leaves_some_of_the_rest() -> None:
    lead, rest, lines = scene()
    whole = lead + rest
    full = parted(whole, lines, CENTRE)
    half = parted(whole, lines, Isolation(StereoPosition.PAN, strength=0.5))
    assert np.allclose(half, (full + whole) / 2, atol=1e-5)


def test_lead_and_rest_add_up_to_the_recording_in_any_pieces() -> None:
    lead, rest, lines = scene(2.5 * BLOCK_S)
    whole = Audio(lead + rest, RATE, 2)
    apart = Parted(whole, lines, CENTRE)
    edges = [0.0, 3.1, BLOCK_S - 0.01, BLOCK_S + 0.02, 17.3, whole.duration]
    pieces = [np.concatenate([apart.between(a, b, rest=r) for a, b in itertools.pairwise(edges)], axis=1)
              for r in (False, True)]  # fmt: skip
    assert np.allclose(pieces[0] + pieces[1], whole.samples, atol=1e-5)
    assert np.allclose(pieces[0], apart.between(0.0, whole.duration), atol=1e-5)
    assert sdr_db(lead, pieces[0]) > sdr_db(lead, whole.samples) + 6


def test_an_edit_parts_anew_only_where_it_is_heard() -> None:
    lead, rest, lines = scene(3 * BLOCK_S)
    apart = Parted(Audio(lead + rest, RATE, 2), lines, CENTRE)
    apart.between(0.0, 3 * BLOCK_S)
    assert apart.missing(0.0, 3 * BLOCK_S) == []
    edited = lines.hz.copy()
    edited[round((2.5 * BLOCK_S) / STEP) :] = 466.16
    assert apart.following(Lines(edited, STEP, lines.strokes), CENTRE).missing(0.0, 3 * BLOCK_S) == [2]
    assert apart.following(lines, Isolation(StereoPosition.MIX)).missing(0.0, 3 * BLOCK_S) == [0, 1, 2]


def test_a_second_string_gets_a_line_beside_the_contour() -> None:
    contour = np.full(400, 6900.0)
    notes = [Sounded(0.1, 1.0, 69.0), Sounded(0.1, 1.0, 64.0, ((0.0, 0.0), (0.2, 200.0)), struck=False)]
    lines = lines_of(notes, contour)
    assert lines.hz.shape == (400, 2)
    assert lines.hz[150, 0] == pytest.approx(440.0)
    assert lines.hz[20, 1] == pytest.approx(329.63, abs=0.1)
    assert lines.hz[150, 1] == pytest.approx(369.99, abs=0.1), "a whole step up"
    assert lines.strokes.tolist() == [0.1]


def test_a_project_says_what_its_lead_plays(project: Project) -> None:
    lines = lines_of_project(project, 8.0)
    first = project.notes[0]
    hz = 440.0 * 2 ** ((first.pitch(project.tuning) - 69 + project.offset_cents / 100) / 12)
    at = round((first.onset + 0.1) / STEP)
    assert any(abs(1200 * np.log2(max(v, 1.0) / hz)) < 60 for v in lines.hz[at])


def test_on_the_demo_it_is_nearer_to_the_dry_lead_than_the_place_alone(demo: Project) -> None:
    from notcher.audio.decode import load

    mix = load(ROOT / "src/notcher/data/demo/pellan-quay-demo.ogg")
    dry = load(ROOT / "tests/data/lead_dry.ogg").samples[0]
    start, end = 16.0, 24.0
    real = dry[round(start * RATE) : round(end * RATE)]
    apart = Parted(mix, lines_of_project(demo, mix.duration), demo.lead)
    found = apart.between(start, end).mean(axis=0)
    by_place = isolate_between(mix, start, end, demo.lead)[0]
    assert sdr_db(real, found) > sdr_db(real, by_place) + 1.0
