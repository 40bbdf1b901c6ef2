"""A real browser without a screen: Debian's Chromium, driven through its own driver, with no network."""

import contextlib
import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

_ARGUMENTS = (
    "--headless=new", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
    "--autoplay-policy=no-user-gesture-required",
)  # fmt: skip


@contextlib.contextmanager
def browser(profile: Path, *, width: int = 1280, height: int = 900) -> Iterator[Any]:
    """A window of its own, with a profile in a folder that is given."""
    options = Options()
    options.binary_location = "/usr/bin/chromium"
    for argument in (*_ARGUMENTS, f"--window-size={width},{height}", f"--user-data-dir={profile}"):
        options.add_argument(argument)
    if os.geteuid() == 0:
        options.add_argument("--no-sandbox")
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    try:
        yield driver
    finally:
        driver.quit()


def requests_of(driver: Any, since: str) -> list[str]:
    """Addresses that the page asked for, from the one on that opened it."""
    sent = [json.loads(entry["message"])["message"] for entry in driver.get_log("performance")]
    asked = [m["params"]["request"]["url"] for m in sent if m["method"] == "Network.requestWillBeSent"]
    return asked[asked.index(since) :]
