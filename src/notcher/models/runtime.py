"""Libraries that would do more than compute, loaded here and nowhere else, with all of that switched off.

Nothing leaves the machine, and nothing is written outside Notcher's own folders.
"""

import os
from pathlib import Path
from typing import Any

import platformdirs


def network_runtime() -> Any:
    """onnxruntime. Its official build reports on its use over the network and keeps a device id in the user's cache
    folder, unless this variable stands before it is loaded; its own switch comes too late for the first report."""
    os.environ["ORT_DISABLE_TELEMETRY"] = "1"
    import onnxruntime

    return onnxruntime


def variable_q() -> Any:
    """librosa.vqt."""
    _keep_compiled_functions_in_our_folder()
    from librosa import vqt

    return vqt


def _keep_compiled_functions_in_our_folder() -> None:
    """numba, with which librosa compiles its functions, keeps them beside librosa; where that cannot be written (a
    system-wide install), in a folder of its own under the user's cache, which becomes ours."""
    import importlib.util

    found = importlib.util.find_spec("librosa")
    if found is not None and found.origin and not os.access(Path(found.origin).parent, os.W_OK):
        os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(platformdirs.user_cache_dir("notcher")) / "compiled"))
