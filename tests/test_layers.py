"""The order of the rooms, and that the work is done without Qt."""

import subprocess
import sys
from pathlib import Path

import pytest

from tests.conftest import ROOT


def test_the_rooms_are_stacked() -> None:
    tool = Path(sys.executable).parent / "lint-imports"
    done = subprocess.run([str(tool)], capture_output=True, text=True, cwd=ROOT, check=False)
    assert done.returncode == 0, done.stdout


def test_everything_but_the_window_works_without_qt() -> None:
    code = (
        "import sys; sys.modules['PyQt6'] = None\n"
        "import importlib, pkgutil, notcher\n"
        "for m in pkgutil.walk_packages(notcher.__path__, 'notcher.'):\n"
        "    if not m.name.startswith('notcher.app'):\n"
        "        importlib.import_module(m.name)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


@pytest.mark.slow
def test_the_window_starts_without_the_heavy_imports() -> None:
    """onnxruntime, scipy and pedalboard are loaded when first used."""
    code = (
        "import sys; import notcher.app.shell.window\n"
        "print([m for m in ('onnxruntime', 'scipy', 'pedalboard', 'fpdf', 'pypdfium2', 'mido') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
