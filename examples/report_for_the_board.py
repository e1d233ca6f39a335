"""A report for the board: one page and a workbook, with bands, a panel's answers and the next quarter's movement.

Run it from anywhere: `python examples/report_for_the_board.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import pandas as pd

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="report-for-the-board-"))
FEATURES = ["recency_days", "visits", "spend_mean", "seats_mean"]


def segments_of(visits: pd.DataFrame) -> tuple[gauger.Segmentation, pd.DataFrame]:
    behaviour = gauger.summarise_events(
        visits,
        customer="member_id",
        when="visited_on",
        amount="ticket_spend",
        quantity="seats",
        event_key="visit_id",
        measures=[*FEATURES, "spend_total"],
    )
    features = gauger.prepare(behaviour, key="member_id", features=FEATURES, cap=(0.0, 0.99))
    return gauger.segment_by_kmeans(features, 6), behaviour


# Two quarters, each a study of its own; the second takes over the numbers and names of the first.
before = gauger.read_table(gauger.demo_file("visits.csv"))
later = gauger.read_table(gauger.demo_file("later/visits.csv"))
first, _ = segments_of(before)
first = first.rename(gauger.profile(first, resamples=0).suggested_names)
second, behaviour = segments_of(pd.concat([before, later]))
second = second.aligned_to(first)
gauger.save_study(first, folder / "spring", replace=True)
gauger.save_study(second, folder / "summer", source=behaviour, replace=True)

# What is known besides: who they are, what a panel of them says, and the bands that clustering has to beat.
members = gauger.read_table(gauger.demo_file("members.csv"))
panel = gauger.read_table(gauger.demo_file("panel.csv")).set_index("member_id")["answer"]
bands = gauger.segment_by_bands(second.features, {"recency_days": 3, "visits": 3})
profile = gauger.profile(second, behaviour.merge(members, on="member_id"))

page = gauger.write_report(
    folder / "summer",
    folder / "report.html",
    profile=profile,
    comparisons=[gauger.compare(second, panel), gauger.compare(second, bands)],
    earlier=[folder / "spring"],
    title="Our members this summer",
    replace=True,
)
book = gauger.write_workbook(second, folder / "report.xlsx", profile=profile, assignments=True, replace=True)
print(f"{page}: {page.stat().st_size / 1e6:.1f} MB, to be opened in any browser or sent as it is")
print(f"{book}: the same in sheets")
