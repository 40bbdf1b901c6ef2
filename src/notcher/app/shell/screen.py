"""Whether there is a screen that answers, asked before Qt is: Qt ends the process where there is none, and blames a
missing library."""

import ctypes
import os
import socket
from pathlib import Path

from notcher.score.clause import Clause
from notcher.score.errors import NotcherError

_HINT = Clause("start Notcher from a desktop session, or use its commands: notcher --help")


def check_screen() -> None:
    """Raises NotcherError where no screen is named, or none of those named answers."""
    platform = os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0]
    if platform not in ("", "xcb", "wayland"):
        # Offscreen, or something Qt is told to use all the same.
        return
    wayland, display = os.environ.get("WAYLAND_DISPLAY", ""), os.environ.get("DISPLAY", "")
    if not wayland and not display:
        raise NotcherError("no screen was found (DISPLAY is not set); {hint}", hint=_HINT)
    answers = (platform != "xcb" and _wayland_answers(wayland)) or (platform != "wayland" and _x_answers(display))
    if not answers:
        named = " nor ".join(f"'{name}'" for name in (wayland, display) if name)
        raise NotcherError("no screen answers as {named}; {hint}", named=named, hint=_HINT)


def _wayland_answers(name: str) -> bool:
    if not name:
        return False
    place = Path(os.environ.get("XDG_RUNTIME_DIR", "/")) / name
    with socket.socket(socket.AF_UNIX) as asked:
        asked.settimeout(3)
        try:
            asked.connect(bytes(place))
        except OSError:
            return False
    return True


def _x_answers(name: str) -> bool:
    if not name:
        return False
    try:
        xcb = ctypes.CDLL("libxcb.so.1")
    except OSError:
        # Then Qt says which libraries are missing.
        return True
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connection_has_error.argtypes = xcb.xcb_disconnect.argtypes = [ctypes.c_void_p]
    connection = xcb.xcb_connect(None, None)
    failed = bool(xcb.xcb_connection_has_error(connection))
    xcb.xcb_disconnect(connection)
    return not failed
