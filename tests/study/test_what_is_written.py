"""Which files a study has, to the last one, by method and by what was asked for; and that its steps are counted."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from gauger.remarks import Remark
from gauger.study import find_segments, finding, naming
from gauger.study.plan_parts import DensityPart
from tests.examples import thoroughly
from tests.heard_steps import heard_steps

OF_EACH = {"assignments.csv", "centres.csv", "plan.toml", "remarks.json", "segments.png"}
PROFILE = {
    f"profile/{name}.png"
    for name in ("profile", "heat", "bubbles", "lines", "boxes", "categories", "pairs", "components")
}
COUNTS = {"counts/" + name for name in ("counts.csv", "counts.png", "silhouettes.png", "splits.png", "features.png")}
COMPARED = {
    f"compare/{at}/{name}"
    for at in (1, 2)
    for name in ("crossing.csv", "matches.csv", "customers.csv", "flow.png", "side-by-side.png")
}


@pytest.fixture(scope="module")
def table() -> pd.DataFrame:
    rng = np.random.default_rng(4)
    middles = np.repeat([0.0, 9.0, 18.0], 30)
    return pd.DataFrame({"who": [f"c{at:02}" for at in range(90)]}).assign(
        visits=middles + rng.normal(size=90), spend=middles[::-1] + rng.normal(size=90), area=["n", "s", "w"] * 30
    )


@pytest.fixture
def features(table: pd.DataFrame) -> gauger.FeatureSet:
    return gauger.prepare(table, key="who", features=["visits", "spend"])


def _files(folder: Path) -> set[str]:
    return {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}


@pytest.mark.slow
@pytest.mark.parametrize(
    ("segment", "more"),
    [
        (lambda seen: gauger.segment_by_kmeans(seen, 3), {"model.json", "iterations.png", "spread.png"}),
        (lambda seen: gauger.build_tree(seen).cut(count=3), {"model.json"}),
        (lambda seen: gauger.segment_by_density(seen, 0.5), {"model.json"}),
        (lambda seen: gauger.segment_by_density_levels(seen), {"branches.csv", "levels.png", "model.json"}),
    ],
    ids=["k-means", "tree", "density", "density levels"],
)
def test_a_study_has_the_files_of_its_method(
    segment: Callable[[gauger.FeatureSet], gauger.Segmentation],
    more: set[str],
    features: gauger.FeatureSet,
    table: pd.DataFrame,
    tmp_path: Path,
) -> None:
    seg = segment(features)
    gauger.save_study(seg, tmp_path / "kept", source=table)
    assert _files(tmp_path / "kept") == OF_EACH | more | {"customers.parquet"}
    gauger.write_table(table, tmp_path / "base.csv")
    gauger.save_study(seg, tmp_path / "named", source=tmp_path / "base.csv")
    assert _files(tmp_path / "named") == OF_EACH | more


PLAN = 'key = "who"\n[source]\nfile = "base.csv"\n[features]\nvisits = {}\nspend = {}\n[counts]\nhighest = 3\n'
PARTS = {
    "compare": '[[compare]]\ncolumn = "area"\ntable = { file = "base.csv" }\n[[compare]]\nstudy = "before"\n',
    "hand_off": '[hand_off]\ncampaign = "tea"\ncontacts = { file = "base.csv" }\nconsent = "none"\naddress = "none"\n',
    "report": "[report]\nworkbook = true\n",
}


K_MEANS = {"iterations.png", "spread.png", *COUNTS}


@pytest.mark.parametrize(
    ("method", "parts", "files"),
    thoroughly(
        [
            ("kmeans", "hand_off report", K_MEANS | {"report.html", "report.xlsx"}),
            ("kmeans", "", K_MEANS),
            ("kmeans", "compare", K_MEANS | COMPARED),
            ("tree", "", {"merges.csv", "tree.png", "jumps.png"}),
            ("density", "", {"radii.csv", "radii.png", "neighbours.png"}),
            ("density-levels", "", {"branches.csv", "levels.png"}),
        ]
    ),
)
def test_a_run_has_the_files_of_its_parts_and_ends_with_its_last_step(
    method: str, parts: str, files: set[str], table: pd.DataFrame, tmp_path: Path
) -> None:
    gauger.write_table(table.assign(agreed=1), tmp_path / "base.csv")
    if "compare" in parts:
        before = gauger.prepare(table, key="who", features=["visits"])
        gauger.save_study(gauger.segment_by_kmeans(before, 2), tmp_path / "before", source=table)
    count = "count = 3\nstarts = 2\n" if method == "kmeans" else ""
    own = "".join(PARTS[part] for part in parts.split())
    (tmp_path / "plan.toml").write_text(f'{PLAN}[segments]\nmethod = "{method}"\n{count}{own}')
    with heard_steps() as steps:
        gauger.run_plan(tmp_path / "plan.toml", tmp_path / "out")
    announced, *done = steps["gauger run"]
    assert announced == sum(done) == 6 + 2 * ("compare" in parts) + ("hand_off" in parts) + ("report" in parts)
    found = _files(tmp_path / "out")
    tables = {name for name in found if name.startswith("profile/") and name.endswith(".csv")}
    assert {"profile/means.csv", "profile/sizes.csv", "profile/drivers.csv"} <= tables
    handed = {name for name in found if name.startswith("hand-off/")}
    assert ("hand-off/manifest.json" in handed) is ("hand_off" in parts) is bool(handed)
    assert found - tables - handed == OF_EACH | PROFILE | files | {"model.json"}


def test_a_study_of_everyone_in_files_keeps_its_sample(table: pd.DataFrame, tmp_path: Path) -> None:
    gauger.write_table(table, tmp_path / "base.parquet")
    base = gauger.open_table(tmp_path / "base.parquet", execution=gauger.Execution(sample=20))
    seg = gauger.segment_by_kmeans(gauger.prepare(base, key="who", features=["visits", "spend"]), 3)
    gauger.save_study(seg, tmp_path / "out", format="csv")
    assert _files(tmp_path / "out") == OF_EACH | {
        *("iterations.png", "model.json", "profile.csv", "sample.parquet", "spread.png")
    }


@pytest.mark.parametrize("parts", thoroughly(["hand_off report", "compare", ""]))
def test_a_run_of_everyone_in_files_ends_with_its_last_step(parts: str, table: pd.DataFrame, tmp_path: Path) -> None:
    gauger.write_table(table.assign(agreed=1), tmp_path / "base.csv")
    if "compare" in parts:
        gauger.save_study(
            gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2), tmp_path / "before", source=table
        )
    segments = '[segments]\nmethod = "kmeans"\ncount = 3\nstarts = 2\nout_of_core = true\nsample = 60\n'
    (tmp_path / "plan.toml").write_text(PLAN + segments + "".join(PARTS[part] for part in parts.split()))
    with heard_steps() as steps:
        gauger.run_plan(tmp_path / "plan.toml", tmp_path / "out")
    announced, *done = steps["gauger run"]
    assert announced == sum(done) == 4 + 2 * ("compare" in parts) + ("hand_off" in parts) + ("report" in parts)
    found = _files(tmp_path / "out")
    assert {"report.html", "report.xlsx", "hand-off/manifest.json"} & found == (
        {"report.html", "report.xlsx", "hand-off/manifest.json"} if parts == "hand_off report" else set()
    )
    assert ("compare/2/matches.csv" in found) is (parts == "compare")
    assert "sample.parquet" in found
    if "hand_off" in parts:
        assert len(pd.read_csv(tmp_path / "out" / "hand-off" / "arms.csv")) == 90
        assert "90 customers" in (tmp_path / "out" / "report.html").read_text("utf-8")


def test_a_study_whose_segments_are_named_has_its_figures_drawn_again(
    features: gauger.FeatureSet, table: pd.DataFrame, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    drawn: list[tuple[str, str]] = []
    for name in ("segments_figure", "segment_spread", "density_levels"):
        real = getattr(naming, name)

        def recorded(seg: gauger.Segmentation, *more: object, real: object = real, name: str = name) -> object:
            drawn.append((name, seg.names[1]))
            return real(seg, *more)  # type: ignore[operator]

        monkeypatch.setattr(naming, name, recorded)
    for seg, figures in (
        (gauger.segment_by_kmeans(features, 3), ["segments_figure", "segment_spread"]),
        (gauger.segment_by_density_levels(features), ["segments_figure", "density_levels"]),
    ):
        gauger.save_study(seg, tmp_path / seg.method, source=table)
        drawn.clear()
        gauger.name_study(tmp_path / seg.method, {1: "the first"})
        assert drawn == [(figure, "the first") for figure in figures]


def test_remarks_of_a_studied_radius_come_once(features: gauger.FeatureSet, monkeypatch: pytest.MonkeyPatch) -> None:
    found = find_segments(features, DensityPart(method="density", coarseness=0.5))
    codes = [remark.code for remark in found.seg.remarks]
    assert len(codes) == len(set(codes))
    assert found.radius_study is not None
    edge = Remark("radius-at-edge", "the advised radius is the smallest that was compared.")
    studied = replace(found.radius_study, remarks=(edge, *found.seg.remarks))
    monkeypatch.setattr(finding, "study_radius", lambda *_, **__: studied)
    again = find_segments(features, DensityPart(method="density", coarseness=0.5))
    assert sorted(remark.code for remark in again.seg.remarks) == sorted({*codes, "radius-at-edge"})


def test_a_page_with_keys_is_refused_when_one_of_them_is_an_address(
    features: gauger.FeatureSet, table: pd.DataFrame, tmp_path: Path
) -> None:
    odd = table.assign(who=[*table["who"][:-1], "c89@example.org"])
    seg = gauger.segment_by_kmeans(gauger.prepare(odd, key="who", features=["visits", "spend"]), 3)
    with pytest.raises(SettingError, match="look like addresses"):
        gauger.write_report(seg, tmp_path / "a.html", with_keys=True)
    own = gauger.segment_by_kmeans(features, 3)
    others = gauger.prepare(table.assign(who=table["who"] + "x"), key="who", features=["visits", "spend"])
    with pytest.raises(SettingError, match="the profile is of other customers"):
        gauger.write_report(own, tmp_path / "a.html", profile=gauger.profile(gauger.segment_by_kmeans(others, 3)))
    assert not (tmp_path / "a.html").exists()
