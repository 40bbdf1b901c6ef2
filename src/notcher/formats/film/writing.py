"""Films written: frames and sound brought together by PyAV, so that both are within a frame of each other."""

import functools
import importlib
import math
import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.formats.errors import FileFormatError
from notcher.formats.export import chosen_notes
from notcher.formats.film.look import Film
from notcher.formats.film.scene import GROUND, HEAD, Playhead, Scene, Words
from notcher.formats.heading import title
from notcher.formats.outputs import FRESH, Outputs
from notcher.formats.practice import LONGEST_S, Sounds, Wanted, practice_sound
from notcher.formats.printable import with_printable_words
from notcher.formats.sound import write_sound
from notcher.score.note import Note
from notcher.score.project import Phrase, Project
from notcher.stopping import apart, look_for_stop
from notcher.teach.clicks import count_in
from notcher.wording.notes import phrase_title
from notcher.wording.numbers import pace_words


@dataclass(frozen=True, slots=True)
class _Coding:
    """How a file of an ending is coded: pictures (and those of a layer, '' where it has none), their form and options,
    and sound."""

    video: str
    form: str
    options: dict[str, str]
    sound: str
    layer: str = ""
    layer_form: str = ""


_QUICK_VP9 = {"deadline": "realtime", "cpu-used": "8", "row-mt": "1", "crf": "30", "b": "0", "lag-in-frames": "0"}
CODINGS = {
    ".webm": _Coding("libvpx-vp9", "yuv420p", _QUICK_VP9, "libopus", "libvpx-vp9", "yuva420p"),
    ".mp4": _Coding("libx264", "yuv420p", {"preset": "ultrafast", "crf": "20"}, "aac"),
    ".mov": _Coding("libx264", "yuv420p", {"preset": "ultrafast", "crf": "20"}, "aac", "qtrle", "argb"),
}  # fmt: skip
"""By their endings."""
_SOUND = "sound.wav"
_LINE_HALF, _SOLID = 1.5, 32
# Of films as the demo's are, at 1280 x 720: bytes a second, and seconds that one takes to write (docs/MEASUREMENTS.md).
_BYTES_A_SECOND, _SECONDS_A_SECOND = 75_000, 0.3
# Opus has no other rate (RFC 6716, section 2.1.3); films have it all.
_FILM_RATE, _SOUND_BLOCK = 48000, 960


@dataclass(frozen=True, slots=True)
class Plan:
    """What will be written. counted: seconds of the count; once: of one round; frames: how many pictures."""

    phrase: Phrase
    notes: tuple[Note, ...]
    counted: float
    once: float
    frames: int

    @property
    def seconds(self) -> float:
        """How long the film is, about."""
        return self.counted + self.once

    @property
    def megabytes(self) -> float:
        """About how large it will be."""
        return self.seconds * _BYTES_A_SECOND / 1e6

    @property
    def minutes(self) -> float:
        """About how long it will take to write."""
        return self.seconds * _SECONDS_A_SECOND / 60


def planned(project: Project, phrases: Sequence[Phrase], look: Film) -> Plan:
    """How long a film will be. Raises FileFormatError where there is nothing to show, or more than an hour."""
    notes = chosen_notes(project, phrases)
    if not notes:
        raise FileFormatError("there are no notes to write; measure the recording or add notes first")
    phrase = _stretch(project, phrases, notes)
    speed = look.pace / 100
    before = [c.time for c in count_in(project, phrase.start, phrase.end) if c.time < phrase.start - 1e-6]
    counted = (phrase.start - min(before)) / speed if before and look.counted else 0.0
    once = (phrase.end - phrase.start) / speed
    seconds = counted + once * look.rounds
    if seconds > LONGEST_S + 60:
        raise FileFormatError(
            "that would be {minutes:.0f} minutes of film, and an hour is the most; choose fewer phrases or rounds",
            minutes=seconds / 60,
        )
    return Plan(phrase, notes, counted, once * look.rounds, math.ceil(seconds * look.rate))


def _stretch(project: Project, phrases: Sequence[Phrase], notes: Sequence[Note]) -> Phrase:
    """What is seen, as one phrase: a chosen one, or from the first to the last."""
    if len(phrases) == 1:
        return phrases[0]
    among = phrases or [p for p in project.phrases if p.holds(notes[0].onset)]
    start = min([notes[0].onset, *(p.start for p in among)])
    end = max([*(n.end for n in notes), *(p.end for p in phrases)])
    return Phrase("film", ", ".join(phrase_title(p) for p in phrases) or title(project), start, end)


def check_film(path: Path, look: Film, outputs: Outputs) -> None:
    """Whether a film may be written there. Raises FileFormatError."""
    suffix = path.suffix.lower()
    if suffix not in CODINGS:
        endings = ", ".join(CODINGS)
        raise FileFormatError("'{path}' is not a film; end it in {endings}", path=path, endings=endings)
    if look.layer and not CODINGS[suffix].layer:
        raise FileFormatError("'{path}' cannot hold a transparent layer; end it in .mov or .webm", path=path)
    outputs.check(path)


def write_film(
    project: Project, audio: Audio | None, path: Path, phrases: Sequence[Phrase], look: Film, *,
    outputs: Outputs = FRESH, progress: Callable[[float], None] | None = None,
) -> Plan:  # fmt: skip
    """Write a film whole or not at all; the ending decides the kind.

    Raises FileFormatError, CancelledError.
    """
    check_film(path, look, outputs)
    coding = CODINGS[path.suffix.lower()]
    project = with_printable_words(project)
    plan = planned(project, phrases, look)
    sound = sound_of(project, audio, plan, look)
    with outputs.file(path) as partial:
        _encode(project, plan, look, sound, coding, partial, progress)
    return plan


def write_frames(
    project: Project, audio: Audio | None, folder: Path, phrases: Sequence[Phrase], look: Film, *,
    outputs: Outputs = FRESH, progress: Callable[[float], None] | None = None,
) -> Plan:  # fmt: skip
    """Write a film's frames as numbered PNG, and its sound as `sound.wav`, into a folder: all of them or none.

    Raises FileFormatError, CancelledError.
    """
    from PIL import Image

    project = with_printable_words(project)
    plan = planned(project, phrases, look)
    names = [f"frame-{k + 1:06d}.png" for k in range(plan.frames)]
    with outputs.folder(folder, [_SOUND, *names]) as fresh:
        write_sound(fresh / _SOUND, sound_of(project, audio, plan, look))
        painter = _Painter(scene_of(project, plan, replace(look, layer=True)), replace(look, layer=True))
        ground = Image.new("RGBA", (look.width, look.height), GROUND[look.dark])
        for k, (name, (time, counted)) in enumerate(zip(names, moments(project, plan, look), strict=True)):
            look_for_stop()
            image = Image.fromarray(painter.at(time, counted), "RGBA")
            if not look.layer:
                image = Image.alpha_composite(ground, image).convert("RGB")
            image.save(fresh / name, "PNG", compress_level=1)
            if progress and k % 15 == 0:
                progress(k / plan.frames)
    return plan


def sound_of(project: Project, audio: Audio | None, plan: Plan, look: Film) -> FloatArray:
    """The film's sound, shape (2, n), its count first. Raises FileFormatError where the recording is needed."""
    hear = look.hear or ("recording" if audio is not None else "written")
    wanted = Wanted((look.pace,), hear, look.rounds, look.counted, look.click)
    return apart(lambda: practice_sound(project, plan.phrase, Sounds(project, audio).of(hear), wanted, look.pace))[0]


def scene_of(project: Project, plan: Plan, look: Film) -> Scene:
    """What the film shows."""
    tempo = project.tempo
    bpm = tempo.bpm_at(plan.phrase.start) if tempo else None
    words = Words(plan.phrase.name, pace_words(look.pace, bpm))
    return apart(lambda: Scene(project, plan.notes, plan.phrase.start, plan.phrase.end, look, words))


def moments(project: Project, plan: Plan, look: Film) -> Iterator[tuple[float, int]]:
    """For each frame the time of the recording it shows, in seconds, and the beat that is counted, 0 for none."""
    speed, phrase = look.pace / 100, plan.phrase
    clicks = sorted(c.time for c in count_in(project, phrase.start, phrase.end)) if look.counted else []
    once = plan.once / look.rounds
    for k in range(plan.frames):
        at = k / look.rate - plan.counted
        if at < 0:
            time = phrase.start + at * speed
            yield phrase.start, sum(c <= time + 1e-6 for c in clicks)
        else:
            yield phrase.start + (at % once) * speed, 0


def _encode(
    project: Project, plan: Plan, look: Film, sound: FloatArray, coding: _Coding, path: Path,
    progress: Callable[[float], None] | None,
) -> None:  # fmt: skip
    av = apart(lambda: importlib.import_module("av"))
    layer = look.layer
    scene = scene_of(project, plan, look)
    try:
        with av.open(str(path), "w") as container:
            stream: Any = container.add_stream(coding.layer if layer else coding.video, rate=look.rate)
            stream.width, stream.height = look.width, look.height
            stream.pix_fmt = coding.layer_form if layer else coding.form
            stream.time_base = Fraction(1, look.rate)
            if coding.options and not (layer and coding.layer != coding.video):
                stream.options = dict(coding.options)
            stream.thread_count = os.cpu_count() or 1
            heard: Any = container.add_stream(coding.sound, rate=_FILM_RATE)
            heard.layout = "stereo"
            sounds = _sound_frames(sound, av)
            painter = _Painter(scene, look)
            written_s = 0.0
            for k, (time, counted) in enumerate(moments(project, plan, look)):
                look_for_stop()
                # Sound goes along, so that a player finds both near each other in the file.
                while written_s <= k / look.rate and (frame := next(sounds, None)) is not None:
                    written_s = (frame.pts + frame.samples) / frame.sample_rate
                    container.mux(heard.encode(frame))
                picture = av.VideoFrame.from_ndarray(painter.at(time, counted), format="rgba" if layer else "yuv420p")
                picture.pts, picture.time_base = k, Fraction(1, look.rate)
                container.mux(stream.encode(picture))
                if progress and k % 15 == 0:
                    progress(k / plan.frames)
            for frame in sounds:
                look_for_stop()
                container.mux(heard.encode(frame))
            container.mux(stream.encode(None))
            container.mux(heard.encode(None))
    except av.FFmpegError as error:
        reason = error.strerror or str(error)
        raise FileFormatError("the film cannot be written: {reason}", reason=reason) from error
    if progress:
        progress(1.0)


def _sound_frames(sound: FloatArray, av: Any) -> Iterator[Any]:
    import soxr

    # By the minute: an hour whole would take gigabytes.
    turned = soxr.ResampleStream(RATE, _FILM_RATE, sound.shape[0], dtype="float32")
    whole, at = 60 * RATE, 0
    for begins in range(0, sound.shape[1], whole):
        last = begins + whole >= sound.shape[1]
        chunk = sound[:, begins : begins + whole].T
        piece = np.clip(apart(functools.partial(turned.resample_chunk, chunk, last=last)).T, -1.0, 1.0)
        for k in range(0, piece.shape[1], _SOUND_BLOCK):
            block = np.ascontiguousarray(piece[:, k : k + _SOUND_BLOCK], np.float32)
            frame = av.AudioFrame.from_ndarray(block, format="fltp", layout="stereo")
            frame.sample_rate, frame.pts, frame.time_base = _FILM_RATE, at, Fraction(1, _FILM_RATE)
            at += block.shape[1]
            yield frame


class _Painter:
    """Frames as arrays: what stands still is drawn once, the playhead into a copy of it."""

    def __init__(self, scene: Scene, look: Film) -> None:
        self._scene, self._look = scene, look
        self._state: Any = None
        self._still: NDArray[np.uint8] = np.zeros(0, np.uint8)
        red, green, blue = (int(HEAD[i : i + 2], 16) for i in (1, 3, 5))
        self._rgba = (red, green, blue, 255)
        solid = _planes(np.full((_SOLID, _SOLID, 3), (red, green, blue), np.uint8))
        self._yuv = (solid[0, 0], *(plane[0, 0] for plane in solid[_SOLID:].reshape(2, _SOLID // 2, _SOLID // 2)))

    def at(self, time: float, counted: int) -> NDArray[np.uint8]:
        """The frame at a time of the recording: shape (3 h / 2, w) in YUV 4:2:0, or (h, w, 4) of a layer."""
        state = self._scene.state_at(time, counted=counted)
        if state != self._state:
            self._state = state
            self._still = apart(lambda: self._drawn(state))
        frame = self._still.copy()
        self._draw(frame, self._scene.playhead(state, time))
        return frame

    def _drawn(self, state: Any) -> NDArray[np.uint8]:
        image = np.asarray(self._scene.still(state))
        return image if self._look.layer else _planes(image[:, :, :3])

    def _draw(self, frame: NDArray[np.uint8], head: Playhead) -> None:
        width, height = self._look.width, self._look.height
        low, high = (min(width - 1, max(0, round(head.x + d))) for d in (-_LINE_HALF, _LINE_HALF))
        top, bottom = max(0, head.top), min(height, head.bottom)
        if self._look.layer:
            frame[top:bottom, low : high + 1] = self._rgba
            return
        frame[top:bottom, low : high + 1] = self._yuv[0]
        quarter = width // 2
        chroma = frame[height:].reshape(2, height // 2, quarter)
        for plane, value in zip(chroma, self._yuv[1:], strict=True):
            plane[top // 2 : bottom // 2, low // 2 : high // 2 + 1] = value


def _planes(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture, shape (h, w, 3), in the planes of YUV 4:2:0, shape (3 h / 2, w)."""
    import av

    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
    return np.asarray(frame.reformat(format="yuv420p").to_ndarray(), np.uint8)
