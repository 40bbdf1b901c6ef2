"""Every model has a certificate, and none is older than the code its features come from."""

from pathlib import Path

import pytest
from tools import models as tool

from tests.conftest import ROOT

_MANIFEST = """
[one]
file = "data/one.bin"
modules = ["fit_one"]
features_from = ["src/features.py"]
material_from = ["src/material.py"]
sha256 = ""
code = ""
material = ""

[two]
file = "data/two.bin"
features_from = ["src/features.py"]
"""
_FIT = "from pathlib import Path\nPath('data/one.bin').write_bytes(Path('src/features.py').read_bytes()[:9])\n"


@pytest.fixture
def manifest(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Two models of a small tree of its own, sealed."""
    for name, text in {
        "models/manifest.toml": _MANIFEST, "data/one.bin": "old", "data/two.bin": "other", "fit_one.py": _FIT,
        "src/features.py": '"""Doc."""\n\n\ndef f(x):\n    return 2 * x\n', "src/material.py": "SEED = 3\n",
    }.items():  # fmt: skip
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)
    monkeypatch.setattr(tool, "ROOT", tmp_path)
    found = tmp_path / "models/manifest.toml"
    for name in ("one", "two"):
        tool.seal(name, found)
    assert tool.check(found) == []
    return found


def test_every_model_here_is_as_it_was_sealed() -> None:
    assert tool.check() == []


def test_every_model_that_ships_has_a_certificate() -> None:
    shipped = {p for p in (ROOT / "src/notcher/data").iterdir() if p.suffix in (".npz", ".onnx")}
    shipped |= {ROOT / "src/notcher/data" / name for name in ("metre.json", "lead_signs.json", "place_weights.json")}
    assert {m.file for m in tool.models()} == shipped


def test_what_changes_no_number_makes_no_model_old(manifest: Path) -> None:
    code = manifest.parent.parent / "src/features.py"
    code.write_text(
        '"""Other words."""\nimport math  # moved\n\n\ndef f(x):\n    """Twice."""\n    return 2 * x  # said\n'
    )
    assert tool.check(manifest) == []
    code.write_text("def f(x):\n    return 3 * x\n")
    assert [line.split(":")[0] for line in tool.check(manifest)] == ["one", "two"]


def test_making_goes_on_where_something_is_old_and_seals_it(manifest: Path, capsys: pytest.CaptureFixture[str]) -> None:
    top = manifest.parent.parent
    (top / "src/material.py").write_text("SEED = 4\n")
    tool.make(manifest)
    assert (top / "data/one.bin").read_bytes() == b'"""Doc.""'
    assert tool.check(manifest) == []
    assert capsys.readouterr().out.splitlines() == ["one: fit_one", "two: as it is"]
    (top / "data/two.bin").write_text("changed by hand")
    with pytest.raises(SystemExit, match="two: sha256 differ, and nothing here makes it"):
        tool.make(manifest)
