"""The lesson page: one file without an address in it, that a real browser opens, plays and loops."""

import json
import re
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from notcher.audio.decode import load
from notcher.cli import main
from notcher.formats.errors import FileFormatError
from notcher.formats.lesson_page.page import REMINDER, lesson_page
from notcher.formats.tables import notes_json
from notcher.score.practice import NO_LESSON, TakeKept
from notcher.score.project import Phrase, Project, Request
from notcher.teach.plan import Step, What, write_step
from tests.conftest import note
from tests.formats.browser import browser, requests_of


class _Reader(HTMLParser):
    """What a page says, and the JSON in it."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.data: dict[str, Any] = {}
        self.unclosed: list[str] = []
        self.addresses: list[str] = []
        self._into = ""
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        found = dict(attrs)
        self._into = (found.get("id") or "") if tag == "script" and found.get("type") == "application/json" else ""
        self.addresses += [v for k, v in attrs if k in ("src", "href", "action", "poster") and v]
        if tag not in ("meta", "link", "input", "br", "path"):
            self.unclosed.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.unclosed.pop() == tag
        self._into = ""

    def handle_data(self, data: str) -> None:
        if self._into:
            self.data[self._into] = json.loads(data)


@pytest.fixture(scope="module")
def page(demo: Project) -> str:
    return lesson_page(demo)


def test_no_address_is_in_it(page: str) -> None:
    """Neither a protocol nor anything that a browser would fetch."""
    assert "http" not in page
    assert re.findall(r"(?i)(?:https?|wss?|ftp):", page) == []
    assert "//" not in re.sub(r"^\s*//.*$|\"[A-Za-z0-9+/=]{100,}\"", "", page, flags=re.MULTILINE)
    reader = _Reader(page)
    assert reader.unclosed == []
    assert set(reader.addresses) <= {"#tab", "data:,"}


def test_its_notes_are_the_projects(page: str, demo: Project) -> None:
    lesson = _Reader(page).data["lesson-data"]
    known = json.loads(notes_json(demo, demo.notes))["notes"]
    keys = ("id", "onset", "duration", "string", "fret", "pitch", "attack")
    assert [{k: n[k] for k in keys} for n in lesson["notes"]] == [{k: n[k] for k in keys} for n in known]
    drawn = {name for p in lesson["phrases"] for line in p["lines"]["all"]["wide"] for name in line["notes"]}
    assert drawn == {n.id for n in demo.notes}


def test_a_minute_of_solo_is_under_six_megabytes_with_the_recording(demo: Project, demo_path: Path) -> None:
    audio = load(demo_path.parent / demo.recording.path)
    span = demo.phrases[-1].end - demo.phrases[0].start
    assert len(lesson_page(demo, audio=audio).encode()) < 6e6 * span / 60


def test_the_recording_goes_along_only_when_it_is_said(
    demo: Project, demo_path: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "lesson.html"
    name = demo.phrases[0].name
    assert main(["lesson", str(demo_path), str(out), "--phrase", name]) == 0
    assert set(_Reader(out.read_text()).data["lesson-sounds"]) == {"written", "backing"}
    assert REMINDER not in capsys.readouterr().err
    assert main(["lesson", str(demo_path), str(out), "--phrase", name, "--with-recording", "--replace"]) == 0
    assert set(_Reader(out.read_text()).data["lesson-sounds"]) == {"written", "backing", "recording"}
    assert capsys.readouterr().err.count(REMINDER) == 1
    assert main(["lesson", str(demo_path), str(tmp_path / "lesson.txt")]) == 1


def test_words_that_would_end_the_script_do_not(project: Project) -> None:
    wild = replace(
        project, request=Request("</script><b>$title & \u2028", "$whose", "", "", "<i>"),
        phrases=(Phrase("p1", "</script><script>alert(1)</script>", 0.9, 7.0, advice="<img src=x>"),),
    )  # fmt: skip
    reader = _Reader(lesson_page(wild))
    assert reader.data["lesson-data"]["phrases"][0]["name"] == "</script><script>alert(1)</script>"
    assert set(reader.addresses) <= {"#tab", "data:,"}


def test_one_note_no_beat_and_no_phrases_make_a_page(project: Project) -> None:
    bare = replace(project, tempo=None, phrases=()).with_notes([note(1, 1.0, 2, 5)])
    lesson = _Reader(lesson_page(bare)).data["lesson-data"]
    assert (len(lesson["notes"]), lesson["beats"], lesson["bpm"]) == (1, [], None)
    with pytest.raises(FileFormatError, match="no notes"):
        lesson_page(bare.with_notes([]))
    long = replace(bare, phrases=(Phrase("p", "long", 0.0, 2000.0),))
    with pytest.raises(FileFormatError, match="fewer phrases"):
        lesson_page(long)


# -- in the browser ----------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def opened(page: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Any, str]]:
    folder = tmp_path_factory.mktemp("lesson")
    path = folder / "lesson.html"
    path.write_text(page, encoding="utf-8")
    with browser(folder / "profile") as driver:
        driver.get(path.as_uri())
        yield driver, path.as_uri()


def until(driver: Any, wanted: Callable[[], Any], seconds: float = 20.0) -> Any:
    for _ in range(round(seconds / 0.05)):
        if (found := wanted()) is not None and found is not False:
            return found
        time.sleep(0.05)
    raise AssertionError(driver.execute_script("return document.getElementById('status').textContent"))


def playing(driver: Any) -> dict[str, float]:
    """Start anew, without a count, and say what is looped."""
    driver.execute_script("lesson.stop(); document.getElementById('countin').checked = false")
    driver.find_element("id", "play").click()
    script = "const l = lesson.loop(); return l && {...l, buffer: l.buffer.duration, rate: l.buffer.sampleRate}"
    return dict(until(driver, lambda: driver.execute_script(script)))


@pytest.mark.alone
def test_it_opens_without_a_word_in_the_console_and_asks_for_nothing(opened: tuple[Any, str], demo: Project) -> None:
    driver, address = opened
    assert driver.get_log("browser") == []
    asked = [a for a in requests_of(driver, address) if not a.startswith("data:")]
    assert asked == [address]
    assert driver.title == demo.request.title
    shown = driver.execute_script("return lesson.data.notes.map(n => [n.id, n.string, n.fret])")
    assert shown == [[n.id, n.string, n.fret] for n in demo.notes]


@pytest.mark.alone
@pytest.mark.parametrize("pace", [100, 60, 25])
def test_it_loops_to_the_clock(opened: tuple[Any, str], demo: Project, pace: int) -> None:
    """Over two rounds and more, what the page says of where it is goes with its audio clock within 20 ms."""
    driver, _ = opened
    driver.execute_script(f"lesson.choose(0); lesson.setPace({pace})")
    loop = playing(driver)
    phrase = demo.phrases[0]
    seconds = (phrase.end - phrase.start) * 100 / pace
    assert (loop["from"], loop["to"]) == (phrase.start, phrase.end)
    assert abs(loop["buffer"] - seconds) < 2 / loop["rate"]
    rounds = 2.2 if pace > 50 else 0.3
    ends = time.monotonic() + rounds * seconds
    seen = 0
    while time.monotonic() < ends:
        clock, at = driver.execute_script("return [lesson.clock(), lesson.position()]")
        if clock > loop["startsAt"]:
            goal = phrase.start + ((clock - loop["startsAt"]) % seconds) * pace / 100
            off = abs(goal - at)
            assert min(off, phrase.end - phrase.start - off) * 100 / pace < 0.02
            seen += 1
        time.sleep(0.05)
    assert seen > 5
    driver.execute_script("lesson.stop()")


@pytest.mark.alone
def test_slowed_sound_keeps_its_pitch(opened: tuple[Any, str], demo: Project) -> None:
    """What the page itself would play of a held note at half the pace, measured by its strongest partials' comb."""
    driver, _ = opened
    driver.execute_script(
        "document.getElementById('hear').value = 'written'; lesson.choose(1); lesson.setPace(50);"
        "document.getElementById('click').checked = false"
    )
    playing(driver)
    n = next(n for n in demo.notes_between(demo.phrases[1].start, demo.phrases[1].end) if n.bend is None)
    low, high = ((t - demo.phrases[1].start) * 2 for t in (n.onset + 0.05, n.end - 0.02))
    samples, rate = driver.execute_script(
        "const b = lesson.loop().buffer, r = b.sampleRate;"
        f"return [Array.from(b.getChannelData(0).slice(Math.round({low} * r), Math.round({high} * r))), r]"
    )
    spectrum = np.abs(np.fft.rfft(np.array(samples) * np.hanning(len(samples)), 1 << 18))
    hz = np.fft.rfftfreq(1 << 18, 1 / rate)
    goal = 440.0 * 2 ** ((n.pitch(demo.tuning) - 69) / 12 + demo.offset_cents / 1200)
    scale = 2 ** (np.arange(-60, 61) / 1200)
    comb = [sum(np.interp(goal * s * k, hz, spectrum) for k in (1, 2, 3, 4)) for s in scale]
    assert abs(int(np.argmax(comb)) - 60) <= 5
    driver.execute_script("lesson.stop()")


@pytest.mark.alone
def test_keys_ticks_layers_theme_and_drag(opened: tuple[Any, str], demo: Project) -> None:
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.keys import Keys

    driver, address = opened
    driver.execute_script("lesson.stop(); lesson.choose(0); lesson.setPace(100); document.activeElement.blur()")
    ActionChains(driver).send_keys(Keys.ARROW_RIGHT, Keys.ARROW_DOWN, "d").perform()
    assert driver.find_element("id", "name").text == demo.phrases[1].name
    assert driver.execute_script("return lesson.state.pace") == 95
    assert driver.execute_script("return document.documentElement.dataset.theme") == "dark"
    ActionChains(driver).send_keys("o").perform()
    assert driver.execute_script("return lesson.range()") == [demo.phrases[0].start, demo.phrases[1].end]
    plain = len(driver.find_element("id", "lines").get_attribute("innerHTML"))
    driver.execute_script(
        "const l = document.getElementById('layer'); l.value = 'notes'; l.dispatchEvent(new Event('change'))"
    )
    assert len(driver.find_element("id", "lines").get_attribute("innerHTML")) < plain
    line = driver.find_elements("css selector", "#lines .line")[0]
    ActionChains(driver).move_to_element_with_offset(line, -150, 0).click_and_hold().move_by_offset(
        150, 0
    ).release().perform()
    low, high = driver.execute_script("return lesson.range()")
    assert demo.phrases[1].start <= low < high <= demo.phrases[1].end
    assert high - low < demo.phrases[1].end - demo.phrases[1].start
    box = driver.find_elements("css selector", "#phrases li.on input")[0]
    box.click()
    driver.get(address)
    assert driver.execute_script("return document.querySelectorAll('#phrases input')[3].checked") is True
    assert driver.execute_script("return document.documentElement.dataset.theme") == "dark"
    assert driver.get_log("browser") == []


@pytest.mark.alone
def test_it_fits_a_phone_and_is_named_for_a_screen_reader(opened: tuple[Any, str]) -> None:
    driver, address = opened
    driver.set_window_size(420, 860)
    driver.get(address)
    assert driver.execute_script("return document.documentElement.scrollWidth <= window.innerWidth")
    assert driver.execute_script("return document.getElementById('more').open") is False
    nameless = driver.execute_script(
        "return [...document.querySelectorAll('button, select, input, svg, nav, section')].filter(e => !("
        "e.textContent.trim() || e.getAttribute('aria-label') || (e.labels && e.labels.length)))"
        ".map(e => e.outerHTML.slice(0, 80))"
    )
    assert nameless == []
    small = driver.execute_script(
        "return [...document.querySelectorAll('#desk > button')].filter("
        "b => b.getBoundingClientRect().height < 24).length"
    )
    assert small == 0
    driver.set_window_size(1280, 900)


@pytest.mark.alone
def test_on_a_phone_the_line_that_sounds_is_in_view_and_keys_work_after_a_tap(opened: tuple[Any, str]) -> None:
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.keys import Keys

    driver, address = opened
    driver.set_window_size(390, 700)
    driver.get(address)
    longest = driver.execute_script(
        "const key = lesson.state.layer; const count = lesson.data.phrases.map(p => p.lines[key].narrow.length);"
        "return count.indexOf(Math.max(...count))"
    )
    driver.execute_script(
        "document.getElementById('countin').checked = false; document.getElementById('click').checked = false;"
        f"lesson.setPace(110); document.querySelectorAll('#phrases button')[{longest}].click();"
        f"document.querySelectorAll('#phrases button')[{longest}].focus()"
    )
    ActionChains(driver).send_keys(Keys.SPACE).perform()
    until(driver, lambda: driver.execute_script("return lesson.state.playing && lesson.loop() !== null"))
    ActionChains(driver).send_keys(Keys.ARROW_DOWN).perform()
    assert driver.execute_script("return lesson.state.pace") == 105
    in_view = (
        "const head = [...document.querySelectorAll('#lines .head-line')].find(e => !e.hidden);"
        "if (!head) return null; const box = head.parentElement.getBoundingClientRect();"
        "const desk = document.getElementById('desk').getBoundingClientRect().top;"
        "return [box.top >= -1 && box.bottom <= desk + 1, +head.parentElement.dataset.line, box.height < desk]"
    )
    seen: dict[int, bool] = {}
    for _ in range(160):
        found = driver.execute_script(in_view)
        if found and found[2]:
            seen[found[1]] = seen.get(found[1], False) or found[0]
        time.sleep(0.05)
    assert len(seen) > 1, "it went from line to line"
    assert all(seen.values())
    ActionChains(driver).send_keys(Keys.SPACE).perform()
    assert driver.execute_script("return lesson.state.playing") is False
    driver.set_window_size(1280, 900)


def test_it_opens_at_the_pace_last_taught(demo: Project) -> None:
    def opens_at(project: Project) -> object:
        return _Reader(lesson_page(project)).data["lesson-data"]["pace"]

    first = demo.phrases[0]
    takes = tuple(TakeKept(f"2027-03-1{k}T10:00", first.id, pace, 6) for k, pace in ((1, 50.0), (2, 72.0)))
    assert opens_at(replace(demo, takes=takes)) == 70
    line = write_step(Step(What.PHRASE, (first.name,), pace=60, rounds=2))
    assert opens_at(replace(demo, takes=(), lesson=replace(demo.lesson, lines=(line,)))) == 60
    assert opens_at(replace(demo, takes=(), lesson=NO_LESSON)) == 100
