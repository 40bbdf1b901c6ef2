"""A soak: thousands of random keys, commands and clicks over all rooms of the real window, on the demo or a long score.

Nothing may be raised, and once the first thousand have loaded what there is to load, memory stays level: only what undo
keeps may grow. Run: python -m benchmarks.soak [COUNT] [SEED] [BARS], with BARS a score of eight notes a bar.
"""

import os
import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from types import TracebackType
from typing import Any

COUNT, SETTLED_AFTER = 20_000, 1_000
LONG_BARS = 88
"""Of the long score: 704 notes."""
MOST_GROWTH_MB = 150.0
"""What may be added after SETTLED_AFTER steps: undo keeps about 0.6 kB an edit, and glyphs, caches and the allocator
their share."""
_KEYS = "abcdefghijklmnopqrstuvwxyz0123456789,.[]=-'?/+"


@dataclass
class Soaked:
    """steps: how many were done; errors: what was raised, with the step; megabytes: (step, memory resident)."""

    steps: int = 0
    errors: list[str] = field(default_factory=list)
    megabytes: list[tuple[int, float]] = field(default_factory=list)
    seconds: float = 0.0

    @property
    def growth(self) -> float:
        """Megabytes added since things settled."""
        settled = [mb for step, mb in self.megabytes if step >= SETTLED_AFTER]
        return settled[-1] - settled[0] if settled else 0.0

    @property
    def passed(self) -> bool:
        """Whether nothing was raised and memory stayed level."""
        return not self.errors and self.growth <= MOST_GROWTH_MB


def resident_mb() -> float:
    """Memory of this process that is in use now."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def soak(count: int = COUNT, *, seed: int = 1, bars: int = 0) -> Soaked:
    """Drive the window offscreen, in folders of its own. bars: of a score, 0 for the demo."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as folder:
        for name in ("STATE", "CONFIG", "DATA", "CACHE"):
            os.environ[f"XDG_{name}_HOME"] = f"{folder}/{name.lower()}"
        return _soak(count, random.Random(seed), Path(folder), bars)


def _soak(count: int, rng: random.Random, folder: Path, bars: int) -> Soaked:
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest as Typed
    from PyQt6.QtWidgets import QApplication
    from tests.formats.test_sheet import long_project

    from notcher.app.commands import ALL
    from notcher.app.rooms.table import ROOMS
    from notcher.app.shell.start import take_down
    from notcher.app.shell.window import Window
    from notcher.app.state import transport
    from notcher.app.state.device import SilentClock
    from notcher.app.state.settings import Settings
    from notcher.app.widgets.theme import load_fonts
    from notcher.demo_copy import demo_project
    from notcher.formats import project_file

    vars(transport)["open_output"] = SilentClock
    # Its stubs know windows and keys by other types than it takes.
    hand: Any = Typed
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    load_fonts()
    window = Window(Settings())
    views: dict[str, Any] = dict(window.views)
    out = Soaked()

    def raised(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        where = traceback.extract_tb(trace)[-1]
        out.errors.append(f"step {out.steps}: {kind.__name__}: {error} ({Path(where.filename).name}:{where.lineno})")

    hook, sys.excepthook = sys.excepthook, raised
    window.tasks.ask.open_file = lambda _title: None
    window.tasks.ask.open_folder = lambda _title: None
    window.tasks.ask.printer = lambda: None
    window.tasks.ask.save_file = lambda *_: folder / f"saved-{rng.randrange(3)}.notcher"
    window.close = lambda: False  # type: ignore[method-assign]
    window.show()
    opened = demo_project()
    if bars:
        opened = folder / "long.notcher"
        project_file.save(long_project(bars), opened)
    window.tasks.opening.open(opened)
    while window.tasks.busy:
        app.processEvents()
        time.sleep(0.01)
    began, done = time.monotonic(), Counter[str]()
    modifiers = [Qt.KeyboardModifier.NoModifier] * 6 + [
        Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier,
    ]  # fmt: skip
    special = [
        Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Return, Qt.Key.Key_Escape,
        Qt.Key.Key_Space, Qt.Key.Key_Tab, Qt.Key.Key_PageDown, Qt.Key.Key_PageUp, Qt.Key.Key_Home, Qt.Key.Key_Delete,
        Qt.Key.Key_Backspace, Qt.Key.Key_F1,
    ]  # fmt: skip

    def step() -> None:
        desk, what = window.desk, rng.random()
        focus = QApplication.focusWidget() or window
        if what < 0.3:
            hand.keyClick(focus, rng.choice(_KEYS), rng.choice(modifiers))
        elif what < 0.5:
            hand.keyClick(focus, rng.choice(special), rng.choice(modifiers))
        elif what < 0.75:
            command = rng.choice(ALL)
            done[command.id] += 1
            if command.id not in ("file.quit", "file.open"):
                window._run(command.id)
        elif what < 0.83 and desk.session.project.notes:
            chosen = rng.sample(desk.session.project.notes, min(len(desk.session.project.notes), rng.randint(1, 4)))
            desk.session.select(frozenset(n.id for n in chosen))
        elif what < 0.88:
            desk.transport.seek(rng.uniform(0, desk.axis.duration))
        elif what < 0.93:
            desk.show_room(rng.choice(ROOMS).id)
        elif what < 0.95:
            window.resize(rng.randint(900, 1700), rng.randint(640, 1100))
        else:
            view = rng.choice(
                [w for w in (views["notch"].strand, window.overview, views["source"].map) if w.isVisible()] or [window]
            )
            hand.mouseClick(view, Qt.MouseButton.LeftButton, rng.choice(modifiers),
                             QPoint(rng.randrange(max(1, view.width())), rng.randrange(max(1, view.height()))))  # fmt: skip
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()
        if window.messages.choices and rng.random() < 0.3:
            window.messages.choose(rng.choice(window.messages.choices))
        app.processEvents()
        if not desk.session.project.notes:
            while desk.session.undo_stack.can_undo and not desk.session.project.notes:
                desk.session.undo()

    try:
        while out.steps < count:
            out.steps += 1
            try:
                step()
            except Exception as error:
                raised(type(error), error, error.__traceback__)
            if out.steps % 500 == 0:
                window.tasks.wait()
                app.processEvents()
                out.megabytes.append((out.steps, resident_mb()))
    finally:
        sys.excepthook = hook
        window.desk.transport.pause()
        take_down(window)
    out.seconds = time.monotonic() - began
    return out


def main(argv: list[str]) -> int:
    """COUNT steps; 1 where anything was raised or memory grew."""
    count, seed, bars = [*map(int, argv), *(COUNT, 1, 0)[len(argv) :]]
    found = soak(count, seed=seed, bars=bars)
    for error, times in Counter(e.split(": ", 1)[1] for e in found.errors).most_common(20):
        print(f"{times} times: {error}")
    for line in found.errors[:5]:
        print(line)
    print(", ".join(f"{step}: {mb:.0f} MB" for step, mb in found.megabytes))
    print(f"{found.steps} steps in {found.seconds:.0f} s, {len(found.errors)} raised, memory {found.growth:+.0f} MB")
    return 0 if found.passed else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
