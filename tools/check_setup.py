"""Whether what was set up can work: every dependency is imported, and every shared object finds its libraries.

Run by tools/setup.sh with the Python of .venv. Prints the Debian packages of what is missing, one a line, on standard
output; says on standard error what needs them. Exit status 0: all is there; 1: something is missing; 2: a dependency
cannot be imported although no library is missing.
"""

import importlib
import os
import re
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SITE = Path(sys.prefix) / "lib"
# Distributions whose modules are named otherwise, and the parts of PyQt6 that are used.
MODULES = {
    "PyQt6": ("PyQt6.QtWidgets", "PyQt6.QtMultimedia", "PyQt6.QtSvg"), "fonttools": ("fontTools",), "fpdf2": ("fpdf",),
    "swift-f0": ("swift_f0",), "python-rtmidi": ("rtmidi",),
}  # fmt: skip
# Parts of wheels that Notcher never loads: Qt Quick and 3D, databases, speech, a desktop theme, and (in tests) a way
# for numba to share work between cores for which it has two others.
UNUSED = re.compile(
    r"/PyQt6/Qt6/(?:qml|plugins/(?:sqldrivers|texttospeech|platformthemes|webview|sceneparsers|renderers|renderplugins"
    r"|geometryloaders|assetimporters|help|qmllint|qmlls|scxmldatamodel|sensors|position|egldeviceintegrations))/"
    r"|/numba/np/ufunc/tbbpool|/PyQt6/Qt6/lib/libQt6(?:Quick|Qml|3D|Sql|TextToSpeech|Designer|Pdf|Sensors|Remote|Nfc)"
)
AT_ONCE = 60


def dependencies() -> list[str]:
    """The modules of all declared dependencies."""
    declared = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["dependencies"]
    return [module for name in declared for module in MODULES.get(name, (name.replace("-", "_"),))]


def unresolved() -> Iterator[tuple[str, Path]]:
    """(library, shared object that needs it and does not find it)."""
    objects = [p for p in SITE.rglob("*.so*") if p.is_file() and not p.is_symlink() and not UNUSED.search(str(p))]
    # A wheel's own libraries find each other through whoever loads them.
    carried = {p.name for p in objects}
    for at in range(0, len(objects), AT_ONCE):
        said = subprocess.run(
            ["ldd", *map(str, objects[at : at + AT_ONCE])], capture_output=True, text=True, check=False
        ).stdout
        current = objects[at]
        for line in said.splitlines():
            if line.endswith(":") and not line.startswith("\t"):
                current = Path(line[:-1])
            elif "not found" in line:
                library = line.split()[0].rstrip(":")
                if library not in carried and library.startswith("lib"):
                    yield library, current


def package_of(library: str, known: dict[str, str]) -> str:
    """The Debian package that has a library: from the list, else by how Debian names them (libfoo.so.1: libfoo1)."""
    if library in known:
        return known[library]
    stem, _, version = library.partition(".so.")
    return (stem + ("-" if stem[-1:].isdigit() else "") + version.split(".")[0]).lower().replace("_", "-")


def known_packages() -> dict[str, str]:
    """Library to package, from tools/system-libraries.txt."""
    lines = (ROOT / "tools/system-libraries.txt").read_text().splitlines()
    return {fields[0]: fields[1] for line in lines if (fields := line.split()) and not line.startswith("#")}


def main() -> int:
    """Check it, and say what is missing."""
    os.environ["ORT_DISABLE_TELEMETRY"] = "1"
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("QT_LOGGING_RULES", "qt.multimedia*=false")
    known, packages = known_packages(), set()
    for library, needed_by in unresolved():
        package = package_of(library, known)
        if package not in packages:
            print(f"{library} is missing (package {package}), which {needed_by.name} needs", file=sys.stderr)
            print(package)
        packages.add(package)
    failed = False
    for module in dependencies():
        try:
            importlib.import_module(module)
        except ImportError as error:
            failed = True
            print(f"{module} cannot be imported: {error}", file=sys.stderr)
            missing = re.match(r"(lib\S+?\.so[.0-9]*)", str(error))
            if missing and package_of(missing[1], known) not in packages:
                packages.add(package_of(missing[1], known))
                print(package_of(missing[1], known))
    if packages:
        return 1
    return 2 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
