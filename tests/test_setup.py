"""What set-up promises: every package that is imported is declared, and what a machine lacks is named."""

import ast
import subprocess
import sys
import tomllib

import pytest
from tools import check_setup

from tests.conftest import ROOT

MODULES = {name: parts[0].split(".")[0] for name, parts in check_setup.MODULES.items()}
# Comes with another that is declared: Pillow with fpdf2, which draws its pictures with it.
WITH_ANOTHER = {"PIL"}


def imported() -> set[str]:
    found: set[str] = set()
    for path in (ROOT / "src/notcher").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Import):
                found |= {alias.name.split(".")[0] for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                found.add(node.module.split(".")[0])
    return found - set(sys.stdlib_module_names) - {"notcher"}


def test_every_package_that_is_imported_is_declared_and_pinned() -> None:
    declared = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    names = {MODULES.get(name, name.replace("-", "_")) for name in declared}
    assert imported() - names - WITH_ANOTHER == set()
    pinned = (ROOT / "requirements/run.txt").read_text().lower()
    assert [name for name in declared if f"\n{name.lower()}==" not in f"\n{pinned}"] == []


@pytest.mark.parametrize(
    ("library", "package"),
    [("libatomic.so.1", "libatomic1"), ("libwayland-cursor.so.0", "libwayland-cursor0"),
     # As Debian policy names packages of shared libraries (Debian Policy Manual 8.1).
     ("libfoo.so.3", "libfoo3"), ("libbar2.so.1", "libbar2-1")],
)  # fmt: skip
def test_a_missing_library_is_named_by_its_package(library: str, package: str) -> None:
    assert check_setup.package_of(library, check_setup.known_packages()) == package


@pytest.mark.slow
def test_this_machine_lacks_nothing() -> None:
    done = subprocess.run(
        [sys.executable, str(ROOT / "tools/check_setup.py")], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stdout) == (0, ""), done.stderr
