"""Libraries that do more than compute, held to what Notcher promises of them."""

import fcntl
import os
import subprocess
import sys
from pathlib import Path

import pytest

CALL = "from notcher.models.runtime import variable_q; print(variable_q().__name__)"


@pytest.mark.slow
def test_one_process_at_a_time_compiles(tmp_path: Path) -> None:
    """Two that did so at once left code at which every later process crashed."""
    folder = tmp_path / "notcher"
    folder.mkdir()
    with open(folder / "compiled.lock", "ab") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        other = subprocess.Popen(
            [sys.executable, "-c", CALL], stdout=subprocess.PIPE, text=True,
            env={**os.environ, "XDG_CACHE_HOME": str(tmp_path)},
        )  # fmt: skip
        with pytest.raises(subprocess.TimeoutExpired, match="timed out after"):
            other.communicate(timeout=3.0)
    assert other.communicate(timeout=120.0)[0].strip() == "vqt"
