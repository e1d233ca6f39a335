"""The report in a real browser: quiet, explored, sorted, printed, with hostile names, without scripts, large, tiny."""

import os
import re
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from own_browser import NEEDED, Browser, Page, find_browser, running_browser

import gauger
from tests.short_cuts import drawn_in_full

HOSTILE = ("<img src=x onerror=alert(1)>", "{{7*7}}", "</script><script>alert(2)</script>")
LEVELS = ("=cmd|' /C calc'!A0", "<b onmouseover=alert(3)>", "${7*7}\u202e\x1b[31m")
SIZE = 240


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    programs = find_browser()
    if programs is None:
        if os.environ.get(NEEDED):
            pytest.fail("Chromium is not installed: apt-get install chromium chromium-driver")
        pytest.skip("no Chromium: apt-get install chromium chromium-driver")
    with running_browser(programs) as found:
        yield found


@pytest.fixture(scope="module")
def hostile_page(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A study whose columns, levels, keys, segments and source are what an attacker would call them."""
    folder = tmp_path_factory.mktemp("hostile")
    rng = np.random.default_rng(0)
    group = np.arange(SIZE) % 3
    table = pd.DataFrame({"member_id": [f"m-{at}<script>alert(4)</script>" for at in range(SIZE)]})
    for at, name in enumerate(HOSTILE):
        table[name] = np.round(np.abs(10.0 * (group == at) + rng.normal(3.0, 1.0, SIZE)), 3)
    table["level"] = np.array(LEVELS, dtype=object)[group]
    features = gauger.prepare(table, key="member_id", features=list(HOSTILE))
    seg = gauger.segment_by_kmeans(features, 3).rename(
        {1: "<svg onload=alert(5)>", 2: "{{constructor.constructor('alert(6)')()}}"}
    )
    gauger.save_study(seg, folder / "study", source=table)
    counts = gauger.study_counts(features, counts=(2, 3, 4), references=2, resamples=2)
    title = "<script>alert(7)</script>"
    with drawn_in_full():
        return gauger.write_report(folder / "study", folder / "report.html", counts=counts, title=title)


@pytest.fixture
def page(browser: Browser, hostile_page: Path) -> Page:
    return browser.open(hostile_page)


def test_it_asks_for_nothing_complains_of_nothing_and_runs_nothing_that_data_hold(
    page: Page, hostile_page: Path
) -> None:
    page.run("for (const one of document.querySelectorAll('*')) one.dispatchEvent(new Event('mouseover'))")
    page.find("#axis-x").send_keys("\ue015")
    assert page.complaints() == []
    assert page.requests() == [hostile_page.as_uri()]
    assert page.caught() == []
    assert page.run("return document.querySelectorAll('body script, img:not([src^=\"data:\"]), b').length") == 3
    assert page.texts("h1") == ["<script>alert(7)</script>"]
    heads = page.texts(".cards h3")
    assert heads[0].strip() == "1 <svg onload=alert(5)>"
    assert heads[1].strip().startswith("2 {{constructor")
    cells = " ".join(page.texts("#profile tbody th"))
    assert all(name in cells for name in (*HOSTILE, "level =cmd|' /C calc'!A0"))
    assert "\\u202e\\x1b[31m" in cells
    assert "\x1b" not in page.run("return document.body.textContent")


@pytest.mark.slow
def test_no_key_and_no_request_is_in_the_file(hostile_page: Path) -> None:
    text = hostile_page.read_text(encoding="utf-8")
    assert "m-17" not in text
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', text)
    assert policy is not None
    assert "default-src &#39;none&#39;" in policy[1]
    assert "unsafe" not in policy[1]


@pytest.mark.slow
def test_axes_are_switched_and_swapped(page: Page) -> None:
    names = page.texts("#axis-x option")
    assert set(names) == {*HOSTILE, "first component", "second component"}
    page.choose("#axis-x", str(names.index("second component")))
    page.click("#curved-x")
    page.click("#swap")
    chosen = page.run("return [document.querySelector('#axis-y').value, document.querySelector('#curved-y').checked]")
    assert chosen == [str(names.index("second component")), True]
    assert page.complaints() == []


@pytest.mark.slow
def test_a_segment_that_is_switched_off_leaves_the_picture(page: Page) -> None:
    """The picture is a canvas: what it shows is counted in the colour of the segment."""
    count = """
        const canvas = document.querySelector('#chart canvas');
        const wanted = [0x00, 0x5d, 0x58];
        const pixels = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
        let found = 0;
        for (let at = 0; at < pixels.length; at += 4)
          if (pixels[at + 3] > 0 && Math.abs(pixels[at] - wanted[0]) < 80 && pixels[at + 1] > 85
              && pixels[at + 1] - pixels[at] > 25) found += 1;
        return found;
    """
    before = page.run(count)
    page.click("#switches input[value='1']")
    assert before > 500
    assert page.run(count) < before / 10
    page.click("#switches input[value='1']")
    assert page.run(count) > 500


@pytest.mark.slow
def test_a_frame_counts_who_is_inside_as_the_table_has_them(page: Page) -> None:
    data = page.run("return JSON.parse(document.querySelector('#explored').textContent)")
    name = page.run("return document.querySelector('#axis-x').selectedOptions[0].textContent")
    axis = next(axis for axis in data["axes"] if axis["name"] == name)
    page.choose("#from-x", "5")
    inside = [
        sum(value > 5 and code == one["number"] for value, code in zip(axis["values"], data["codes"], strict=True))
        for one in data["segments"]
    ]
    assert [int(text) for text in page.texts("#counted tbody td:nth-of-type(2)")] == inside
    assert page.find("#inside").text.startswith(f"{sum(inside)} of the {SIZE} shown are inside")
    assert page.find("#inside").text.endswith("240 members.")
    page.click("#clear")
    assert page.find("#inside").text == f"No frame: all {SIZE} shown are counted."


@pytest.mark.slow
def test_a_frame_that_is_drawn_by_hand_counts_too(page: Page) -> None:
    page.run("document.querySelector('#chart').scrollIntoView()")
    from selenium.webdriver import ActionChains

    chart = page.find("#chart canvas")
    box = chart.size
    start = ActionChains(page.driver).move_to_element_with_offset(chart, -box["width"] // 3, -box["height"] // 3)
    start.click_and_hold().move_by_offset(2 * box["width"] // 3, 2 * box["height"] // 3).release().perform()
    told = page.find("#inside").text
    assert re.match(r"\d+ of the 240 shown are inside the frame", told), told
    assert page.run("return document.querySelector('#from-x').value") != ""


@pytest.mark.slow
def test_a_head_sorts_its_table_and_says_so(page: Page) -> None:
    rows = "#profile table.measures tbody tr"
    buttons = page.driver.find_elements("css selector", "#profile table.measures thead button")
    everyone = [text.strip() for text in page.texts("#profile table.measures thead th")].index("everyone")
    page.run("arguments[0].click()", buttons[everyone])
    values = page.run(
        f"return [...document.querySelectorAll('{rows}')].map((one) => Number(one.cells[{everyone}].dataset.value))"
    )
    assert values == sorted(values, reverse=True)
    assert (
        page.run(f"return document.querySelectorAll('#profile th')[{everyone}].getAttribute('aria-sort')")
        == "descending"
    )
    page.run("arguments[0].click()", buttons[everyone])
    assert page.run(f"return Number(document.querySelector('{rows}').cells[{everyone}].dataset.value)") == min(values)


@pytest.mark.slow
def test_the_profile_shows_means_medians_index_and_differences(page: Page) -> None:
    cell = "#profile table.measures tbody tr:first-child td:nth-of-type(3)"
    told = page.run(f"return {{...document.querySelector('{cell}').dataset}}")
    for figure in ("mean", "median", "index", "difference"):
        page.click(f"input[name=figure][value={figure}]")
        assert page.texts(cell) == [told[figure]]
    index, difference = (float(told[name].replace(",", "")) for name in ("index", "difference"))
    assert (index > 100.0) == (difference > 0.0)


@pytest.mark.slow
def test_without_scripts_there_are_still_pictures(browser: Browser, hostile_page: Path) -> None:
    page = browser.open(hostile_page, scripts=False)
    assert page.find(".still").is_displayed()
    assert not page.find(".live").is_displayed()
    assert len(page.driver.find_elements("css selector", ".still img")) == 2
    assert page.find("#profile table.measures").is_displayed()


@pytest.mark.slow
def test_it_prints_on_either_paper_and_no_table_is_cut(page: Page) -> None:
    page.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    page.driver.execute_cdp_cmd(
        "Emulation.setDeviceMetricsOverride", {"width": 695, "height": 1000, "deviceScaleFactor": 1, "mobile": False}
    )
    wide = "return [...document.querySelectorAll('table, img')].map((one) => one.getBoundingClientRect().right)"
    assert max(page.run(wide)) <= 695
    page.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": ""})
    for width, height in ((8.27, 11.69), (8.5, 11.0)):
        made = page.pdf(width, height)
        assert made.startswith(b"%PDF")
        assert len(re.findall(rb"/Type\s*/Page\b", made)) >= 5


@pytest.mark.slow
def test_it_can_be_read_on_a_phone_and_by_a_screen_reader(browser: Browser, hostile_page: Path) -> None:
    page = browser.open(hostile_page, width=390, height=844)
    assert page.run("return document.documentElement.scrollWidth") <= 390
    levels = page.run("return [...document.querySelectorAll('h1, h2, h3')].map((one) => Number(one.tagName[1]))")
    assert levels[0] == 1
    assert all(later - earlier <= 1 for earlier, later in pairwise(levels))
    assert all(len(text) > 80 for text in page.run("return [...document.images].map((one) => one.alt)"))
    assert page.run("return [...document.querySelectorAll('table')].every((one) => one.caption && one.tHead)")
    assert page.run("return document.documentElement.lang") == "en"
    assert _faintest(page) >= 4.5


def _faintest(page: Page) -> float:
    """The least contrast of a text with the ground that it stands on (WCAG 2.2)."""
    colours = page.run("""
        const found = new Set();
        for (const one of document.querySelectorAll('body *')) {
          if (![...one.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim())) continue;
          if (['SCRIPT', 'STYLE', 'OPTION'].includes(one.tagName)) continue;
          let ground = one;
          const under = () => getComputedStyle(ground).backgroundColor;
          while (ground && under() === 'rgba(0, 0, 0, 0)') ground = ground.parentElement;
          found.add(getComputedStyle(one).color + '|' + (ground ? under() : 'rgb(255, 255, 255)'));
        }
        return [...found];
    """)
    return min(_contrast(*pair.split("|")) for pair in colours)


def _contrast(text: str, ground: str) -> float:
    one, other = sorted((_luminance(text), _luminance(ground)))
    return (other + 0.05) / (one + 0.05)


def _luminance(colour: str) -> float:
    parts = np.array([int(part) for part in re.findall(r"\d+", colour)[:3]]) / 255.0
    linear = np.where(parts <= 0.03928, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
    return float(linear @ [0.2126, 0.7152, 0.0722])


@pytest.mark.slow
@pytest.mark.parametrize(("customers", "segments"), [(2, 2), (1_000, 20), (100_000, 4)])
def test_tiny_many_and_large_pages_are_light_and_work(
    browser: Browser, tmp_path: Path, customers: int, segments: int
) -> None:
    """Segments that were given, with neither a study nor money."""
    rng = np.random.default_rng(1)
    codes = np.arange(customers) % segments + 1
    places = rng.uniform(0.0, 100.0, (segments, 2))[codes - 1] + rng.normal(0.0, 2.0, (customers, 2))
    table = pd.DataFrame({"house": np.arange(customers), "near": places[:, 0], "far": places[:, 1]})
    features = gauger.prepare(table, key="house")
    seg = gauger.segmentation_from_assignments(
        features, pd.DataFrame({"house": table["house"], "segment": codes}), method="hand"
    )
    file = gauger.write_report(seg, tmp_path / "report.html", profile=gauger.profile(seg, resamples=0))
    assert file.stat().st_size < 1_500_000
    page = browser.open(file)
    assert page.complaints() == []
    assert len(page.texts(".card")) == segments
    assert f"of {customers:,} houses" in page.texts("h1")[0]
    shown = int(page.run("return JSON.parse(document.querySelector('#explored').textContent).codes.length"))
    assert shown == min(customers, shown) <= 2_000
    assert page.run("return document.querySelectorAll('#counted tbody tr').length") == segments
