"""Sounds to practise with: each phrase at some paces, with its count, so many times, in one folder with an index."""

import itertools
import json
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from notcher.audio import RATE
from notcher.audio.lines import lines_of_project
from notcher.audio.parted import Parted
from notcher.audio.player import MOST_SHIFT, click_into
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.stretch import stretch
from notcher.audio.tone import render
from notcher.formats.chosen import chosen_phrases
from notcher.formats.errors import FileFormatError
from notcher.formats.heading import title
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.printable import printable
from notcher.harmony.band import Backing
from notcher.score.isolation import Isolation, StereoPosition
from notcher.score.project import Phrase, Project
from notcher.stopping import apart, look_for_stop
from notcher.teach.clicks import clicks_between, count_in

FORMATS = {
    "flac": ("FLAC", "PCM_24"), "ogg": ("OGG", "VORBIS"), "mp3": ("MP3", "MPEG_LAYER_III"), "wav": ("WAV", "PCM_24"),
}  # fmt: skip
"""What sounds are written as: by its ending, the container and the coding in it."""
INDEX = "index.json"
HEARD = ("recording", "lead", "rest", "backing", "written")
SLOWEST, FASTEST, MOST_ROUNDS, LONGEST_S = 25, 110, 99, 3600.0
_FADE_S, _BLOCK = 0.005, 1 << 15
_PARTIALS, _HALF_WIDTH = 8, 0.02
Source = Callable[[float, float], FloatArray]


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is to be heard. paces: percent; in_tune: brought to A = 440; shift: half steps; format: of FORMATS."""

    paces: tuple[int, ...] = (50, 75, 100)
    hear: str = "recording"
    rounds: int = 4
    count_in: bool = False
    click: bool = False
    in_tune: bool = False
    shift: int = 0
    format: str = "flac"

    def __post_init__(self) -> None:
        if not self.paces or not all(SLOWEST <= p <= FASTEST for p in self.paces):
            raise FileFormatError(
                "a pace goes from {low} to {high} % of the recording, got {paces}", low=SLOWEST, high=FASTEST,
                paces=", ".join(str(p) for p in self.paces),
            )  # fmt: skip
        if not 1 <= self.rounds <= MOST_ROUNDS:
            raise FileFormatError("there are 1 to {most} rounds, got {rounds}", most=MOST_ROUNDS, rounds=self.rounds)
        if abs(self.shift) > MOST_SHIFT:
            raise FileFormatError(
                "sound is moved by up to {most} half steps, got {shift}", most=MOST_SHIFT, shift=self.shift
            )


@dataclass(frozen=True, slots=True)
class Sounds:
    """Where what is heard comes from: the recording, None where only the tab and the band are."""

    project: Project
    audio: Audio | None

    def of(self, hear: str) -> Source:
        """Stereo sound between two times in seconds. Raises FileFormatError where the recording is needed and not
        there, ScoreError where no chords are known."""
        project = self.project
        if hear == "written":
            return lambda a, b: np.stack([render(project, a, b)] * 2)
        if hear == "backing":
            return Backing(project).between
        audio = self.audio
        if audio is None:
            raise FileFormatError("the recording is not there; choose what is heard: written or backing")
        if hear == "recording":
            return lambda a, b: _stereo(audio.between(a, b))
        lead = (
            project.lead if project.lead.stereo_position is not StereoPosition.AUTO else Isolation(StereoPosition.MIX)
        )
        apart = Parted(audio, lines_of_project(project, audio.duration), lead)
        return lambda a, b: _stereo(apart.between(a, b, rest=hear == "rest"))


def _stereo(sound: FloatArray) -> FloatArray:
    return np.repeat(sound, 2, axis=0) if sound.shape[0] == 1 else sound


def practice_sound(
    project: Project, phrase: Phrase, source: Source, wanted: Wanted, pace: int
) -> tuple[FloatArray, float]:
    """One phrase at a pace: its count, then its rounds, shape (2, n); and the seconds of the count."""
    start, end, speed = phrase.start, phrase.end, pace / 100.0
    cents = 100.0 * wanted.shift - (project.offset_cents if wanted.in_tune else 0.0)
    counted = count_in(project, start, end) if wanted.count_in else ()
    before = [c for c in counted if c.time < start - 1e-6]
    lead_in = (start - min(c.time for c in before)) / speed if before else 0.0
    # To the sample, so that rounds stay in time; written where it stays, as an hour is gigabytes.
    length, begins = round((end - start) / speed * RATE), round(lead_in * RATE)
    out = np.zeros((2, begins + length * wanted.rounds), np.float32)
    first, count = out[:, begins : begins + length], out[:, :begins]
    slowed = source(start, end)
    if pace != 100 or cents:
        slowed = stretch(slowed.astype(np.float32), speed=speed, cents=cents)
    first[:, : min(length, slowed.shape[1])] = slowed[:, :length]
    del slowed
    ramp = np.linspace(0.0, 1.0, min(length, round(_FADE_S * RATE)), dtype=np.float32)
    first[:, : len(ramp)] *= ramp
    first[:, length - len(ramp) :] *= ramp[::-1]
    if wanted.click:
        click_into(first, clicks_between(project.tempo, start, end), start, speed)
    for k in range(1, wanted.rounds):
        out[:, begins + k * length : begins + (k + 1) * length] = first
    click_into(first, [c for c in counted if c.time >= start - 1e-6], start, speed)
    if before:
        click_into(count, before, min(c.time for c in before), speed)
    return out, lead_in


def write_practice(
    project: Project, audio: Audio | None, folder: Path, phrases: Sequence[Phrase], wanted: Wanted,
    progress: Callable[[float], None] | None = None, outputs: Outputs = FRESH,
) -> list[dict[str, Any]]:  # fmt: skip
    """Write all sounds into a folder, numbered in playing order, and `index.json`; its rows. All are there, or none.

    Raises FileFormatError, and ScoreError where no chords are known.
    """
    asked = list(phrases) or chosen_phrases(project, ())
    lasts = sum((p.end - p.start) * wanted.rounds * 100 / pace for p in asked for pace in wanted.paces)
    if lasts > LONGEST_S:
        raise FileFormatError(
            "that would be {minutes:.0f} minutes of sound, and an hour is the most; choose fewer phrases or rounds",
            minutes=lasts / 60,
        )
    with outputs.folder(folder, practice_names(asked, wanted)) as fresh:
        return _make_practice(project, audio, fresh, asked, wanted, progress)


def practice_names(phrases: Sequence[Phrase], wanted: Wanted) -> list[str]:
    """The files that are written, the index last."""
    digits = max(2, len(str(len(phrases) * len(wanted.paces))))
    order = enumerate(itertools.product(phrases, wanted.paces), 1)
    names = [f"{k:0{digits}d}-{plain_name(phrase.name)}-{pace}.{wanted.format}" for k, (phrase, pace) in order]
    return [*names, INDEX]


def _make_practice(
    project: Project, audio: Audio | None, folder: Path, phrases: Sequence[Phrase], wanted: Wanted,
    progress: Callable[[float], None] | None,
) -> list[dict[str, Any]]:  # fmt: skip
    sounds = Sounds(project, audio)
    source = apart(lambda: sounds.of(wanted.hear))
    rows: list[dict[str, Any]] = []
    names = practice_names(phrases, wanted)
    left: dict[str, float | None] = {}
    for name, (phrase, pace) in zip(names[:-1], itertools.product(phrases, wanted.paces), strict=True):
        if wanted.hear == "rest" and phrase.id not in left:
            left[phrase.id] = apart(partial(_lead_left, project, phrase, source, sounds))
        sound, counted = apart(partial(practice_sound, project, phrase, source, wanted, pace))
        _write(folder / name, sound, wanted.format, _tags(project, phrase, pace, len(rows) + 1))
        rows.append({
            "file": name, "phrase": phrase.name, "pace": pace, "hear": wanted.hear, "rounds": wanted.rounds,
            "count_in_s": round(counted, 4), "phrase_s": round(phrase.end - phrase.start, 4),
            "length_s": round(sound.shape[1] / RATE, 4), "lead_left_db": left.get(phrase.id),
        })  # fmt: skip
        if progress:
            progress(len(rows) / (len(names) - 1))
    FRESH.write(folder / INDEX, (json.dumps(rows, ensure_ascii=False, indent=1) + "\n").encode())
    return rows


def plain_name(name: str) -> str:
    """A name as part of a file's: small letters, figures and dashes."""
    return re.sub(r"[^\w]+", "-", name.lower()).strip("-")[:60] or "phrase"


def _tags(project: Project, phrase: Phrase, pace: int, number: int) -> dict[str, str]:
    tags = {
        "title": f"{phrase.name}, {pace} %", "artist": project.request.performer, "album": title(project),
        "tracknumber": str(number), "copyright": project.request.rights, "software": "Notcher",
    }  # fmt: skip
    return {name: printable(text) for name, text in tags.items()}


def _write(path: Path, sound: FloatArray, kind: str, tags: dict[str, str]) -> None:
    import soundfile

    container, coding = FORMATS[kind]
    with FRESH.file(path) as partial:
        try:
            with soundfile.SoundFile(str(partial), "w", RATE, 2, format=container, subtype=coding) as file:
                for name, text in tags.items():
                    if text:
                        setattr(file, name, text)
                for at in range(0, sound.shape[1], _BLOCK):
                    look_for_stop()
                    file.write(np.clip(sound[:, at : at + _BLOCK].T, -1.0, 1.0))
        except soundfile.LibsndfileError as error:
            raise FileFormatError(
                "'{path}' could not be written: {error}; is the disk full?", path=path, error=error
            ) from error


def _lead_left(project: Project, phrase: Phrase, rest: Source, sounds: Sounds) -> float:
    """How loud the recording's sound along the lead's partials still is in the rest, in dB: what other instruments have
    there is counted in, so that no more than this is left."""
    whole, part = (s(phrase.start, phrase.end).mean(axis=0) for s in (sounds.of("recording"), rest))
    size = min(len(whole), len(part))
    before = after = 1e-12
    for n in project.notes_between(phrase.start, phrase.end):
        low, high = (round((t - phrase.start) * RATE) for t in (n.onset, min(n.end, phrase.end)))
        if high - low < RATE // 20 or high > size:
            continue
        hz = np.fft.rfftfreq(high - low, 1 / RATE)
        f0 = 440.0 * 2 ** ((n.unbent_pitch(project.tuning) - 69) / 12 + project.offset_cents / 1200)
        near = np.zeros(len(hz), bool)
        for k in range(1, _PARTIALS + 1):
            near |= np.abs(hz / (k * f0) - 1) < _HALF_WIDTH
        before += float(np.sum(np.abs(np.fft.rfft(whole[low:high]))[near] ** 2))
        after += float(np.sum(np.abs(np.fft.rfft(part[low:high]))[near] ** 2))
    return round(10 * float(np.log10(after / before)), 1)
