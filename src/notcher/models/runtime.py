"""Libraries that would do more than compute, loaded here and nowhere else, with all of that switched off.

Nothing leaves the machine, and nothing is written outside Notcher's own folders.
"""

import os
from typing import Any


def network_runtime() -> Any:
    """onnxruntime. Its official build reports on its use over the network and keeps a device id in the user's cache
    folder, unless this variable stands before it is loaded; its own switch comes too late for the first report."""
    os.environ["ORT_DISABLE_TELEMETRY"] = "1"
    import onnxruntime

    return onnxruntime
