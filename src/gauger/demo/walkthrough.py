"""The whole example: the public functions an analyst would call, in their order, with what each one found."""

import shutil
from collections.abc import Callable, Iterable
from os import PathLike
from pathlib import Path

import pandas as pd

import gauger
from gauger.remarks import Remark
from gauger.tables import Results, result_folder

FEATURES = ["recency_days", "visits", "spend_mean", "seats_mean"]

OUTPUTS = {
    "counts.png": "how many segments: elbow, silhouette, gap and stability",
    "segments.png": "who is where: segments over two features",
    "profile.png": "what each segment is like",
    "assignments.csv": "who is in which segment, ready for a campaign",
    "report.html": "all of it as one page, to be sent to whoever decides",
    "means.csv": "the profile's means by segment, in original units",
    "behaviour.csv": "one row of behaviour a member",
    "data/members.csv": "the made-up members to try things on",
    "data/visits.csv": "their made-up visits",
}


Tell = Callable[[str, str], None]
Caution = Callable[[Iterable[Remark]], None]


def _print_step(step: str, text: str) -> None:
    print(f"{step:<14}{text}")


def _keep_quiet(_remarks: Iterable[Remark]) -> None:
    return


def walk_through(
    folder: str | PathLike[str],
    *,
    replace: bool = False,
    tell: Tell = _print_step,
    caution: Caution = _keep_quiet,
) -> None:
    """Run the example into `folder`; `tell` hears each step and what it found, `caution` its remarks."""
    with result_folder(folder, list(OUTPUTS), replace=replace) as results:
        behaviour, members = _build_behaviour(results, tell, caution)
        features = gauger.prepare(behaviour, key="member_id", features=FEATURES, cap=(0.0, 0.99))
        tell("3 One scale", f"{', '.join(features.names)}: capped at the 99 % quantile and z-scored")
        caution(features.remarks)
        study = _choose_count(features, results, tell)
        segments, profile = _segment_and_profile(features, study.advice.count, members, results, tell, caution)
        known = gauger.Provenance("visits.csv", (behaviour.attrs["first"], behaviour.attrs["as_of"]))
        gauger.write_report(segments, results.path("report.html"), profile=profile, counts=study, provenance=known)
        tell("7 Report", "what was found, an explorer, why, how firm, cautions → report.html")
    tell("In it", "")
    for name, what in OUTPUTS.items():
        tell("", f"{Path(folder) / name}: {what}")
    tell("Open next", f"open {Path(folder) / 'report.html'}")


def _build_behaviour(results: Results, tell: Tell, caution: Caution) -> tuple[pd.DataFrame, pd.DataFrame]:
    members = gauger.read_table(gauger.demo_file("members.csv"))
    visits = gauger.read_table(gauger.demo_file("visits.csv"))
    for name in ("members.csv", "visits.csv"):
        shutil.copyfile(gauger.demo_file(name), results.path(f"data/{name}"))
    tell("1 Look", f"{len(members):,} members and {len(visits):,} visits of Ostrel Picture Houses, all made up → data/")
    caution(gauger.look(members, key="member_id").remarks)

    behaviour = gauger.summarise_events(
        visits,
        customer="member_id",
        when="visited_on",
        amount="ticket_spend",
        quantity="seats",
        event_key="visit_id",
    )
    results.add_table("behaviour.csv", behaviour)
    counted = f"{len(behaviour.columns) - 1} measures of {len(behaviour):,} members"
    tell("2 Behaviour", f"{counted} who came before {behaviour.attrs['as_of']} → behaviour.csv")
    caution(gauger.remarks_of(behaviour))
    return behaviour, members


def _choose_count(features: gauger.FeatureSet, results: Results, tell: Tell) -> gauger.CountStudy:
    study = gauger.study_counts(features, counts=range(1, 11))
    results.add_figure("counts.png", gauger.draw.count_study(study))
    advice = study.advice
    tell("4 How many", f"{advice.count} segments, {advice.verdict}. {' '.join(advice.reasons[:2])} → counts.png")
    return study


def _segment_and_profile(
    features: gauger.FeatureSet,
    count: int,
    members: pd.DataFrame,
    results: Results,
    tell: Tell,
    caution: Caution,
) -> tuple[gauger.Segmentation, gauger.Profile]:
    segments = gauger.segment_by_kmeans(features, count)
    results.add_table("assignments.csv", segments.assignments)
    results.add_figure("segments.png", gauger.draw.scatter(segments, x="visits", y="spend_mean"))
    sizes = ", ".join(f"{size:,}" for size in segments.sizes)
    how = f"{segments.count} by {segments.method} in {segments.iterations} iterations"
    tell("5 Segments", f"{how}: {sizes} members → assignments.csv, segments.png")
    caution(segments.remarks)

    profile = gauger.profile(segments, members)
    results.add_table("means.csv", profile.tables["means"])
    results.add_figure("profile.png", gauger.draw.profile_bars(profile))
    tell("6 Profile", f"{len(profile.means.columns)} measures by segment against everyone → means.csv, profile.png")
    caution(profile.remarks)
    tell("In short", "medians by segment, in original units:")
    for number in segments.numbers:
        row, share = profile.medians.loc[number], profile.sizes.loc[number, "share"]
        name = profile.suggested_names[number]
        tell(
            "",
            f"{number} {name} ({share:.0%}): {row['visits']:.0f} visits, the last {row['recency_days']:.0f} days ago, "
            f"{row['spend_mean']:.2f} for {row['seats_mean']:.1f} seats a time, age {row['age']:.0f}",
        )
    return segments, profile
