"""Sound out: WAV, FLAC or OGG, by the file's ending."""

import contextlib
import io
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from notcher.audio import RATE
from notcher.audio.recording import FloatArray
from notcher.formats.errors import FileFormatError
from notcher.formats.outputs import FRESH, Outputs
from notcher.stopping import look_for_stop

# Ending: libsndfile's names of the container and the coding in it.
KINDS = {".wav": ("WAV", "PCM_24"), ".flac": ("FLAC", "PCM_24"), ".ogg": ("OGG", "VORBIS")}
# The Vorbis encoder overruns its stack with much more at once.
_BLOCK = 1 << 15


def write_sound(path: Path, samples: FloatArray, outputs: Outputs = FRESH) -> None:
    """Write samples shaped (channels, n) at RATE, whole or not at all. Raises FileFormatError."""
    with sound_file(path, samples.shape[0], outputs) as write:
        write(samples)


def sound_bytes(samples: FloatArray, ending: str) -> bytes:
    """Samples shaped (channels, n) at RATE as a sound file of an ending of KINDS."""
    import soundfile

    container, coding = KINDS[ending]
    out = io.BytesIO()
    with soundfile.SoundFile(out, "w", RATE, samples.shape[0], format=container, subtype=coding) as file:
        for at in range(0, samples.shape[1], _BLOCK):
            look_for_stop()
            file.write(np.clip(samples[:, at : at + _BLOCK].T, -1.0, 1.0))
    return out.getvalue()


@contextlib.contextmanager
def sound_file(
    path: Path, channels: int, outputs: Outputs = FRESH
) -> Iterator[Callable[[FloatArray], None]]:  # fmt: skip
    """A sound file to be written piece by piece, samples shaped (channels, n) at RATE; it is there whole when all went
    well, or not at all. Raises FileFormatError."""
    import soundfile

    if path.suffix.lower() not in KINDS:
        raise FileFormatError(
            "'{path}' must end in {names}: sound is what is written", path=path, names=" or ".join(KINDS)
        )
    container, coding = KINDS[path.suffix.lower()]
    with outputs.file(path) as partial:
        try:
            with soundfile.SoundFile(str(partial), "w", RATE, channels, format=container, subtype=coding) as file:

                def write(samples: FloatArray) -> None:
                    for at in range(0, samples.shape[1], _BLOCK):
                        look_for_stop()
                        file.write(np.clip(samples[:, at : at + _BLOCK].T, -1.0, 1.0))

                yield write
        except soundfile.LibsndfileError as error:
            raise FileFormatError(
                "'{path}' could not be written: {error}; is the disk full?", path=path, error=error
            ) from error
