"""One picture of each main view, made from the demo data: `make screenshots` writes docs/screenshots/."""

import os
import tempfile
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
FOLDER = ROOT / "docs/screenshots"


def main() -> None:
    """Drive the real window through its rooms, offscreen, with folders of its own."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        for name in ("STATE", "CONFIG", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = f"{folder}/{name.lower()}"
        _take()


def _take_lesson(project: Any) -> None:
    """The lesson page, as a browser shows it."""
    from tests.formats.browser import browser

    from notcher.formats.lesson_page.page import lesson_page

    with tempfile.TemporaryDirectory() as folder:
        page = Path(folder) / "lesson.html"
        page.write_text(lesson_page(project), encoding="utf-8")
        with browser(Path(folder) / "profile", height=943) as driver:
            driver.get(page.as_uri())
            driver.execute_script("lesson.choose(2); lesson.setPace(60); document.activeElement.blur()")
            driver.save_screenshot(str(FOLDER / "lesson-page.png"))


def _take() -> None:
    from PyQt6.QtCore import QEventLoop, QTimer
    from PyQt6.QtWidgets import QApplication

    from notcher.app.shell.window import Window
    from notcher.app.state.settings import Settings
    from notcher.app.widgets.theme import load_fonts
    from notcher.demo_copy import demo_project

    app = QApplication([])
    app.setStyle("Fusion")
    load_fonts()
    FOLDER.mkdir(parents=True, exist_ok=True)

    def wait(milliseconds: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(milliseconds, loop.quit)
        loop.exec()

    window = Window(Settings())
    # Offscreen there is a screen of 800 pixels only.
    window.resize(1280, 800)
    window.show()
    desk = window.desk
    views: dict[str, Any] = dict(window.views)

    def keep(name: str) -> None:
        wait(250)
        window.grab().save(str(FOLDER / f"{name}.png"))

    keep("first-start")
    window.tasks.opening.open(demo_project())
    while window.tasks.busy:
        wait(50)
    notes = desk.session.project.notes
    bend = next(n for n in notes if n.bend and n.bend.target_cents == 300)
    desk.axis.show_range(bend.onset - 3.2, bend.onset + 3.4)
    desk.transport.set_loop((bend.onset - 0.7, bend.end + 0.9))
    desk.transport.seek(bend.onset - 0.3)
    desk.session.select(frozenset({bend.id}))
    desk.show_room("notch")
    window._run("view.degrees")
    window.messages.clear()
    keep("notch")
    window._run("note.say")
    keep("notch-line")
    views["notch"].say.close_line()
    window._run("note.why")
    wait(500)
    while views["notch"].evidence._listening.running:
        wait(50)
    desk.transport.pause()
    window.messages.clear()
    keep("evidence")
    window._run("note.why")
    desk.show_room("source")
    keep("source")
    views["source"].show_step(1)
    keep("source-isolate")
    desk.axis.show_range(4.0, 11.0)
    views["source"].show_step(3)
    keep("source-beat")
    desk.axis.show_range(bend.onset - 3.2, bend.onset + 3.4)
    desk.transport.set_loop(None)
    desk.step_phrase(1)
    desk.show_room("place")
    wait(1500)
    desk.transport.seek(desk.transport.position + 1.2)
    keep("place")
    # An offer that is looked at, in the dark, over the strings' pull.
    desk.step_phrase(1)
    wait(1500)
    place = views["place"]
    place.look_or_take(next(k for k, o in enumerate(place._offers) if not o.now))
    place.show_guitar.click()
    place.guitar.gauges.setText("10 13 17 26w 36w 46w")
    place.guitar.gauges.editingFinished.emit()
    window._run("view.theme")
    wait(1500)
    place.look_or_take(next(k for k, o in enumerate(place._offers) if not o.now))
    keep("place-dark")
    window._run("view.theme")
    place.show_guitar.click()
    desk.step_phrase(-1)
    desk.show_room("teach")
    desk.step_phrase(1)
    desk.transport.seek(desk.transport.position + 1.4)
    keep("teach")
    window._run("view.neck")
    keep("teach-neck")
    window._run("view.neck")
    teach = views["teach"]
    teach.make_lesson()
    desk.lesson.start()
    wait(4500)
    keep("teach-lesson")
    desk.lesson.stop()
    teach.toggle_lesson()
    teach.toggle_takes()
    teach.toggle_cue()
    desk.transport.set_pace(100)
    teach.take_bar.late.setValue(60)
    for short in (40, 20):
        teach.take_bar.short.setValue(short)
        teach.record()
        wait(1000)
        while teach.take.state.value != "idle":
            wait(200)
    keep("teach-take")
    teach.toggle_takes()
    teach.toggle_cue()
    desk.transport.set_count_in(False)
    desk.show_room("hand-out")
    views["hand-out"].page.staff.setChecked(True)
    wait(400)
    while views["hand-out"].page_count == 0:
        wait(100)
    keep("hand-out")
    views["hand-out"].show_view(1)
    keep("hand-out-sound")
    views["hand-out"].show_view(0)
    _take_lesson(desk.session.project)
    desk.show_room("notch")
    desk.axis.show_range(0.0, 30.0)
    window._answer("theme")
    keep("notch-dark-wide")
    window._answer("theme")
    desk.show_room("collect")
    collect = views["collect"]
    collect.take_folder(demo_project().parent)
    while window.tasks.busy:
        wait(50)
    collect.field.setText("bend over F#m")
    collect._look()
    wait(400)
    keep("collect")
    desk.show_room("teach")
    window._answer("keys")
    keep("keys")
    window._leave()


if __name__ == "__main__":
    main()
