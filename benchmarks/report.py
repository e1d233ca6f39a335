"""The report of 20,000 made-up customers: how long it takes to write, how much it weighs, how soon it is seen."""

import io
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from statistics import median

import numpy as np
import pandas as pd
from selenium.webdriver import Chrome, ChromeOptions
from selenium.webdriver.chrome.service import Service

import gauger
from benchmarks.measuring import Measured, measure

CUSTOMERS, MOST_BYTES, MOST_MILLISECONDS = 20_000, 1_500_000, 1_000.0
"""The size that the promises are about: bytes of the page, and milliseconds to its first paint."""

_VISITS = 7


def run() -> Iterator[Measured]:
    """Writing against drawing the same figures; bytes and first paint against what is promised."""
    seg, study = _segments()
    profile = gauger.profile(seg)
    with tempfile.TemporaryDirectory() as place:
        page = Path(place, "report.html")
        yield measure(
            f"report of {CUSTOMERS:,} customers",
            lambda: gauger.write_report(seg, page, profile=profile, counts=study, replace=True),
            lambda: _draw_figures(seg, profile, study),
            "drawing and saving its figures",
            runs=3,
        )
        size = page.stat().st_size
        yield Measured("weight of the page", size / 1e3, MOST_BYTES / 1e3, size / MOST_BYTES, "promised", "kB")
        if shutil.which("chromium") and shutil.which("chromedriver"):
            paint = _first_paint(page)
            yield Measured("first paint in Chromium", paint, MOST_MILLISECONDS, paint / MOST_MILLISECONDS, "promised")


def _segments() -> tuple[gauger.Segmentation, gauger.CountStudy]:
    rng = np.random.default_rng(21)
    group = rng.integers(0, 5, CUSTOMERS)
    middles = rng.uniform(1.0, 5.0, (5, 6))
    values = np.exp(middles[group] + rng.normal(0.0, 0.4, (CUSTOMERS, 6))).round(2)
    table = pd.DataFrame(values, columns=[f"measure_{at}" for at in range(6)])
    table.insert(0, "customer", np.arange(CUSTOMERS))
    features = gauger.prepare(table, key="customer", transform="log")
    return gauger.segment_by_kmeans(features, 5), gauger.study_counts(features, counts=range(2, 8))


def _draw_figures(seg: gauger.Segmentation, profile: gauger.Profile, study: gauger.CountStudy) -> None:
    draw = gauger.draw
    figures = (
        draw.scatter(seg),
        draw.component_scatter(seg),
        draw.count_study(study),
        draw.segment_splits(study, [4, 5, 6]),
        draw.profile_bars(profile),
        draw.silhouettes_and_scatter(seg),
    )
    for figure in figures:
        figure.savefig(io.BytesIO(), format="png")


def _first_paint(page: Path) -> float:
    """Milliseconds from asking for a file to seeing something of it, the median of several visits."""
    options = ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for switch in ("--headless=new", "--no-sandbox", "--disable-dev-shm-usage"):
        options.add_argument(switch)
    browser = Chrome(options=options, service=Service(shutil.which("chromedriver")))
    try:
        seen = []
        for _ in range(_VISITS):
            browser.get("about:blank")
            browser.get(page.as_uri())
            script = "return performance.getEntriesByName('first-contentful-paint')[0].startTime"
            seen.append(float(browser.execute_script(script)))
        return median(seen)
    finally:
        browser.quit()


if __name__ == "__main__":
    for line in run():
        print(line)
