"""The real command line on the demo data, most of it inside this process: results, files, and what it prints."""

import json
import shlex
from collections.abc import Callable
from pathlib import Path
from subprocess import CompletedProcess
from urllib.parse import quote_plus

import duckdb
import numpy as np
import pandas as pd
import pytest
from own_postgres import PASSWORD

import gauger
from gauger.cli.density_options import RADIUS_FILES
from gauger.cli.look import LOOK_FILES
from gauger.cli.tree import FEATURE_TREE_FILES
from gauger.demo.walkthrough import OUTPUTS
from gauger.study import ALWAYS, ASSIGNMENTS, COMPARE_FILES, MODEL, PROFILE_FILES

Run = Callable[..., "CompletedProcess[str]"]
HOMES = (gauger.demo_file("homes.csv"), "--key", "home_id", "--features", "east_km,north_km", "--scale", "none")
SEGMENT_FILES = (ASSIGNMENTS, *ALWAYS, MODEL, "segments.png")
KMEANS_FILES, LEVELS_FILES = ("spread.png", "iterations.png"), ("branches.csv", "levels.png")
TREE_FILES = (*SEGMENT_FILES, "merges.csv", "tree.png", "jumps.png")
FEATURES = ("--features", "recency_days,visits,spend_mean,seats_mean", "--cap", "0,0.99")


@pytest.fixture(scope="module")
def behaviour_file(tmp_path_factory: pytest.TempPathFactory, behaviour) -> Path:
    return gauger.write_table(behaviour, tmp_path_factory.mktemp("behaviour") / "behaviour.csv")


@pytest.fixture(scope="module")
def few_file(tmp_path_factory: pytest.TempPathFactory, behaviour: pd.DataFrame) -> Path:
    """Three measures of 500 customers, for what does not hang on the demo's figures."""
    few = behaviour[["member_id", "recency_days", "visits", "spend_mean"]].head(500)
    return gauger.write_table(few, tmp_path_factory.mktemp("few") / "few.csv")


def _narrow(text: str) -> bool:
    return all(len(line.rstrip()) <= 100 for line in text.splitlines() if not line.startswith(("wrote", "Next")))


def test_help_lists_the_commands_and_version_says_it(process: Run) -> None:
    shown = process("--help")
    assert shown.returncode == 0
    for name in (
        "look",
        "features",
        "counts",
        "segment",
        "tree",
        "radius",
        "profile",
        "compare",
        "assign",
        "drift",
        "handoff",
        "measure",
        "demo",
    ):
        assert f" {name} " in shown.stdout
    assert process("--version").stdout == f"gauger {gauger.__version__}\n"


@pytest.mark.slow
def test_a_terminal_without_dashes_and_arrows_is_no_fault(process: Run) -> None:
    shown = process("look", gauger.demo_file("houses.csv"), PYTHONIOENCODING="ascii")
    assert shown.returncode == 0
    assert "houses.csv: 48 rows, 3 columns" in shown.stdout


def test_look_shows_roles_on_stdout_and_remarks_on_stderr(command: Run) -> None:
    shown = command("look", gauger.demo_file("members.csv"), "--key", "member_id")
    assert shown.returncode == 0
    assert shown.stdout.startswith("members.csv: 2,400 rows, 14 columns\n")
    assert "ordinal code" in shown.stdout
    assert "remark: staff_note says the same for everyone" in shown.stderr
    assert _narrow(shown.stdout)


def test_look_says_why_and_writes_its_figures(command: Run, tmp_path: Path) -> None:
    shown = command("look", gauger.demo_file("members.csv"), "--key", "member_id", "--out", "look")
    assert "ordinal code  age_band: 5 steps from 1 to 5" in shown.stdout
    assert "remark: levels with one row in area (1)" in shown.stderr
    assert sorted(path.name for path in (tmp_path / "look").iterdir()) == sorted(LOOK_FILES)
    columns = gauger.read_table(tmp_path / "look" / "columns.csv")
    assert columns.loc[columns["column"] == "age", "because"].tolist() == ["whole numbers"]


def test_look_reads_what_its_options_tell(command: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("who;spend;on\n417;1.234,50;31.12.2024\nbad\n418;2,25;01.02.2025\n")
    shown = command(
        *("look", "t.csv", "--decimal", ",", "--thousands", ".", "--dates", "%d.%m.%Y", "--as-text", "who"),
        *("--skip-bad-lines", "bad.csv"),
    )
    assert shown.returncode == 0, shown.stderr
    assert "t.csv: 2 rows, 3 columns" in shown.stdout
    assert "1,234.5" in shown.stdout
    assert "2025-02-01" in shown.stdout
    assert "remark: 1 line of t.csv could not be read" in shown.stderr
    assert gauger.read_table(tmp_path / "bad.csv")["line"].tolist() == [3]


@pytest.mark.slow
def test_a_database_is_read_by_url_and_its_password_never_shown(command: Run, postgres: str) -> None:
    preparing = ("--table", "members", "--key", "member_id", "--features", "east_km,north_km", "--to", "3")
    shown = command("counts", postgres, *preparing)
    assert shown.returncode == 0, shown.stderr
    assert "--table members" in shown.stdout.splitlines()[-1]
    refused = command("counts", postgres, "--table", "nobody", "--key", "member_id")
    assert refused.returncode == 1
    for told in (shown.stdout, shown.stderr, refused.stderr):
        assert quote_plus(PASSWORD) not in told
        assert PASSWORD not in told


def test_features_prints_the_statement_for_another_database(command: Run, postgres: str) -> None:
    asked = ("--customer", "member_id", "--when", "visited_on", "--amount", "ticket_spend", "--category", "film_kind")
    shown = command("features", gauger.demo_file("visits.csv"), *asked, "--sql", "postgres")
    assert shown.returncode == 0, shown.stderr
    assert shown.stdout.startswith("WITH chosen AS (")
    theirs = gauger.read_table(postgres, query=shown.stdout.rstrip().rstrip(";"))
    assert len(theirs) == 2355
    assert {"recency_days", "spend_mean", "share_kind_family"} <= set(theirs.columns)


@pytest.mark.slow
def test_features_takes_measures_an_event_key_and_all_customers(command: Run, tmp_path: Path) -> None:
    shown = command(
        *("features", gauger.demo_file("visits.csv"), "--customer", "member_id", "--when", "visited_on"),
        *("--event-key", "visit_id", "--measures", "visits,share_weekday", "--out", "b.xlsx"),
        *("--customers", gauger.demo_file("members.csv")),
    )
    assert shown.returncode == 0, shown.stderr
    assert "remark: 60 exact repeats of a row were counted once." in shown.stderr
    assert "45 customers have no event" in shown.stderr
    table = gauger.read_table(tmp_path / "b.xlsx")
    assert table.shape == (2400, 9)


@pytest.mark.slow
def test_preparation_is_typed_as_in_python(command: Run, tmp_path: Path, behaviour_file: Path) -> None:
    chosen = (
        "--features",
        "visits,spend_mean",
        "--transform",
        "log",
        "--scale",
        "visits=robust",
        "--weight",
        "visits=2",
    )
    shown = command("segment", behaviour_file, "--key", "member_id", *chosen, "--count", "3", "--out", "s")
    assert shown.returncode == 0, shown.stderr
    features = gauger.prepare(
        gauger.read_table(behaviour_file),
        key="member_id",
        features=["visits", "spend_mean"],
        transform="log",
        scale={"visits": "robust"},
        weight={"visits": 2.0},
    )
    expected = gauger.segment_by_kmeans(features, 3).assignments["segment"].tolist()
    assert gauger.read_table(tmp_path / "s" / "assignments.csv")["segment"].tolist() == expected


def test_features_writes_one_row_a_customer_and_says_what_is_next(command: Run, tmp_path: Path) -> None:
    shown = command(
        *("features", gauger.demo_file("visits.csv"), "--customer", "member_id", "--when", "visited_on"),
        *("--amount", "ticket_spend", "--quantity", "seats", "--out", "b.parquet"),
    )
    assert shown.returncode == 0, shown.stderr
    assert "36,855 events of 2,355 members, as of 2025-12-29" in shown.stdout
    assert "Next: gauger plan b.parquet --key member_id --out plan.toml" in shown.stdout
    assert len(gauger.read_table(tmp_path / "b.parquet")) == 2355


@pytest.mark.slow
def test_counts_prints_the_table_and_the_advice_and_writes_both(
    command: Run, tmp_path: Path, behaviour_file: Path
) -> None:
    shown = command("counts", behaviour_file, "--key", "member_id", *FEATURES, "--out", "study")
    assert shown.returncode == 0, shown.stderr
    assert "Advice: 6 segments (leaning)" in shown.stdout
    assert "With 6 segments the silhouette is 0.58" in shown.stdout
    assert "segments                  1      2" in shown.stdout
    assert _narrow(shown.stdout)
    table = gauger.read_table(tmp_path / "study" / "counts.csv")
    assert table["count"].tolist() == list(range(1, 11))
    assert {"counts.png", "silhouettes.png", "splits.png", "features.png"} <= _files(tmp_path / "study")
    next_line = next(line for line in shown.stdout.splitlines() if line.startswith("Next: gauger "))
    assert next_line.endswith(
        "--features recency_days,visits,spend_mean,seats_mean --cap 0,0.99 --count 6 --out segments"
    )
    followed = command(*next_line.removeprefix("Next: gauger ").split())
    assert followed.returncode == 0, followed.stderr


def test_segment_then_profile_give_what_python_gives(
    command: Run, tmp_path: Path, behaviour_file: Path, demo_segments: gauger.Segmentation
) -> None:
    shown = command("segment", behaviour_file, "--key", "member_id", *FEATURES, "--count", 6, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert "6 segments of 2,355 members by k-means" in shown.stdout
    table = gauger.read_table(tmp_path / "s" / "assignments.csv")
    assert table["segment"].tolist() == demo_segments.codes.tolist()
    np.testing.assert_array_equal(table["distance"], demo_segments.distances)

    members = gauger.demo_file("members.csv")
    of_file = ("--key", "member_id", "--assignments", "s/assignments.csv")
    shown = command("profile", members, *of_file, "--all", "--out", "p")
    assert shown.returncode == 0, shown.stderr
    assert "Index of the means: everyone = 100" in shown.stdout
    assert "recency_days" not in shown.stdout
    assert "of those who match)" in shown.stdout.replace("\n", " ")
    assert "segments were built to differ on them" in shown.stderr.replace("\n", " ")
    assert _narrow(shown.stdout)
    assert "45 members of the table are in no segment" in shown.stderr
    means = gauger.read_table(tmp_path / "p" / "means.csv").set_index("segment")
    assert means.loc["1", "age"] == pytest.approx(
        gauger.profile(demo_segments, gauger.read_table(members)).means.loc[1, "age"]
    )
    figures = {"profile.png", "heat.png", "lines.png", "bubbles.png", "categories.png"}
    assert _files(tmp_path / "p") == {*PROFILE_FILES, *figures, "dates.csv"}


def test_profile_that_knows_the_features_says_how_firmly_segments_stand(
    command: Run, tmp_path: Path, few_file: Path
) -> None:
    table = (few_file, "--key", "member_id", "--features", "recency_days,visits,spend_mean")
    shown = command("segment", *table, "--count", 4, "--out", "s")
    followed = shlex.split(shown.stdout.splitlines()[-1].removeprefix("Next: gauger "))
    shown = command(*followed, "--all", "--out", "p")
    assert shown.returncode == 0, shown.stderr
    assert "dissolved in 20 resamples" in shown.stdout
    assert "p proves nothing there" in " ".join(shown.stderr.split())
    assert _narrow(shown.stdout)
    assert {"overlap.csv", "exemplars.csv", "boxes.png", "pairs.png", "components.png"} <= _files(tmp_path / "p")


def test_profile_lists_who_is_in_a_segment(
    command: Run, tmp_path: Path, demo_segments: gauger.Segmentation, members: pd.DataFrame
) -> None:
    gauger.write_table(demo_segments.assignments, tmp_path / "a.csv")
    search = ("profile", gauger.demo_file("members.csv"), "--key", "member_id", "--assignments", "a.csv")
    only = ("--members", 4, "--where", "age > 60", "--sort", "-age")
    shown = command(*search, *only, "--columns", "age,household", "--out", "m")
    assert shown.returncode == 0, shown.stderr
    found = gauger.members(demo_segments, members, segment=4, where="age > 60", sort="age", descending=True)
    assert shown.stdout.startswith(f"{len(found)} members in segment 4 with age > 60")
    assert shown.stdout.splitlines()[2].split()[0] == found["member_id"].iloc[0]
    assert gauger.read_table(tmp_path / "m" / "members.csv")["member_id"].tolist() == found["member_id"].tolist()
    assert _narrow(command(*search, *only).stdout)
    nobody = command(*search, "--members", "7")
    assert (nobody.returncode, "There are 1 (segment 1), 2 (segment 2)" in nobody.stderr) == (1, True)
    assert command(*search, "--where", "age > 60").returncode == 2


def test_segment_by_bands_names_segments_after_their_bands(command: Run, tmp_path: Path, behaviour_file: Path) -> None:
    table = (behaviour_file, "--key", "member_id", "--features", "visits,spend_mean", "--cap", "0,0.99")
    shown = command("segment", *table, "--method", "bands", "--bands", "visits=3,spend_mean=10:20:", "--out", "b")
    assert shown.returncode == 0, shown.stderr
    assert "visits low, spend_mean" in shown.stdout
    assigned = pd.read_csv(tmp_path / "b" / "assignments.csv")
    spend = pd.read_csv(behaviour_file).set_index("member_id")["spend_mean"].loc[assigned["member_id"]]
    assert (assigned["spend_mean_band"].to_numpy() == np.searchsorted([10, 20], spend, side="right") + 1).all()
    for wrong, said in (("x", "must be a number of bands"), ("visit=3", "did you mean 'visits'")):
        refused = command("segment", *table, "--method", "bands", "--bands", wrong, "--out", "c")
        assert (refused.returncode, said in " ".join(refused.stderr.split())) == (1, True), refused.stderr
    misplaced = command("segment", *table, "--count", 3, "--bands", "3", "--out", "c")
    assert (misplaced.returncode, "has no use for --bands" in misplaced.stderr) == (2, True)


@pytest.mark.slow
def test_compare_checks_segments_against_a_known_column(
    command: Run, tmp_path: Path, behaviour_file: Path, demo_segments: gauger.Segmentation
) -> None:
    gauger.write_table(demo_segments.assignments, tmp_path / "a.csv")
    sides = ("--assignments", "a.csv", "--against", gauger.demo_file("panel.csv"), "--column", "answer")
    shown = command("compare", behaviour_file, "--key", "member_id", *FEATURES, *sides, "--out", "c")
    assert shown.returncode == 0, shown.stderr
    assert "answer: Cramér's V 0.83 (" in shown.stdout
    assert "one would guess answer right for 87%, without it for 32%" in " ".join(shown.stdout.split())
    assert "F: We go as a family, mostly at weekends" in shown.stdout
    assert "2,061 members are among these segments only" in " ".join(shown.stderr.split())
    assert _narrow(shown.stdout)
    assert _files(tmp_path / "c") == {*COMPARE_FILES, "side-by-side.png"}
    one = command("compare", behaviour_file, "--key", "member_id", "--features", "visits", *sides, "--out", "d")
    assert one.returncode == 0, one.stderr
    assert _files(tmp_path / "d") == set(COMPARE_FILES)
    assert command("compare", behaviour_file, "--key", "member_id", "--assignments", "a.csv").returncode == 2


@pytest.mark.slow
def test_counts_gives_the_advice_to_scripts_as_json(command: Run, few_file: Path) -> None:
    shown = command("counts", few_file, "--key", "member_id", "--to", 4, "--json")
    assert shown.returncode == 0, shown.stderr
    told = json.loads(shown.stdout)
    study = gauger.study_counts(gauger.prepare(gauger.read_table(few_file), key="member_id"), counts=range(1, 5))
    assert (told["count"], told["verdict"]) == (study.advice.count, study.advice.verdict)
    assert told["picks"] == dict(study.advice.picks)
    assert (told["leave_out"], told["filters"]) == ([], {})
    assert told["table"][0]["silhouette"] is None
    assert [row["silhouette"] for row in told["table"][1:]] == study.table["silhouette"].tolist()[1:]


def test_json_has_no_figure_where_there_is_none(command: Run, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("who,x\n" + "".join(f"c{row},{row % 2 * 2 - 1}\n" for row in range(60)))
    shown = command("counts", "t.csv", "--key", "who", "--to", 2, "--json")
    assert shown.returncode == 0, shown.stderr
    told = json.loads(shown.stdout)
    assert told["table"][1]["calinski_harabasz"] is None
    assert told["table"][1]["wcss"] == 0.0


def test_auto_stops_at_one_cloud_and_says_why(command: Run, tmp_path: Path) -> None:
    values = np.random.default_rng(0).normal(size=(300, 2))
    pd.DataFrame(values, columns=["visits", "spend"]).assign(who=range(300)).to_csv(tmp_path / "t.csv", index=False)
    shown = command("segment", "t.csv", "--key", "who", "--count", "auto", "--out", "s")
    assert shown.returncode == 1
    assert "no groups were found: no structure." in " ".join(shown.stderr.split())
    assert not (tmp_path / "s").exists()


def test_segment_learns_on_a_sample_and_says_so(command: Run, tmp_path: Path, few_file: Path) -> None:
    shown = command(
        *("segment", few_file, "--key", "member_id", "--count", 3, "--out", "s"),
        *("--learn-on", 0.5, "--seeding", "random"),
    )
    assert shown.returncode == 0, shown.stderr
    assert "the centres were learned on 250 of 500 members" in " ".join(shown.stderr.split())
    assert {path.name for path in (tmp_path / "s").iterdir()} == {*SEGMENT_FILES, *KMEANS_FILES}


def test_the_next_step_leaves_out_what_hides_the_groups(command: Run, tmp_path: Path) -> None:
    rng = np.random.default_rng(4)
    groups = np.repeat([[0.0, 0.0], [6.0, 0.0], [0.0, 6.0], [6.0, 6.0]], 90, axis=0) + rng.normal(size=(360, 2))
    noise = {f"note_{index}": rng.normal(size=360) for index in range(8)}
    table = pd.DataFrame({"who": range(360), "visits": groups[:, 0], "spend": groups[:, 1], **noise})
    table.assign(area=rng.choice(["north", "south"], 360)).to_csv(tmp_path / "members.csv", index=False)
    shown = command(
        "counts", "members.csv", "--key", "who", "--categories", "area", "--scale", "visits=minmax,note_0=minmax"
    )
    assert shown.returncode == 0, shown.stderr
    assert "Advice: 4 segments" in shown.stdout
    next_line = next(line for line in shown.stdout.splitlines() if line.startswith("Next: gauger segment"))
    assert "--features spend,visits" in next_line or "--features visits,spend" in next_line
    assert "note_" not in next_line
    assert "--categories" not in next_line
    assert "--count 4" in next_line


@pytest.mark.slow
def test_where_there_is_no_structure_the_next_step_says_that_it_cuts_a_cloud(command: Run, tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    table = pd.DataFrame({"who": range(300), "visits": rng.normal(size=300), "app": rng.integers(0, 2, 300)})
    table.to_csv(tmp_path / "members.csv", index=False)
    shown = command("counts", "members.csv", "--key", "who", "--to", "4")
    assert "Advice: 1 segment (no structure)" in shown.stdout
    assert "only repeat the values of app: a filter on app does that" in " ".join(shown.stdout.split())
    assert "No groups: try other features or another grain, or cut them into bands: gauger segment" in shown.stdout


@pytest.mark.slow
def test_tree_prints_the_last_merges_and_the_advice_and_writes_the_cut(
    command: Run, tmp_path: Path, behaviour_file: Path, demo_features: gauger.FeatureSet
) -> None:
    shown = command("tree", behaviour_file, "--key", "member_id", *FEATURES, "--out", "tree")
    assert shown.returncode == 0, shown.stderr
    assert "Tree of 2,355 members by Ward's linkage and Euclidean distance: heights 0.00 to 82.5\n" in shown.stdout
    assert "Advice: 6 segments (leaning)" in shown.stdout
    assert "Next: gauger profile" in shown.stdout
    assert _narrow(shown.stdout)
    assert sorted(path.name for path in (tmp_path / "tree").iterdir()) == sorted(TREE_FILES)
    tree = gauger.build_tree(demo_features)
    merges = pd.read_csv(tmp_path / "tree" / "merges.csv")
    np.testing.assert_allclose(merges["height"], tree.merges["height"])
    assert merges["segments"].tolist() == list(range(2_354, 0, -1))
    assert merges["left"].iloc[-1].startswith("step ")
    assert merges["left"].iloc[0] in set(demo_features.keys)
    assigned = pd.read_csv(tmp_path / "tree" / "assignments.csv")
    assert assigned["segment"].tolist() == tree.cut(count=6).codes.tolist()
    for line in merges["height"].tail(10):
        assert f"{line:.3g}" in shown.stdout


@pytest.mark.slow
def test_tree_cuts_at_a_height_and_joins_features(
    command: Run, tmp_path: Path, behaviour_file: Path, few_file: Path
) -> None:
    options = ("--linkage", "complete", "--metric", "city_block", "--height", "6", "--also", "3", "--out", "tree")
    shown = command("tree", few_file, "--key", "member_id", *options)
    assert shown.returncode == 0, shown.stderr
    heights = pd.read_csv(tmp_path / "tree" / "merges.csv")["height"]
    assigned = pd.read_csv(tmp_path / "tree" / "assignments.csv")
    assert assigned["segment"].nunique() == 1 + (heights > 6).sum()
    shown = command("tree", behaviour_file, "--key", "member_id", "--of", "features", "--out", "measures")
    assert "group 1: visits, active_days" in shown.stdout
    assert "100%" in shown.stdout
    assert sorted(path.name for path in (tmp_path / "measures").iterdir()) == sorted(FEATURE_TREE_FILES)


def test_features_are_grouped_only_when_they_are_alike(command: Run, behaviour_file: Path) -> None:
    for names, told in (("visits,active_days", "group 1: "), ("recency_days,spend_mean", "none: each feature says")):
        shown = command(
            "tree", behaviour_file, "--key", "member_id", "--features", names, "--of", "features", "--out", names[:4]
        )
        assert shown.returncode == 0, shown.stderr
        assert "Groups that are alike by 90% or more" in shown.stdout
        assert told in shown.stdout


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_a_tree_of_series_has_its_series_drawn(command: Run, tmp_path: Path) -> None:
    weekly = gauger.read_table(gauger.demo_file("weekly_admissions.csv"))
    wide = gauger.pivot_series(weekly, entity="house", period="week", value="admissions", missing="interpolate")
    gauger.write_table(wide, tmp_path / "wide.csv")
    options = ("--metric", "dtw_zscored", "--band", "5", "--scale", "none", "--out", "tree")
    shown = command("tree", "wide.csv", "--key", "house", *options)
    assert shown.returncode == 0, shown.stderr
    assert "104 features: 2024-01-01, 2024-01-08, …, 2025-12-15, 2025-12-22" in shown.stdout
    assert "5 segments of 48 houses by average linkage" in shown.stdout
    assert (tmp_path / "tree" / "series.png").read_bytes().startswith(b"\x89PNG")


@pytest.mark.usefixtures("drawn")
def test_one_feature_is_enough(command: Run, tmp_path: Path, few_file: Path) -> None:
    shown = command("segment", few_file, "--key", "member_id", "--features", "visits", "--count", 3, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert (tmp_path / "s" / "segments.png").read_bytes().startswith(b"\x89PNG")


@pytest.mark.slow
def test_preparation_by_feature_is_understood(command: Run) -> None:
    shown = command(
        *("counts", gauger.demo_file("members.csv"), "--key", "member_id", "--features", "age,east_km"),
        *("--missing", "age=median", "--scale", "age=minmax,east_km=minmax", "--from", 2, "--to", 3, "--starts", 2),
    )
    assert shown.returncode == 0, shown.stderr
    assert "2,400 members by member_id, 2 features: age, east_km" in shown.stdout


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_demo_runs_the_whole_job_and_ends_with_what_to_open(command: Run, tmp_path: Path) -> None:
    shown = command("demo")
    assert shown.returncode == 0, shown.stderr
    assert shown.stdout.startswith("1 Look        2,400 members and 36,855 visits")
    steps = [line[:14].strip() for line in shown.stdout.splitlines() if line[:1].strip()]
    assert [step[0] for step in steps if step[0].isdigit()] == list("1234567")
    assert steps[6:] == ["In short", "7 Report", "In it", "Open next"]
    assert "6 segments, leaning" in shown.stdout
    assert "remark: staff_note says the same for everyone" in shown.stderr
    assert _narrow(shown.stdout)
    opened = [
        line.strip().split(":")[0] for line in shown.stdout.split("In it")[1].split("Open next")[0].strip().splitlines()
    ]
    assert shown.stdout.rstrip().endswith("open demo-output/report.html")
    written = {str(path.relative_to(tmp_path)) for path in (tmp_path / "demo-output").rglob("*.*")}
    assert written == set(opened) == {f"demo-output/{name}" for name in OUTPUTS}
    table = gauger.read_table(tmp_path / "demo-output" / "assignments.csv")
    assert table["segment"].value_counts().index.tolist() == [1, 2, 3, 4, 5, 6]
    again = command("demo")
    assert again.returncode == 1
    assert "there already" in " ".join(again.stderr.split())


def _files(folder: Path) -> set[str]:
    return {path.name for path in folder.iterdir()}


def test_radius_prints_the_table_the_advice_and_the_dial(command: Run, tmp_path: Path) -> None:
    shown = command("radius", *HOMES, "--coarseness", 0.4, "--out", "study")
    assert shown.returncode == 0, shown.stderr
    assert "Advice: radius 0.902 (clear)" in shown.stdout
    assert "From 0.724 to 1.40 the answer hardly changes: 4 segments" in shown.stdout
    assert "Used: radius 0.542 for coarseness 0.4, 4 min points." in shown.stdout
    assert "--method density --radius 0.54231 --out segments" in shown.stdout
    assert _narrow(shown.stdout)
    assert _files(tmp_path / "study") == set(RADIUS_FILES)
    table = pd.read_csv(tmp_path / "study" / "radii.csv")
    assert len(table) == 12
    assert table["fair_segments"].max() == 11


def test_radius_compares_several_min_points(command: Run) -> None:
    shown = command("radius", *HOMES, "--min-points", "4,12", "--metric", "city_block")
    assert shown.returncode == 0, shown.stderr
    assert "By min points: what the advice would be" in shown.stdout
    assert "--metric city_block --out segments" in shown.stdout
    assert _narrow(shown.stdout)


def test_segment_by_density_studies_the_radius_itself_and_says_what_it_used(command: Run, tmp_path: Path) -> None:
    shown = command("segment", *HOMES, "--method", "density", "--out", "s", "--outline", "hull", "--label", "H0001")
    assert shown.returncode == 0, shown.stderr
    assert "Used: radius 0.902, 4 min points." in shown.stdout
    assert "4 segments of 1,580 homes by density (radius 0.902, min points 4), 77 unassigned" in shown.stdout
    assert _narrow(shown.stdout)
    assert _files(tmp_path / "s") == {*SEGMENT_FILES, *RADIUS_FILES}
    assigned = pd.read_csv(tmp_path / "s" / "assignments.csv")
    assert assigned["kind"].value_counts()["unassigned"] == 77
    outside = assigned["segment"] == 0
    assert assigned.loc[outside, ["nearest_segment", "nearest_distance"]].notna().all(axis=None)
    assert assigned.loc[~outside, "nearest_segment"].isna().all()


@pytest.mark.slow
def test_segment_by_density_takes_a_radius_or_a_coarseness(command: Run, tmp_path: Path) -> None:
    shown = command("segment", *HOMES, "--method", "density", "--radius", 0.6, "--min-points", 5, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert "by density (radius 0.6, min points 5)" in shown.stdout
    assert "Advice" not in shown.stdout
    assert _files(tmp_path / "s") == set(SEGMENT_FILES)
    coarse = command("segment", *HOMES, "--method", "density", "--coarseness", 1, "--out", "coarse")
    assert "for coarseness 1, 4 min points." in coarse.stdout
    assert "3 segments of 1,580 homes by density" in coarse.stdout


def test_segment_by_density_with_nobody_in_a_segment_says_so_and_what_to_do(command: Run, tmp_path: Path) -> None:
    shown = command("segment", *HOMES, "--method", "density", "--radius", 0.001, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert "0 segments of 1,580 homes" in shown.stdout
    assert "no home has 4 within 0.001" in " ".join(shown.stderr.split())
    assert "Next: gauger radius" in shown.stdout
    assert (pd.read_csv(tmp_path / "s" / "assignments.csv")["segment"] == 0).all()


@pytest.mark.slow
def test_of_very_many_segments_the_largest_are_printed_and_all_are_written(command: Run, tmp_path: Path) -> None:
    shown = command("segment", *HOMES, "--method", "density", "--radius", 0.25, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert "The 20 largest of 81 segments; the files have all." in shown.stdout
    assert "81 segments has" not in shown.stdout
    assert "segments have under 1% of the homes" in " ".join(shown.stderr.split())
    assert len(pd.read_csv(tmp_path / "s" / "centres.csv")) == 81
    profiled = command("profile", HOMES[0], "--key", "home_id", "--assignments", "s/assignments.csv")
    assert "The 20 largest of 81 segments; the files have all." in profiled.stdout
    assert "everyone" in profiled.stdout
    assert _narrow(shown.stdout)


def test_segment_by_density_levels_writes_the_hierarchy(command: Run, tmp_path: Path) -> None:
    shown = command("segment", *HOMES, "--method", "density-levels", "--smallest", 60, "--out", "s")
    assert shown.returncode == 0, shown.stderr
    assert "by density levels (smallest 60, min points 20)" in " ".join(shown.stdout.split())
    assert _files(tmp_path / "s") == {*SEGMENT_FILES, *LEVELS_FILES}
    assigned = pd.read_csv(tmp_path / "s" / "assignments.csv")
    assert assigned["strength"].between(0.0, 1.0).all()
    assert assigned["segment"].max() == 4


def test_compare_crosses_two_segmentations_and_draws_them(command: Run, tmp_path: Path) -> None:
    table = gauger.read_table(HOMES[0])
    homes = gauger.prepare(table, key="home_id", features=["east_km", "north_km"], scale="none")
    gauger.write_table(gauger.segment_by_kmeans(homes, 4).assignments, tmp_path / "k.csv")
    gauger.write_table(gauger.segment_by_density(homes, 0.9).assignments, tmp_path / "d.csv")
    sides = ("--assignments", "k.csv", "--against", "d.csv")
    shown = command("compare", *HOMES, *sides, "--out", "c")
    assert shown.returncode == 0, shown.stderr
    assert "61% of 1,580 homes agree, adjusted Rand 0.56 (1: the same, 0: chance)" in shown.stdout
    assert "Down: k.csv. Across: d.csv." in shown.stdout
    assert "80 homes are unassigned on one side only" in " ".join(shown.stderr.split())
    assert _narrow(shown.stdout)
    assert _files(tmp_path / "c") == {*COMPARE_FILES, "worth.csv", "side-by-side.png"}
    crossing = pd.read_csv(tmp_path / "c" / "crossing.csv", index_col=0)
    assert crossing.to_numpy().sum() == 1580
    assert crossing.columns.tolist() == ["1", "2", "3", "4", "unassigned"]


def test_a_model_goes_from_segment_to_assign_drift_and_the_database(
    command: Run, tmp_path: Path, behaviour_file: Path, demo_segments: gauger.Segmentation
) -> None:
    command("segment", behaviour_file, "--key", "member_id", *FEATURES, "--count", 6, "--out", "s")
    model = tmp_path / "s" / "model.json"
    shown = command("assign", model, behaviour_file, "--out", "a.parquet")
    assert shown.returncode == 0, shown.stderr
    assert "2,355 members assigned" in shown.stdout
    assert gauger.read_table(tmp_path / "a.parquet")["segment"].tolist() == demo_segments.codes.tolist()
    assert _narrow(shown.stdout)
    drifted = command("drift", model, behaviour_file, "--out", "d")
    assert drifted.returncode == 0, drifted.stderr
    assert drifted.stdout.startswith("Advice: keep. Features and shares are as they were.")
    assert _files(tmp_path / "d") == {"features.csv", "segments.csv"}
    assert _narrow(drifted.stdout)
    statement = command("assign", model, "--sql", "duckdb", "--table", "behaviour", "--gate", "learned").stdout
    connection = duckdb.connect()
    connection.register("behaviour", pd.read_csv(behaviour_file))
    assert connection.execute(f"SELECT count(*) FROM ({statement.rstrip().rstrip(';')})").fetchone() == (2355,)
    assert command("assign", model, behaviour_file, "--out", "b.csv", "--gate", "far").returncode == 2
    assert command("assign", model, "--out", "b.csv").returncode == 2
    model.write_text(model.read_text()[:-40])
    damaged = command("assign", model, behaviour_file, "--out", "b.csv")
    assert (damaged.returncode, "cannot be read as a model" in " ".join(damaged.stderr.split())) == (1, True)


def test_a_large_file_is_assigned_in_blocks(
    command: Run,
    tmp_path: Path,
    behaviour: pd.DataFrame,
    demo_segments: gauger.Segmentation,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    gauger.build_model(demo_segments).save(tmp_path / "model.json")
    gauger.write_table(behaviour, tmp_path / "all.parquet")
    monkeypatch.setattr("gauger.cli.assign._LARGE", 10)
    done = command("assign", "model.json", "all.parquet", "--out", "out.csv")
    assert done.returncode == 0, done.stderr
    assert pd.read_csv(tmp_path / "out.csv")["segment"].tolist() == demo_segments.codes.tolist()


def test_a_campaign_is_handed_off_and_measured(
    command: Run, tmp_path: Path, demo_segments: gauger.Segmentation
) -> None:
    gauger.write_table(demo_segments.assignments, tmp_path / "a.csv")
    who = ("a.csv", gauger.demo_file("members.csv"), "--key", "member_id", "--campaign", "spring")
    suppressed = ("--suppress", gauger.demo_file("suppression.csv"))
    shown = command("handoff", *who, *suppressed, "--holdout", 0.3, "--match-on", "email", "--out", "h")
    assert shown.returncode == 0, shown.stderr
    assert "customers to be contacted" in shown.stdout
    assert "@example" not in shown.stdout + shown.stderr
    assert "M0" not in shown.stdout + shown.stderr
    assert _narrow(shown.stdout)
    arms = pd.read_csv(tmp_path / "h" / "arms.csv")
    came = arms["member_id"][(arms["segment"] == 2) & (arms["arm"] == "contacted")][::3]
    pd.DataFrame({"member_id": pd.concat([came, arms["member_id"][::25]]).unique(), "came": 1}).to_csv(
        tmp_path / "o.csv", index=False
    )
    told = command("measure", "h", "o.csv", "--responded", "came", "--out", "m")
    assert told.returncode == 0, told.stderr
    assert "more response by the campaign in segment 2" in " ".join(told.stdout.split())
    assert _files(tmp_path / "m") == {"outcome.csv", "outcome.png"}
    assert _narrow(told.stdout)
    again = command("handoff", *who, "--out", "h")
    assert (again.returncode, "is not empty" in again.stderr) == (1, True)
    unasked = command("handoff", *who, "--consent", "consent_phone", "--out", "i")
    assert (unasked.returncode, "consent is required" in " ".join(unasked.stderr.split())) == (1, True)
    assert not (tmp_path / "i").exists()


def test_contacts_with_bad_lines_are_refused_and_nothing_is_written(
    command: Run, tmp_path: Path, demo_segments: gauger.Segmentation
) -> None:
    gauger.write_table(demo_segments.assignments, tmp_path / "a.csv")
    lines = gauger.demo_file("members.csv").read_text().splitlines()
    lines[50::100] = [f"{line},one,too,many" for line in lines[50::100]]  # 1 % of them
    (tmp_path / "contacts.csv").write_text("\n".join(lines))
    refused = command("handoff", "a.csv", "contacts.csv", "--key", "member_id", "--campaign", "x", "--out", "h")
    assert refused.returncode == 1
    assert "Traceback" not in refused.stderr
    assert "line 51" in " ".join(refused.stderr.split())
    assert not (tmp_path / "h").exists()
