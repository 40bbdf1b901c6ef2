"""The demo project, in a copy of its own so that nothing a person does to it touches the installed one."""

import shutil
from importlib import resources
from pathlib import Path

import platformdirs

from notcher.formats.errors import FileFormatError

PROJECT = "pellan-quay-demo.notcher"
RECORDING = "pellan-quay-demo.ogg"


def demo_project() -> Path:
    """Where the copy lies, made the first time. Raises FileFormatError where the folder cannot be written."""
    folder = Path(platformdirs.user_data_dir("notcher")) / "demo"
    source = resources.files("notcher").joinpath("data/demo")
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name in (RECORDING, PROJECT):
            with resources.as_file(source.joinpath(name)) as original:
                copy = folder / name
                # The recording must be the one the project was measured from; a project is kept as it was left.
                stale = name == RECORDING and copy.exists() and copy.stat().st_size != original.stat().st_size
                if not copy.exists() or stale:
                    shutil.copyfile(original, copy)
    except OSError as error:
        raise FileFormatError(
            "the demo cannot be copied to '{folder}' ({strerror}); free some space",
            folder=folder,
            strerror=error.strerror,
        ) from error
    return folder / PROJECT
