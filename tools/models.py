"""The models' birth certificates: models/manifest.toml says of each which file it is, what made it, from which material
and code, how good it was, whose it is.

    python -m tools.models check         does each model fit the code its features come from? (seconds; in `make test`)
    python -m tools.models make          makes anew those that do not, in order, and goes on where it was stopped
    python -m tools.models seal NAME     writes the hashes of what is there, after a model was fitted or code changed
    form

Code is hashed as it is parsed, without comments, docstrings, layout and the places of what it imports: what changes no
number makes no model old. A model that is fitted by hand elsewhere names no modules and is only checked.
"""

import ast
import hashlib
import re
import subprocess
import sys
import tomllib
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
MANIFEST = ROOT / "models" / "manifest.toml"
_SEALED = ("sha256", "code", "material")


@dataclass(frozen=True)
class Model:
    """One model. file: from the top; modules: what fits it, run in order, () for none; code_of, material_of: files its
    features and its material come from; sha256, code, material: hashes as sealed."""

    name: str
    file: Path
    modules: tuple[str, ...]
    code_of: tuple[Path, ...]
    material_of: tuple[Path, ...]
    sha256: str
    code: str
    material: str

    def is_as_sealed(self) -> list[str]:
        """What is otherwise than when it was sealed: names of hashes."""
        return [name for name, now in hashes(self).items() if now != getattr(self, name)]


def models(manifest: Path = MANIFEST) -> list[Model]:
    """All of them, in the order in which they are made."""
    top = manifest.parent.parent
    out = []
    for name, row in tomllib.loads(manifest.read_text(encoding="utf-8")).items():
        code, material = (tuple(top / p for p in row.get(k, ())) for k in ("features_from", "material_from"))
        out.append(Model(name, top / row["file"], tuple(row.get("modules", ())), code, material,
                         *(row.get(k, "") for k in _SEALED)))  # fmt: skip
    return out


def hashes(model: Model) -> dict[str, str]:
    """Of the file, its features' code and its material's code, as they are now."""
    return {
        "sha256": hashlib.sha256(model.file.read_bytes()).hexdigest(), "code": _of(model.code_of),
        "material": _of(model.material_of),
    }  # fmt: skip


def _of(paths: tuple[Path, ...]) -> str:
    whole = hashlib.sha256()
    for path in paths:
        whole.update(code_hash(path.read_text(encoding="utf-8")).encode())
    return whole.hexdigest()[:16] if paths else ""


def code_hash(source: str) -> str:
    """Of what some Python computes: without comments, docstrings, layout, and where it imports from."""
    tree = ast.parse(source)
    for node in ast.walk(tree):
        body = getattr(node, "body", None)
        if isinstance(body, list):
            node.body = [b for b in body if not _says_nothing(b)] or [ast.Pass()]  # type: ignore[attr-defined]
    return hashlib.sha256(ast.dump(tree).encode()).hexdigest()


def _says_nothing(node: ast.AST) -> bool:
    text = isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)
    return text or isinstance(node, (ast.Import, ast.ImportFrom))


def check(manifest: Path = MANIFEST) -> list[str]:
    """A line for each model that is not what it was sealed as."""
    words = {
        "sha256": "its file is another than the one that was sealed",
        "code": "the code of its features is newer than the model",
        "material": "the code of its material is newer than the model",
    }
    return [f"{m.name}: {words[name]}" for m in models(manifest) for name in m.is_as_sealed()]


def seal(name: str, manifest: Path = MANIFEST) -> None:
    """Write what is there now into a model's row."""
    model = next((m for m in models(manifest) if m.name == name), None)
    if model is None:
        raise SystemExit(f"no model is called '{name}'; there are {', '.join(m.name for m in models(manifest))}")
    text = manifest.read_text(encoding="utf-8")
    start = text.index(f"[{name}]\n")
    end = text.find("\n[", start + 1)
    row = text[start : end if end >= 0 else len(text)]
    for key, value in hashes(model).items():
        row, count = re.subn(rf'^{key} = ".*"$', f'{key} = "{value}"', row, flags=re.MULTILINE)
        if not count:
            row = row.rstrip("\n") + f'\n{key} = "{value}"\n'
    manifest.write_text(text[:start] + row + (text[end:] if end >= 0 else ""), encoding="utf-8")


def make(manifest: Path = MANIFEST) -> None:
    """Fit what is not as sealed, one after another; each is sealed as soon as it is there."""
    for model in models(manifest):
        old = model.is_as_sealed()
        if not old:
            print(f"{model.name}: as it is")
        elif not model.modules:
            raise SystemExit(f"{model.name}: {', '.join(old)} differ, and nothing here makes it; see {manifest}")
        else:
            for module in model.modules:
                print(f"{model.name}: {module}", flush=True)
                subprocess.run([sys.executable, "-m", module], check=True, cwd=ROOT)
            seal(model.name, manifest)


def main(arguments: list[str]) -> int:
    """As the command line has it; 1 where something is wrong."""
    match arguments:
        case ["check"]:
            lines = check()
            print(*lines or ["every model is as it was sealed"], sep="\n")
            return int(bool(lines))
        case ["make"]:
            make()
            return 0
        case ["seal", *names]:
            for name in names or [m.name for m in models()]:
                seal(name)
            return 0
    print(__doc__)
    return 1


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
