"""The built site in a browser, from files: search, tabs, narrow windows, and the way to ten answers."""

import os
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from own_browser import NEEDED, Browser, Page, find_browser, running_browser
from selenium.webdriver.support.ui import WebDriverWait

SITE = Path(__file__).parents[2] / "docs" / "_build" / "html"
NEEDS_SITE = "GAUGER_NEEDS_SITE"
LOADED = "return document.readyState === 'complete'"
FOUND = "return document.querySelectorAll('#search-results li a, ul.search li a').length > 0"


@pytest.fixture(scope="module")
def site() -> Path:
    if not (SITE / "index.html").is_file():
        assert not os.environ.get(NEEDS_SITE), "the site is needed here: make docs"
        pytest.skip("no site here: make docs")
    return SITE


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    programs = find_browser()
    if programs is None:
        assert not os.environ.get(NEEDED), "Chromium is needed here: apt-get install chromium chromium-driver"
        pytest.skip("no Chromium on this machine: apt-get install chromium chromium-driver")
    with running_browser(programs) as started:
        yield started


def _asked_elsewhere(page: Page) -> list[str]:
    return [url for url in page.requests() if not url.startswith("file:")]


@pytest.mark.slow
@pytest.mark.parametrize(
    "name",
    [
        "index.html",
        "how-to/count.html",
        "reference/generated/prepare.html",
        "gallery/index.html",
        "start/first-file.html",
    ],
)
def test_a_page_needs_nothing_from_elsewhere_and_complains_of_nothing(site: Path, browser: Browser, name: str) -> None:
    page = browser.open(site / name, ready=LOADED)
    assert _asked_elsewhere(page) == []
    assert [said for said in page.complaints() if "pydata-sphinx-theme.js" not in said] == []  # it tells its mode
    assert page.run("return [...document.images].filter((one) => !one.naturalWidth).map((one) => one.src)") == []


@pytest.mark.parametrize(
    "name", ["index.html", "start/first-file.html", "reference/remarks.html", "gallery/index.html"]
)
def test_a_page_fits_a_phone(site: Path, browser: Browser, name: str) -> None:
    page = browser.open(site / name, width=390, ready=LOADED)
    assert page.run("return document.documentElement.scrollWidth") <= 390


@pytest.mark.parametrize("word", ["RFM", "DBSCAN", "DTW", "elbow", "winsorise", "PSI", "uplift", "dendrogram"])
def test_a_search_for_a_word_of_the_field_finds_the_glossary(site: Path, browser: Browser, word: str) -> None:
    address = site / "search.html"
    page = browser.open(address, ready=LOADED)
    page.driver.get(f"{address.as_uri()}?q={word}")
    WebDriverWait(page.driver, 20).until(lambda driver: driver.execute_script(FOUND))
    WebDriverWait(page.driver, 20).until(
        lambda driver: (
            "glossary"
            in str(
                driver.execute_script(
                    "return [...document.querySelectorAll('ul.search li a')].map((one) => one.getAttribute('href'))"
                )
            )
        )
    )


@pytest.mark.slow
def test_all_tabs_of_a_page_follow_one(site: Path, browser: Browser) -> None:
    page = browser.open(site / "start" / "first-file.html", ready=LOADED)
    labels = "label.sd-tab-label[data-sync-id='python']"
    assert page.run(f'return document.querySelectorAll("{labels}").length') == 7
    page.click(labels)
    assert {text.strip() for text in page.texts(".sd-tab-set > input:checked + label")} == {"Python"}


@pytest.mark.slow
def test_ten_questions_are_answered_within_the_clicks_that_are_told(site: Path, browser: Browser) -> None:
    source = (SITE.parents[1] / "start" / "questions.md").read_text()
    rows = re.findall(r"^\| .*\?? \| (\w[\w ]*) → .*\]\(([^)]+)\).* \| (\d) \|$", source, re.M)
    assert len(rows) == 10
    for room, link, clicks in rows:
        page = browser.open(site / "index.html", ready=LOADED)
        cards = "[...document.querySelectorAll('.sd-card')]"
        page.run(
            f"{cards}.find((one) => one.querySelector('.sd-card-title').textContent.trim() === arguments[0])"
            ".querySelector('a.sd-stretched-link').click()",
            room,
        )
        target = Path("start", link).as_posix()
        name = Path(os.path.normpath(target)).with_suffix("").as_posix().partition("#")[0]
        links = page.run(
            "return [...document.querySelectorAll('main a, article a, .bd-main a')].map((one) => one.href)"
        )
        assert any(f"{name}.html" in one for one in links), (room, name)
        assert int(clicks) == 2
