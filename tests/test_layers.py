"""The order of the rooms, and that the work is done without Qt."""

import ast
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


def _imports(path: Path, modules: set[str]) -> set[str]:
    """Modules of Notcher that one imports, late ones included, those for types alone left out."""
    tree = ast.parse(path.read_text(encoding="utf-8"))
    for_types = {
        id(inner) for node in ast.walk(tree)
        if isinstance(node, ast.If) and isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"
        for inner in ast.walk(node)
    }  # fmt: skip
    found: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and id(node) not in for_types:
            found |= {whole if (whole := f"{node.module}.{a.name}") in modules else node.module for a in node.names}
    return found & modules


def test_no_two_modules_import_each_other() -> None:
    """Neither at the top nor late."""
    names = {
        ".".join(p.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__"): p
        for p in (ROOT / "src").rglob("*.py")
    }
    graph = {name: _imports(path, set(names)) - {name} for name, path in names.items()}
    assert [(a, b) for a in graph for b in graph[a] if a < b and a in graph[b]] == []
    assert sum(map(len, graph.values())) > 1000, "imports are read"


def test_no_function_is_longer_than_a_screen() -> None:
    """Sixty lines, docstring apart."""
    long = []
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef):
                doc = len((ast.get_docstring(node, clean=False) or "").splitlines())
                if (node.end_lineno or 0) - node.lineno + 1 - doc > 60:
                    long.append(f"{path.name}: {node.name}")
    assert long == []
