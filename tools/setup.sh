#!/usr/bin/env bash
# Sets Notcher up: system libraries, virtual environment, pinned packages. Usage: tools/setup.sh [run|dev]
# Does nothing when everything stands already.
set -euo pipefail
cd "$(dirname "$0")/.."
kind="${1:-run}"
stamp=".venv/.notcher-$kind"
want="$(cat "requirements/$kind.txt" pyproject.toml tools/setup.sh | sha256sum | cut -d' ' -f1)"
if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ]; then exit 0; fi

# Library that Qt's window, sound and fonts load => Debian package that has it.
libraries="libxcb-icccm.so.4=libxcb-icccm4 libxcb-keysyms.so.1=libxcb-keysyms1 libxcb-cursor.so.0=libxcb-cursor0
libxcb-image.so.0=libxcb-image0 libxcb-render-util.so.0=libxcb-render-util0 libxcb-randr.so.0=libxcb-randr0
libxcb-shape.so.0=libxcb-shape0 libxcb-xkb.so.1=libxcb-xkb1 libxkbcommon-x11.so.0=libxkbcommon-x11-0
libxkbcommon.so.0=libxkbcommon0 libEGL.so.1=libegl1 libGL.so.1=libgl1 libfontconfig.so.1=libfontconfig1
libdbus-1.so.3=libdbus-1-3 libpulse.so.0=libpulse0 libglib-2.0.so.0=libglib2.0-0 libX11-xcb.so.1=libx11-xcb1"
found="$({ ldconfig -p || /sbin/ldconfig -p; } 2>/dev/null || true)"
missing=""
for pair in $libraries; do
    case "$found" in *"${pair%%=*}"*) ;; *) missing="$missing ${pair##*=}" ;; esac
done
python="${PYTHON:-python3}"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || {
    echo "Notcher needs Python 3.11 or newer as python3 (or set PYTHON=/path/to/python3.11)." >&2
    exit 1
}
"$python" -c 'import venv, ensurepip' 2>/dev/null || missing="$missing python3-venv"
if [ "$kind" = dev ]; then
    command -v Xvfb >/dev/null || missing="$missing xvfb"
fi
if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then sudo=""; elif sudo -n true 2>/dev/null; then sudo="sudo -n"; else sudo="no"; fi
    if [ "$sudo" != no ] && command -v apt-get >/dev/null; then
        echo "Installing system packages:$missing"
        $sudo env DEBIAN_FRONTEND=noninteractive apt-get update -q >/dev/null
        # shellcheck disable=SC2086
        $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends $missing >/dev/null
    else
        echo "Some system libraries are missing. Run this, then try again:  sudo apt-get install$missing" >&2
        exit 1
    fi
fi

[ -x .venv/bin/python ] || "$python" -m venv .venv
echo "Installing Notcher's packages into .venv (a few minutes the first time) ..."
.venv/bin/python -m pip install -qq --disable-pip-version-check --require-hashes -r "requirements/$kind.txt"
.venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps --no-build-isolation -e .
.venv/bin/python -m compileall -q src/notcher
# librosa's functions are compiled when first used, which takes most of a minute; here it delays nobody's first beat.
.venv/bin/python - <<'EOF'
import numpy as np
from notcher.audio.recording import Audio
from notcher.listen.beats import guess_beats

clicks = np.zeros((1, 44100 * 10), np.float32)
clicks[:, :: 44100 // 2] = 0.5
guess_beats(Audio(clicks, 44100, 1))
EOF
[ "$kind" = dev ] && \
    cat requirements/run.txt pyproject.toml tools/setup.sh | sha256sum | cut -d' ' -f1 > .venv/.notcher-run
echo "$want" > "$stamp"
