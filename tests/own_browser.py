"""A real Chromium without a window, driven by its own driver, and what it says while it shows a page."""

import base64
import json
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from selenium.webdriver import Chrome, ChromeOptions
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

NEEDED = "GAUGER_NEEDS_CHROMIUM"

EXPLORER_READY = "return document.querySelector('#explorer').dataset.ready === 'yes'"
"""Whether a report has drawn its customers."""

_TRAP = (
    "window.caught = []; for (const one of ['alert', 'confirm', 'prompt']) window[one] = (text) => caught.push(text);"
)
"""Dialogs are noted instead of shown: whatever data bring must not open one."""


def find_browser() -> tuple[str, str] | None:
    """Debian's Chromium and its driver, or None."""
    found = shutil.which("chromium"), shutil.which("chromedriver")
    return (found[0], found[1]) if found[0] and found[1] else None


@dataclass
class Page:
    """A page in the browser."""

    driver: Chrome

    def run(self, script: str, *given: Any) -> Any:
        """What a script comes to in the page."""
        return self.driver.execute_script(script, *given)

    def find(self, selector: str) -> WebElement:
        """The first element of a CSS selector."""
        return self.driver.find_element(By.CSS_SELECTOR, selector)

    def click(self, selector: str) -> None:
        """Click what a CSS selector finds first, wherever it stands."""
        self.run("document.querySelector(arguments[0]).click()", selector)

    def choose(self, selector: str, value: str) -> None:
        """Give a control a value as a reader would: it hears that it has changed."""
        self.run(
            "const one = document.querySelector(arguments[0]); one.value = arguments[1];"
            "one.dispatchEvent(new Event('change', {bubbles: true}));",
            selector,
            value,
        )

    def texts(self, selector: str) -> list[str]:
        """The texts of every element of a CSS selector."""
        return list(
            self.run("return [...document.querySelectorAll(arguments[0])].map((one) => one.textContent)", selector)
        )

    def complaints(self) -> list[str]:
        """What the console has said."""
        return [entry["message"] for entry in self.driver.get_log("browser")]

    def requests(self) -> list[str]:
        """Everything that was asked for, whatever it holds itself aside."""
        told = [json.loads(entry["message"])["message"] for entry in self.driver.get_log("performance")]
        sent = [one["params"]["request"]["url"] for one in told if one["method"] == "Network.requestWillBeSent"]
        return [url for url in sent if not url.startswith("data:")]

    def caught(self) -> list[str]:
        """What a dialog would have said."""
        return list(self.run("return window.caught"))

    def pdf(self, width: float, height: float) -> bytes:
        """The page as it prints, in inches."""
        paper = {"paperWidth": width, "paperHeight": height, "printBackground": True, "preferCSSPageSize": True}
        return base64.b64decode(self.driver.execute_cdp_cmd("Page.printToPDF", paper)["data"])


class Browser:
    """Opens pages, one at a time."""

    def __init__(self, driver: Chrome) -> None:
        self._driver = driver

    def open(
        self, file: Path, *, width: int = 1280, height: int = 800, scripts: bool = True, ready: str = EXPLORER_READY
    ) -> Page:
        """A file in a window of that size, once a script says that it is ready."""
        driver = self._driver
        size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600}
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
        driver.execute_cdp_cmd("Emulation.setScriptExecutionDisabled", {"value": not scripts})
        for kind in ("browser", "performance"):
            driver.get_log(kind)
        driver.get(file.as_uri())
        if scripts:
            WebDriverWait(driver, 30).until(lambda _: driver.execute_script(ready))
        return Page(driver)


@contextmanager
def running_browser(programs: tuple[str, str]) -> Iterator[Browser]:
    """Start Chromium, and stop it at the end."""
    options = ChromeOptions()
    options.binary_location = programs[0]
    for switch in ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", "--no-first-run"):
        options.add_argument(switch)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = Chrome(options=options, service=Service(programs[1]))
    try:
        driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": _TRAP})
        yield Browser(driver)
    finally:
        driver.quit()
