"""Libraries that would do more than compute, loaded here and nowhere else, with all of that switched off.

Nothing leaves the machine, and nothing is written outside Notcher's own folders.
"""

import fcntl
import os
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs

# Hz, and with it a second of silence: enough for every function to be called once (20 ms when they are compiled).
_TRIAL_RATE = 22050


def network_runtime() -> Any:
    """onnxruntime. Its official build reports on its use over the network and keeps a device id in the user's cache
    folder, unless this variable stands before it is loaded; its own switch comes too late for the first report."""
    os.environ["ORT_DISABLE_TELEMETRY"] = "1"
    import onnxruntime

    return onnxruntime


@cache
def variable_q() -> Any:
    """librosa.vqt, with all that numba compiles for it (on samples of 32 bits) compiled.

    One process at a time compiles: numba keeps a function, the code that calls it and an index of both in several
    steps, and two processes that do so at once can leave a mixture at which every later process crashes.
    """
    _keep_compiled_functions_in_our_folder()
    folder = Path(platformdirs.user_cache_dir("notcher"))
    folder.mkdir(parents=True, exist_ok=True)
    with open(folder / "compiled.lock", "ab") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        from librosa import vqt

        vqt(np.zeros(_TRIAL_RATE, np.float32), sr=_TRIAL_RATE, tuning=0.0)
    return vqt


def _keep_compiled_functions_in_our_folder() -> None:
    """numba, with which librosa compiles its functions, keeps them beside librosa; where that cannot be written (a
    system-wide install), in a folder of its own under the user's cache, which becomes ours."""
    import importlib.util

    found = importlib.util.find_spec("librosa")
    if found is not None and found.origin and not os.access(Path(found.origin).parent, os.W_OK):
        os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(platformdirs.user_cache_dir("notcher")) / "compiled"))
