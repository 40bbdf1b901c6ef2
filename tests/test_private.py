"""Nothing is sent, and nothing is written outside Notcher's own folders: watched from outside the process."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from notcher.formats import project_file
from notcher.score.project import Project

# A connection to anything but a socket of this machine's own: strace's notation of connect(2) and of what asks a name
# server. Unix sockets, and addresses of the loopback, are local.
_SENT = re.compile(r"(?:connect|sendto|sendmsg|sendmmsg)\(.*sa_family=AF_INET6?.*")
_LOCAL = re.compile(r'inet_addr\("127\.|"::1"')


@pytest.mark.skipif(shutil.which("strace") is None, reason="strace is not here; make setup-dev installs it")
@pytest.mark.slow
def test_a_transcription_sends_nothing_and_writes_only_in_our_folders(tmp_path: Path, lick_file: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    env = {
        k: v for k, v in os.environ.items()
        if not k.startswith("XDG_") and k not in ("ORT_DISABLE_TELEMETRY", "NUMBA_CACHE_DIR")
    }  # fmt: skip
    env["HOME"] = str(home)
    traced = tmp_path / "traced"
    done = subprocess.run(
        ["strace", "-f", "-qq", "-e", "trace=connect,sendto,sendmsg,sendmmsg", "-o", str(traced), sys.executable, "-m",
         "notcher.cli", "transcribe", str(lick_file), "-o", str(tmp_path / "p.notcher")],
        env=env, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert project_file.load(tmp_path / "p.notcher").notes
    found = [line for line in traced.read_text().splitlines() if _SENT.search(line) and not _LOCAL.search(line)]
    assert found == []
    written = {p.relative_to(home).parts[:2] for p in home.rglob("*") if p.is_file()}
    assert written <= {(".cache", "notcher"), (".config", "notcher"), (".local", "state"), (".local", "share")}
    assert all("notcher" in p.parts for p in home.rglob("*") if p.is_file())


@pytest.mark.skipif(shutil.which("strace") is None, reason="strace is not here; make setup-dev installs it")
@pytest.mark.slow
def test_what_is_handed_out_sends_nothing_and_is_written_where_it_was_said(project: Project, tmp_path: Path) -> None:
    """The engraver, the encoders and the fonts are other people's: none of them asks for anything or leaves a trace."""
    home, out = tmp_path / "home", tmp_path / "out"
    home.mkdir()
    path = tmp_path / "p.notcher"
    project_file.save(project, path)
    env = {k: v for k, v in os.environ.items() if not k.startswith("XDG_")} | {"HOME": str(home)}
    film = ["film", str(path), str(tmp_path / "f.webm"), "--pace", "110", "--width", "320", "--height", "240"]
    packet = ["packet", str(path), "-o", str(out), "--staff", "--paces", "100", "--keep-no-state"]
    for number, words in enumerate((film, packet)):
        traced = tmp_path / f"traced-{number}"
        done = subprocess.run(
            ["strace", "-f", "-qq", "-e", "trace=connect,sendto,sendmsg,sendmmsg", "-o", str(traced), sys.executable,
             "-m", "notcher.cli", *words],
            env=env, capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        assert [s for s in traced.read_text().splitlines() if _SENT.search(s) and not _LOCAL.search(s)] == []
    assert [p for p in home.rglob("*") if p.is_file() and "notcher" not in p.parts] == []
    left = {p.name for p in tmp_path.iterdir()} - {"home", "out", "p.notcher", "f.webm", "traced-0", "traced-1"}
    assert {name for name in left if not name.startswith("xdg-")} == set()
