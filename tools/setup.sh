#!/usr/bin/env bash
# Sets Notcher up: system libraries, virtual environment, pinned packages. Usage: tools/setup.sh [run|dev]
# Does nothing when everything stands already.
set -euo pipefail
cd "$(dirname "$0")/.."
kind="${1:-run}"
stamp=".venv/.notcher-$kind"
stamp_of() { cat "requirements/$1.txt" pyproject.toml tools/setup.sh tools/check_setup.py tools/system-libraries.txt | sha256sum | cut -d' ' -f1; }
want="$(stamp_of "$kind")"
if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ]; then exit 0; fi

# Installs Debian packages where that may be done without asking; else says what to type.
install_packages() {
    local sudo
    if [ "$(id -u)" = 0 ]; then sudo=""; elif sudo -n true 2>/dev/null; then sudo="sudo -n"; else sudo="no"; fi
    if [ "$sudo" != no ] && command -v apt-get >/dev/null; then
        echo "Installing system packages: $*"
        $sudo env DEBIAN_FRONTEND=noninteractive apt-get update -q >/dev/null
        $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "$@" >/dev/null
    else
        echo "Some system libraries are missing. Run this, then try again:  sudo apt-get install $*" >&2
        exit 1
    fi
}

python="${PYTHON:-python3}"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || {
    echo "Notcher needs Python 3.11 or newer as python3 (or set PYTHON=/path/to/python3.11)." >&2
    exit 1
}
missing=()
"$python" -c 'import venv, ensurepip' 2>/dev/null || missing+=(python3-venv)
if [ "$kind" = dev ]; then
    command -v Xvfb >/dev/null || missing+=(xvfb)
    command -v strace >/dev/null || missing+=(strace)
    { command -v chromium && command -v chromedriver; } >/dev/null || missing+=(chromium chromium-driver)
fi
found="$({ ldconfig -p || /sbin/ldconfig -p; } 2>/dev/null || true)"
while read -r library package _; do
    case "$library" in "#"* | "") continue ;; esac
    case "$found" in *"$library"*) ;; *) missing+=("$package") ;; esac
done < tools/system-libraries.txt
[ "${#missing[@]}" = 0 ] || install_packages "${missing[@]}"

[ -x .venv/bin/python ] || "$python" -m venv .venv
echo "Installing Notcher's packages into .venv (a few minutes the first time) ..."
.venv/bin/python -m pip install -qq --disable-pip-version-check --require-hashes -r "requirements/$kind.txt"
.venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps --no-build-isolation -e .

# No list is complete on every machine: what was installed is looked at, and what it lacks is named.
if ! lacking="$(.venv/bin/python tools/check_setup.py)"; then
    # shellcheck disable=SC2086
    [ -z "$lacking" ] || install_packages $lacking
    .venv/bin/python tools/check_setup.py >/dev/null || {
        echo "Notcher cannot run yet: see the lines above." >&2
        exit 1
    }
fi

.venv/bin/python -m compileall -q src/notcher
if [ "$kind" = dev ]; then
    # The tests' trackers of librosa are compiled when first used; here once, for every worker (tests/conftest.py).
    .venv/bin/python - <<'PYTHON'
import librosa
import numpy as np

for kind in (np.float32, np.float64):
    sound = np.sin(np.arange(22050) * 0.06).astype(kind)
    librosa.yin(sound, fmin=80, fmax=1400)
    librosa.pyin(sound, fmin=80, fmax=1400)
    librosa.vqt(sound)
PYTHON
fi
[ "$kind" = dev ] && stamp_of run > .venv/.notcher-run
echo "$want" > "$stamp"
