"""How long work goes without looking for its stop: the longest gap of each command on the demo, in one process.

Run: python -m benchmarks.stops
"""

import contextlib
import io
import itertools
import os
import tempfile
import time
from pathlib import Path

_COMMANDS: tuple[tuple[str, ...], ...] = (
    ("transcribe", "A", "-o", "o.notcher"), ("read", "o.musicxml", "-o", "r.notcher", "--recording", "A"),
    ("place", "o.json", "-o", "p.json", "--offer", "3"), ("slow", "A", "-o", "s.wav", "--speed", "0.5"),
    ("isolate", "A", "-o", "l.wav", "--rest", "re.wav"), ("check", "P", "A", "--json"),
    ("backing", "P", "-o", "b.flac", "--rounds", "4"), ("practice", "P", "-o", "sounds", "--hear", "rest"),
    ("strip", "P", "st.png", "--staff"), ("film", "P", "f.webm", "--pace", "100"), ("film", "P", "f.mp4", "--pace", "100"),
    ("lesson", "P", "l.html", "--with-recording"), ("packet", "P", "-o", "packet", "--staff", "--keep-no-state"),
    ("export", "P", "e.pdf", "--staff"), ("export", "P", "e.png"), ("export", "P", "e.mid"),
)  # fmt: skip


def gaps() -> dict[str, tuple[float, float]]:
    """By command: the longest gap in milliseconds, and how long it took, in seconds."""
    from notcher.cli import _parser, main
    from notcher.demo_copy import demo_project
    from notcher.stopping import stoppable

    out: dict[str, tuple[float, float]] = {}
    here = Path.cwd()
    with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
        for name in ("STATE", "CONFIG", "DATA", "CACHE"):
            os.environ[f"XDG_{name}_HOME"] = f"{folder}/{name.lower()}"
        project = demo_project()
        audio = next(p for p in project.parent.iterdir() if p.suffix in (".flac", ".ogg", ".wav"))
        for written in (("export", str(project), "o.musicxml"), ("export", str(project), "o.json", "--as", "notes")):
            main(written)
        for words in _COMMANDS:
            looks = [time.monotonic()]

            def asked(looks: list[float] = looks) -> bool:
                looks.append(time.monotonic())
                return False

            said = [{"P": str(project), "A": str(audio)}.get(w, w) for w in words]
            options = _parser().parse_args(said)
            with stoppable(asked), contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
                options.run(options)
            looks.append(time.monotonic())
            longest = max(b - a for a, b in itertools.pairwise(looks))
            out[" ".join(words)] = (1000 * longest, looks[-1] - looks[0])
    os.chdir(here)
    return out


def section() -> str:
    """The bench's section on stopping."""
    rows = "".join(f"| `{name}` | {gap:.0f} ms | {whole:.1f} s |\n" for name, (gap, whole) in gaps().items())
    return (
        "## Stopping\n\nThe longest time in which each command on the demo does not look whether it is to stop "
        "(`python -m benchmarks.stops`; aim 200 ms):\n\n| command | longest gap | in all |\n|---|---|---|\n" + rows
    )


if __name__ == "__main__":
    print(section())
