"""The sounds of a lesson page: small enough to travel in it, exact to the sample."""

import base64
import io

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import Audio, FloatArray
from notcher.audio.tone import render
from notcher.harmony.band import Backing
from notcher.score.project import Project

PAGE_RATE = 22050
_LOUDEST, _BLOCK, _TRIES = 0.89, 1 << 15, 8
# Bits kept of each: what is made by rule needs fewer than a recording has over its own noise.
_BITS = {"written": 12, "backing": 11, "recording": 12}


def sounds_of(project: Project, audio: Audio | None, start: float, end: float) -> dict[str, str]:
    """By name, what is heard between two times in seconds: FLAC at PAGE_RATE in one channel, in base 64. audio: the
    recording, where it is to be there."""
    found: dict[str, FloatArray] = {"written": render(project, start, end)}
    if project.chords:
        found["backing"] = Backing(project).between(start, end).mean(axis=0)
    if audio is not None:
        found["recording"] = audio.between(start, end).mean(axis=0)
    return {name: _packed(sound, _BITS[name]) for name, sound in found.items()}


def _packed(sound: FloatArray, bits: int) -> str:
    """In base 64, made so that by no chance a protocol's name stands in it: whoever looks for addresses finds none."""
    for seed in range(_TRIES):
        text = base64.b64encode(_flac(sound, bits, seed)).decode()
        if "http" not in text:
            break
    return text


def _flac(sound: FloatArray, bits: int, seed: int) -> bytes:
    import soundfile
    import soxr

    slow = np.asarray(soxr.resample(sound, RATE, PAGE_RATE), np.float64)
    loudest = float(np.abs(slow).max(initial=0.0))
    if loudest > 0:
        slow = slow * (_LOUDEST / loudest)
    steps = 2.0 ** (bits - 1)
    # Noise of two steps, triangular, keeps quiet tails from crackling (common practice, no source).
    random = np.random.default_rng(seed)
    noise = random.random(len(slow)) - random.random(len(slow))
    whole = np.clip(np.round(slow * (steps - 1) + noise * (np.abs(slow) > 0)), -steps, steps - 1) / steps
    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", PAGE_RATE, 1, format="FLAC", subtype="PCM_16", compression_level=0.8) as file:
        for at in range(0, len(whole), _BLOCK):
            file.write(whole[at : at + _BLOCK])
    return out.getvalue()
