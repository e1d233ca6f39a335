"""A report for the board: one page and a workbook, with a panel's own answers beside the segments.

Run it from anywhere: `python examples/report_for_the_board.py [FOLDER]`.
"""

import sys
import tempfile
from pathlib import Path

import gauger

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="report-for-the-board-"))
folder.mkdir(parents=True, exist_ok=True)
members = gauger.read_table(gauger.demo_file("members.csv"))
visits = gauger.read_table(gauger.demo_file("visits.csv"))
behaviour = gauger.summarise_events(
    visits, customer="member_id", when="visited_on", amount="ticket_spend", quantity="seats", event_key="visit_id"
)
features = gauger.prepare(
    behaviour, key="member_id", features=["recency_days", "visits", "spend_mean", "seats_mean"], cap=(0.0, 0.99)
)

# Why six, and not five or seven: the study goes into the report, with its figures and its reasons.
study = gauger.study_counts(features, counts=range(4, 9))
segments = study.segmentations[study.advice.count]

# All that is known of the members describes the segments, and names them; a panel said what it thinks of itself.
known = behaviour.merge(members, on="member_id")
segments = segments.rename(gauger.profile(segments, known, resamples=0).suggested_names)
profile = gauger.profile(segments, known)
panel = gauger.read_table(gauger.demo_file("panel.csv")).set_index("member_id")["answer"]

page = gauger.write_report(
    segments,
    folder / "report.html",
    profile=profile,
    counts=study,
    comparisons=[gauger.compare(segments, panel)],
    provenance=gauger.Provenance("visits.csv", (behaviour.attrs["first"], behaviour.attrs["as_of"])),
    title="Our members this year",
    replace=True,
)
book = gauger.write_workbook(
    segments, folder / "report.xlsx", profile=profile, counts=study, assignments=True, replace=True
)
print(f"{page}: {page.stat().st_size / 1e6:.1f} MB, to be opened in any browser or sent as it is")
print(f"{book}: the same in sheets")

# Of a study's folder the same is one command: gauger report STUDY --out report.html --workbook report.xlsx
