"""Make every picture in docs/screenshots/ from the demo data: `make screenshots`.

Figures are what the commands write, some two below each other; terminals are real windows on a virtual screen (Debian's
xvfb, xterm, imagemagick), pages are Chromium's.
"""

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

import gauger

PICTURES = Path(__file__).parent / "screenshots"
GAUGER = Path(sys.executable).parent / "gauger"
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
    "profile": "gauger profile segments --table data/members.csv --out profile",
    "drift": "gauger drift segments later.csv",
    "handoff": "gauger handoff segments data/members.csv --campaign 'spring 2026' --suppress data/suppression.csv "
    "--holdout 0.3 --out spring",
    "measure": "gauger measure campaign/hand-off outcomes.csv --responded came --value spent",
}
FIGURES = {
    "figure-look": ("behaviour/distributions.png", "behaviour/correlations.png", "study/features.png"),
    "figure-counts": ("results/counts.png", "study/silhouettes.png", "study/splits.png"),
    "figure-segments": (
        "results/segments.png",
        "results/profile.png",
        "segments/spread.png",
        "segments/iterations.png",
    ),
    "figure-trees-density": (
        "tree/tree.png",
        "measures/tree.png",
        "radius/neighbours.png",
        "radius/radii.png",
        "compare/side-by-side.png",
        "levels/levels.png",
    ),
    "figure-profiles": ("profile/components.png", "profile/heat.png", "profile/lines.png", "panel/flow.png"),
    "figure-campaign": ("later/moves.png", "campaign/page.png", "campaign/outcome.png"),
}
BESIDES = (
    f"segment data/homes.csv {MAP} --count 4 --out round",
    f"segment data/homes.csv {MAP} --method density --out dense",
    f"segment data/homes.csv {MAP} --method density-levels --smallest 50 --out levels",
)


def main() -> None:
    """Run each command in one folder, in order, and keep its picture."""
    missing = [tool for tool in ("Xvfb", "xterm", "import", "convert", "chromium") if shutil.which(tool) is None]
    if missing:
        sys.exit(f"missing {', '.join(missing)}: apt-get install xvfb xterm imagemagick chromium")
    with tempfile.TemporaryDirectory() as place, _screen() as display:
        folder = Path(place)
        subprocess.run([GAUGER, "demo", "--out", "first"], cwd=folder, check=True, capture_output=True)
        (folder / "first" / "data").rename(folder / "data")
        shutil.copyfile(gauger.demo_file("homes.csv"), folder / "data" / "homes.csv")
        for line in BESIDES:
            subprocess.run([GAUGER, *shlex.split(line)], cwd=folder, check=True, capture_output=True)
        _look_ahead(folder)
        for name, command in TERMINALS.items():
            _photograph(display, folder, command, PICTURES / f"{name}.png")
        look = [GAUGER, "look", "behaviour.csv", "--key", "member_id", "--out", "behaviour"]
        subprocess.run(look, cwd=folder, check=True, capture_output=True)
        panel = [GAUGER, *shlex.split("compare segments --table data/panel.csv --column answer --out panel")]
        subprocess.run(panel, cwd=folder, check=True, capture_output=True)
        measures = [GAUGER, "tree", "behaviour.csv", "--key", "member_id", "--of", "features", "--out", "measures"]
        subprocess.run(measures, cwd=folder, check=True, capture_output=True)
        for name, made in FIGURES.items():
            subprocess.run(["convert", *made, "-append", "-strip", PICTURES / f"{name}.png"], cwd=folder, check=True)
    print(f"{len(TERMINALS) + len(FIGURES)} pictures in {PICTURES}")


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


def _photograph(display: str, folder: Path, command: str, picture: Path) -> None:
    done = folder / "done"
    done.unlink(missing_ok=True)
    script = f"echo '$ {command}'; {command} && touch {shlex.quote(str(done))}; sleep 60"
    look = "-geometry 138x44+0+0 -fs 11 -bg #ffffff -fg #26303a -b 12 -bw 0 +sb".split()
    window = subprocess.Popen(
        ["xterm", "-fa", "DejaVu Sans Mono", *look, "-e", "sh", "-c", script],
        cwd=folder,
        env={**os.environ, "DISPLAY": display, "PATH": f"{GAUGER.parent}:{os.environ['PATH']}", "LC_ALL": "C.UTF-8"},
    )
    try:
        deadline = time.monotonic() + 60
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
