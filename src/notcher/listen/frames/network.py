"""The pitch network: each 16 ms, how likely each of 95 pitches is, and whether anything pitched sounds at all."""

import functools
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.models.runtime import network_runtime

# Samples a second, and seconds between frames, as the network was trained.
NETWORK_RATE = 16000
STEP = 256 / NETWORK_RATE
# The network's own scale: 95 pitches from 46.875 to 2093.75 Hz, 70 cents apart.
PITCHES_HZ = 46.875 * (2093.75 / 46.875) ** (np.arange(95) / 94)
# The name of the value inside the network from which the confidences are made.
_LOGITS = "v429"
# Full scale is 1: quiet recordings are brought there, as the training's were loud; below the other it is silence.
_PREFERRED_PEAK = 0.5
_SILENT_PEAK = 1e-3


@dataclass(frozen=True, eq=False)
class PitchScores:
    """log_p: logarithm of each pitch's share, shape (n_frames, 95); confidence: 0 to 1, shape (n_frames,)."""

    log_p: NDArray[np.float32]
    confidence: NDArray[np.float32]


@functools.cache
def _network() -> Any:
    """The network of the swift-f0 package with the scores of all its pitches as one more output.

    The package's own interface gives the winner only. Protocol buffers merge when they are joined end to end (their
    encoding guide: "merging"), so that one more output is declared by appending a piece of the message.
    """
    onnxruntime = network_runtime()
    model = resources.files("swift_f0").joinpath("model.onnx").read_bytes()
    float_tensor = _field(2, _field(1, b"\x08\x01"))
    output = _field(12, _field(1, _LOGITS.encode()) + float_tensor)
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 2
    # The arena keeps what the largest block once took, for as long as the program runs.
    options.enable_cpu_mem_arena = False
    options.add_session_config_entry("session.intra_op.allow_spinning", "0")
    return onnxruntime.InferenceSession(model + _field(7, output), options, providers=["CPUExecutionProvider"])


def _field(number: int, content: bytes) -> bytes:
    """A length-delimited field of a protocol buffer; content: under 128 bytes."""
    return bytes([number << 3 | 2, len(content)]) + content


def score_pitches(mono: FloatArray) -> PitchScores:
    """Run the network over mono sound at RATE, shape (n,). Loudness is brought to a common level first."""
    import soxr

    peak = float(np.max(np.abs(mono), initial=0.0))
    if peak < 1e-6 or len(mono) < RATE // 20:
        return PitchScores(np.zeros((0, len(PITCHES_HZ)), np.float32), np.zeros(0, np.float32))
    sound = soxr.resample(mono * (_PREFERRED_PEAK / peak), RATE, NETWORK_RATE).astype(np.float32)
    limits = {"fmin": np.array(PITCHES_HZ[0], np.float32), "fmax": np.array(PITCHES_HZ[-1], np.float32)}
    logits, confidence = _network().run([_LOGITS, "confidence"], {"audio": sound[None], **limits})
    log_p = logits[0] - logits[0].max(axis=1, keepdims=True)
    log_p -= np.log(np.exp(log_p).sum(axis=1, keepdims=True))
    return PitchScores(log_p, np.where(_sounding(sound, len(log_p)), confidence[0], 0.0).astype(np.float32))


def _sounding(sound: NDArray[np.float32], n: int) -> NDArray[np.bool_]:
    """Whether each frame's window holds anything: digital silence is nothing the network knows."""
    from scipy import ndimage

    loudest = ndimage.maximum_filter1d(np.abs(sound), 2048)
    return np.asarray(loudest[np.minimum(np.arange(n) * 256, len(sound) - 1)] >= _SILENT_PEAK)
