"""Make every picture in docs/screenshots/ from the demo data: `make screenshots`.

Figures are what the commands write, some two below each other; terminals are real windows on a virtual screen (Debian's
xvfb, xterm, imagemagick), pages are Chromium's.
"""

import base64
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pandas as pd
from selenium.webdriver import Chrome, ChromeOptions
from selenium.webdriver.chrome.service import Service

import gauger

PICTURES = Path(__file__).parent / "screenshots"
GAUGER = Path(sys.executable).parent / "gauger"
TOOLS = ("Xvfb", "xterm", "import", "convert", "chromium", "chromedriver", "pdftoppm")
MAP = "--key home_id --features east_km,north_km --scale none"
PREPARATION = "--features recency_days,visits,spend_mean,seats_mean --cap 0,0.99"

TERMINALS = {
    "demo": "gauger demo --out results",
    "look": "gauger look data/members.csv --key member_id",
    "features": "gauger features data/visits.csv --customer member_id --when visited_on --amount ticket_spend "
    "--quantity seats --event-key visit_id --out behaviour.csv",
    "plan": "gauger plan data/members.csv --key member_id --events data/visits.csv --amount ticket_spend "
    "--quantity seats --event-key visit_id --out plan.toml",
    "counts": f"gauger counts behaviour.csv --key member_id {PREPARATION} --out study",
    "segment": f"gauger segment behaviour.csv --key member_id {PREPARATION} --count 6 --out segments",
    "tree": f"gauger tree behaviour.csv --key member_id {PREPARATION} --out tree",
    "radius": f"gauger radius data/homes.csv {MAP} --out radius",
    "compare": "gauger compare round dense --out compare",
    "profile": "gauger profile segments --table data/members.csv",
    "drift": "gauger drift segments later.csv",
    "handoff": "gauger handoff segments data/members.csv --campaign 'spring 2026' --suppress data/suppression.csv "
    "--holdout 0.3 --out spring",
    "measure": "gauger measure campaign/hand-off outcomes.csv --responded came --value spent",
    "warehouse": "gauger segment duckdb:///ostrel.duckdb --table behaviour --key member_id "
    f"{PREPARATION} --count 4 --into there --out there && gauger profile there",
}
LONG = ("demo", "warehouse")
"""Terminals with more lines than a screen has at the usual size."""
STACKED = {
    "handoff": ("handoff", "measure"),
    "look": ("look", "features"),
    "counts": ("counts", "segment"),
    "tree": ("tree", "radius"),
    "profile": ("profile", "compare"),
}
"""Terminals that are one picture, one below the other."""

FIGURES = {
    "figure-look": ("behaviour/distributions.png", "behaviour/correlations.png", "study/features.png"),
    "figure-trees-density": (
        "tree/tree.png",
        "measures/tree.png",
        "radius/neighbours.png",
        "radius/radii.png",
        "compare/side-by-side.png",
        "levels/levels.png",
    ),
    "figure-campaign": ("later/moves.png", "campaign/page.png", "campaign/outcome.png"),
    "report-inside": ("explorer.png", "inside.png"),
}
SITE = Path(__file__).parent / "_build" / "html"
SITE_PAGES = {
    "site-start": "index.html",
    "site-how-to": "how-to/count.html",
    "site-reference": "reference/generated/segment_by_kmeans.html",
    "site-gallery": "gallery/index.html",
}
"""Pages of the documentation, each wide and as a phone shows it."""
BESIDES = (
    f"segment data/homes.csv {MAP} --count 4 --out round",
    f"segment data/homes.csv {MAP} --method density --out dense",
    f"segment data/homes.csv {MAP} --method density-levels --smallest 50 --out levels",
)


def main() -> None:
    """Run each command in one folder, in order, and keep its picture."""
    missing = [tool for tool in TOOLS if shutil.which(tool) is None]
    if not SITE.is_dir():
        sys.exit("the site is photographed too: make docs")
    if missing:
        sys.exit(f"missing {', '.join(missing)}: apt-get install xvfb xterm imagemagick chromium-driver poppler-utils")
    with tempfile.TemporaryDirectory() as place, _screen() as display:
        folder = Path(place)
        subprocess.run([GAUGER, "demo", "--out", "first"], cwd=folder, check=True, capture_output=True)
        (folder / "first" / "data").rename(folder / "data")
        shutil.copyfile(gauger.demo_file("homes.csv"), folder / "data" / "homes.csv")
        for line in BESIDES:
            subprocess.run([GAUGER, *shlex.split(line)], cwd=folder, check=True, capture_output=True)
        _look_ahead(folder)
        _keep_in_database(folder)
        shots = folder / "terminals"
        shots.mkdir()
        for name, command in TERMINALS.items():
            _photograph(display, folder, command, shots / f"{name}.png", small=name in LONG)
        below = {name for parts in STACKED.values() for name in parts[1:]}
        for name in TERMINALS.keys() - below:
            parts = [shots / f"{part}.png" for part in STACKED.get(name, (name,))]
            bare = ["-trim", "+repage", "-bordercolor", "white", "-border", "12", "-background", "white"]
            subprocess.run(["convert", *parts, *bare, "-append", "-strip", PICTURES / f"{name}.png"], check=True)
        look = [GAUGER, "look", "behaviour.csv", "--key", "member_id", "--out", "behaviour"]
        subprocess.run(look, cwd=folder, check=True, capture_output=True)
        measures = [GAUGER, "tree", "behaviour.csv", "--key", "member_id", "--of", "features", "--out", "measures"]
        subprocess.run(measures, cwd=folder, check=True, capture_output=True)
        _photograph_report(folder)
        _photograph_site(folder)
        for name, made in FIGURES.items():
            subprocess.run(["convert", *made, "-append", "-strip", PICTURES / f"{name}.png"], cwd=folder, check=True)
    print(f"{len(list(PICTURES.glob('*.png')))} pictures in {PICTURES}")


def _keep_in_database(folder: Path) -> None:
    """The members' behaviour in a table of a database."""
    import duckdb

    visits = gauger.read_table(gauger.demo_file("visits.csv"))
    names = {"customer": "member_id", "when": "visited_on", "amount": "ticket_spend", "quantity": "seats"}
    behaviour = gauger.summarise_events(visits, **names, event_key="visit_id")
    with duckdb.connect(str(folder / "ostrel.duckdb")) as shop:
        shop.register("given", behaviour)
        shop.execute("CREATE TABLE behaviour AS SELECT * FROM given")


def _look_ahead(folder: Path) -> None:
    """What the commands on models and campaigns need: next quarter's behaviour, a hand-off and its outcomes."""
    for example in ("next_quarter", "spring_campaign"):
        place = folder / {"next_quarter": "later", "spring_campaign": "campaign"}[example]
        script = Path(__file__).parents[1] / "examples" / f"{example}.py"
        subprocess.run([sys.executable, script, place], check=True, capture_output=True)
    for name in ("suppression.csv", "panel.csv"):
        shutil.copyfile(gauger.demo_file(name), folder / "data" / name)
    visits = [gauger.read_table(gauger.demo_file(name)) for name in ("visits.csv", "later/visits.csv")]
    names = {"customer": "member_id", "when": "visited_on", "amount": "ticket_spend", "quantity": "seats"}
    later = gauger.summarise_events(pd.concat(visits), **names, event_key="visit_id")
    gauger.write_table(later, folder / "later.csv")
    arms = gauger.read_table(folder / "campaign" / "hand-off" / "arms.csv")
    moved = ((arms["segment"] == 2) & (arms["arm"] == "contacted")).to_numpy()
    came = np.random.default_rng(26).random(len(arms)) < np.where(moved, 0.25, 0.05)
    outcomes = pd.DataFrame({"member_id": arms["member_id"], "came": came.astype(int), "spent": came * 24.0})
    gauger.write_table(outcomes, folder / "outcomes.csv")
    page, picture = folder / "campaign" / "hand-off" / "manifest.html", folder / "campaign" / "page.png"
    browser = ["chromium", "--headless", "--no-sandbox", "--hide-scrollbars", "--window-size=1280,1080"]
    subprocess.run([*browser, f"--screenshot={picture}", page.as_uri()], check=True, capture_output=True)


@contextmanager
def _browser() -> Iterator[Chrome]:
    options = ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for switch in ("--headless=new", "--no-sandbox", "--hide-scrollbars"):
        options.add_argument(switch)
    browser = Chrome(options=options, service=Service(shutil.which("chromedriver")))
    try:
        yield browser
    finally:
        browser.quit()


def _window(browser: Chrome, width: int, height: int) -> None:
    size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600}
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)


def _photograph_site(folder: Path) -> None:
    """Each page of the site as a desk and as a phone show it, side by side."""
    with _browser() as browser:
        for name, page in SITE_PAGES.items():
            for part, width in (("wide", 1280), ("phone", 390)):
                _window(browser, width, 800)
                browser.get((SITE / page).as_uri())
                time.sleep(1.0)
                browser.save_screenshot(str(folder / f"{name}-{part}.png"))
            parts = [f"{name}-wide.png", f"{name}-phone.png"]
            beside = ["montage", *parts, "-tile", "2x1", "-geometry", "+6+6", "-background", "#d9dee2", "-strip"]
            subprocess.run([*beside, PICTURES / f"{name}.png"], cwd=folder, check=True)


def _photograph_report(folder: Path) -> None:
    """The top of the demo's report, its explorer and profile, and its first printed pages."""
    with _browser() as browser:
        _window(browser, 1280, 800)
        browser.get((folder / "results" / "report.html").as_uri())
        for name, part in (("top", "body"), ("explorer", "#explorer"), ("inside", "#profile")):
            browser.execute_script("document.querySelector(arguments[0]).scrollIntoView()", part)
            time.sleep(1.0)
            browser.save_screenshot(str(folder / f"{name}.png"))
        paper = {"paperWidth": 8.27, "paperHeight": 11.69, "printBackground": True, "preferCSSPageSize": True}
        printed = browser.execute_cdp_cmd("Page.printToPDF", paper)["data"]
    (folder / "report.pdf").write_bytes(base64.b64decode(printed))
    subprocess.run(["convert", "top.png", "-strip", PICTURES / "report-top.png"], cwd=folder, check=True)
    subprocess.run(["pdftoppm", "-r", "72", "-l", "4", "-png", "report.pdf", "sheet"], cwd=folder, check=True)
    sheets = sorted(path.name for path in folder.glob("sheet*.png"))
    beside = ["montage", *sheets, "-tile", f"{len(sheets)}x1", "-geometry", "+6+6", "-background", "#d9dee2", "-strip"]
    subprocess.run([*beside, PICTURES / "report-print.png"], cwd=folder, check=True)


@contextmanager
def _screen() -> Iterator[str]:
    reader, writer = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(writer), "-screen", "0", "1280x800x24", "-wr", "-noreset", "-nolisten", "tcp"],
        pass_fds=[writer],
        stderr=subprocess.DEVNULL,
    )
    os.close(writer)
    try:
        with os.fdopen(reader) as told:
            yield f":{told.readline().strip()}"
    finally:
        server.terminate()
        server.wait()


def _photograph(display: str, folder: Path, command: str, picture: Path, *, small: bool = False) -> None:
    done = folder / "done"
    done.unlink(missing_ok=True)
    script = f"echo '$ {command}'; {command} && touch {shlex.quote(str(done))}; sleep 180"
    size = "-geometry 178x61+0+0 -fs 8" if small else "-geometry 138x44+0+0 -fs 11"
    look = f"{size} -bg #ffffff -fg #26303a -b 12 -bw 0 +sb".split()
    window = subprocess.Popen(
        ["xterm", "-fa", "DejaVu Sans Mono", *look, "-e", "sh", "-c", script],
        cwd=folder,
        env={**os.environ, "DISPLAY": display, "PATH": f"{GAUGER.parent}:{os.environ['PATH']}", "LC_ALL": "C.UTF-8"},
    )
    try:
        deadline = time.monotonic() + 180
        while not done.exists() and time.monotonic() < deadline:
            time.sleep(0.1)
        if not done.exists():
            raise TimeoutError(command)
        time.sleep(0.7)
        subprocess.run(["import", "-display", display, "-window", "root", "-strip", picture], check=True)
    finally:
        window.kill()
        window.wait()


if __name__ == "__main__":
    main()
