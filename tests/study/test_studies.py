"""A study's folder: written by every method, opened again with all that it knows, changed and missing sources."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import MissingFileError, OutputError, SettingError, StudyError
from gauger.remarks import Remark
from gauger.study import find_segments
from gauger.study.gathering import provenance_of
from gauger.study.plan_files import plan_from_text, text_of
from gauger.study.plan_of_segments import plan_of
from gauger.study.plan_parts import SourcePart
from tests.examples import thoroughly

RNG = np.random.default_rng(3)
N = 120


def _customers() -> pd.DataFrame:
    group = np.repeat([0, 1, 2], N // 3)
    return pd.DataFrame(
        {
            "who": [f"{row:04d}" for row in range(N)],
            "visits": RNG.poisson(3 + 20 * group) + 1,
            "spend": RNG.gamma(4.0, 2.0, N) + 15.0 * (group == 1),
            "area": np.array(["north", "south", "west"])[RNG.integers(0, 3, N)],
        }
    )


TABLE = _customers()


def _features(table: pd.DataFrame = TABLE) -> gauger.FeatureSet:
    return gauger.prepare(
        table, key="who", features=["visits", "spend"], categories=["area"], transform={"visits": "log"}, scale="minmax"
    )


MADE = {
    "k-means": lambda features: gauger.segment_by_kmeans(features, 3, starts=2),
    "learned": lambda features: gauger.segment_by_kmeans(features, 3, starts=2, learn_on=0.5),
    "tree": lambda features: gauger.build_tree(features).cut(count=3),
    "height": lambda features: gauger.build_tree(features, linkage="average").cut(height=0.6),
    "cosine": lambda features: gauger.build_tree(features, metric="cosine").cut(count=3),
    "density": lambda features: gauger.segment_by_density(features, 0.6, min_points=4),
    "levels": lambda features: gauger.segment_by_density_levels(features, 10),
    "bands": lambda features: gauger.segment_by_bands(features, {"visits": 2, "spend": [12.0]}),
    "score": lambda features: gauger.segment_by_bands(features, {"visits": 3, "spend": 3}, combine="score"),
}


@pytest.fixture
def source(tmp_path: Path) -> Path:
    return gauger.write_table(TABLE, tmp_path / "customers.csv")


@pytest.mark.parametrize("method", thoroughly(MADE, 3))
def test_a_study_of_every_method_opens_as_it_was_made(method: str, tmp_path: Path, source: Path) -> None:
    seg = MADE[method](_features())
    renamed = seg.rename({1: "the many"})
    gauger.save_study(renamed, tmp_path / "s", source=source, reading={"as_text": ["who"]})
    study = gauger.open_study(tmp_path / "s")
    again = study.segmentation
    assert (again.codes == seg.codes).all()
    np.testing.assert_allclose(again.scaled_centres, seg.scaled_centres, rtol=1e-12)
    np.testing.assert_allclose(again.distances, seg.distances, rtol=1e-9, atol=1e-12)
    assert (again.names, again.method, again.edges) == (renamed.names, seg.method, seg.edges)
    assert again.names == study.names
    assert (study.features.values == seg.features.values).all()
    assert (again.refit is None) == (seg.refit is None)
    if seg.refit is not None:
        assert (again.refit.segment(seg.features, 1) == seg.refit.segment(seg.features, 1)).all()
    profile, expected = study.profile, gauger.profile(renamed, TABLE)
    pd.testing.assert_frame_equal(profile.means, expected.means)
    pd.testing.assert_frame_equal(profile.overlap, expected.overlap)
    if method == "cosine":
        assert "no-model" in {remark.code for remark in study.remarks}
        with pytest.raises(StudyError, match="cannot place other customers"):
            study.model  # noqa: B018
    else:
        assert study.model.assign(TABLE)["segment"].tolist() == seg.codes.tolist()
        assert study.model.segment_names[1] == "the many"
    assert str(study.folder) in repr(study)


@pytest.mark.parametrize("method", thoroughly(MADE, 3))
def test_the_plan_of_a_study_finds_the_same_segments_again(method: str) -> None:
    seg = MADE[method](_features())
    plan = plan_from_text(text_of(plan_of(seg, SourcePart(file="customers.csv"))), Path("plan.toml"))
    again = find_segments(gauger.prepare(TABLE, **plan.preparation()), plan.segments).seg
    assert (again.codes == seg.codes).all()
    assert again.settings == seg.settings


def test_what_no_plan_can_repeat_says_so() -> None:
    features = _features()
    seeded = gauger.segment_by_kmeans(features, seeding=gauger.segment_by_kmeans(features, 3, starts=1))
    alike = gauger.segment_by_kmeans(gauger.prepare_alike(TABLE, features), 3, starts=1)
    matrix = np.abs(np.subtract.outer(np.arange(N), np.arange(N)))
    given = gauger.build_tree(features, metric=matrix).cut(count=2)
    for seg, why in ((seeded, "centres to begin with"), (alike, "prepare_alike"), (given, "the distances themselves")):
        plan = plan_from_text(text_of(plan_of(seg, SourcePart(file="customers.csv"))), Path("plan.toml"))
        with pytest.raises(SettingError, match=why):
            find_segments(features, plan.segments)


def test_a_source_that_changed_is_remarked_and_customers_who_came_or_went_are_counted(
    tmp_path: Path, source: Path
) -> None:
    gauger.save_study(MADE["k-means"](_features()), tmp_path / "s", source=source, reading={"as_text": ["who"]})
    assert "source-changed" not in {remark.code for remark in gauger.open_study(tmp_path / "s").segmentation.remarks}
    later = pd.concat([TABLE.iloc[5:], TABLE.iloc[:2].assign(who=["x1", "x2"])])
    gauger.write_table(later, source, replace=True)
    seg = gauger.open_study(tmp_path / "s").segmentation
    told = {remark.code: remark.text for remark in seg.remarks}
    assert "has changed since the study was made" in told["source-changed"]
    assert told["customers-changed"].startswith(
        "2 of the source are not in the study and 5 of the study are not in the source any more"
    )
    assert len(seg.codes) == N - 5


def test_a_source_that_is_gone_is_an_error_that_names_the_option_and_takes_another_place(
    tmp_path: Path, source: Path
) -> None:
    seg = MADE["k-means"](_features())
    gauger.save_study(seg, tmp_path / "s", source=source, reading={"as_text": ["who"]})
    moved = source.rename(tmp_path / "moved.csv")
    study = gauger.open_study(tmp_path / "s")
    assert study.names[1] == "segment 1"
    with pytest.raises(StudyError, match=r"the source of this study is gone.*--source FILE"):
        study.table  # noqa: B018
    again = gauger.open_study(tmp_path / "s", source=moved)
    assert (again.segmentation.codes == seg.codes).all()
    assert "source-changed" not in {remark.code for remark in again.segmentation.remarks}


def test_a_table_in_memory_is_kept_in_the_folder(tmp_path: Path) -> None:
    features = gauger.prepare(TABLE, key="who", features=["visits", "spend"])
    seg = gauger.segment_by_kmeans(features, 3, starts=2)
    for at, table in enumerate((None, TABLE)):
        study = gauger.save_study(seg, tmp_path / f"s{at}", source=table)
        assert (study.folder / "customers.parquet").exists()
        assert (study.segmentation.codes == seg.codes).all()
    with pytest.raises(SettingError, match="give the table that they came from"):
        gauger.save_study(MADE["k-means"](_features()), tmp_path / "s3")
    with pytest.raises(SettingError, match="40 of 120 segmented customers are not in the source"):
        gauger.save_study(seg, tmp_path / "s4", source=TABLE.iloc[40:])
    with pytest.raises(SettingError, match="a path, a database's URL or a table"):
        gauger.save_study(seg, tmp_path / "s5", source=3)
    assert not any((tmp_path / name).exists() for name in ("s3", "s4", "s5"))


def test_a_study_is_not_replaced_unless_said_and_files_of_another_method_then_go(tmp_path: Path, source: Path) -> None:
    reading = {"as_text": ["who"]}
    gauger.save_study(MADE["k-means"](_features()), tmp_path / "s", source=source, reading=reading)
    (tmp_path / "s" / "notes.txt").write_text("mine")
    with pytest.raises(OutputError, match="are there already"):
        gauger.save_study(MADE["bands"](_features()), tmp_path / "s", source=source, reading=reading)
    gauger.save_study(MADE["bands"](_features()), tmp_path / "s", source=source, reading=reading, replace=True)
    assert not (tmp_path / "s" / "iterations.png").exists()
    assert (tmp_path / "s" / "notes.txt").read_text() == "mine"


def test_a_folder_that_is_no_study_is_told_so(tmp_path: Path) -> None:
    (tmp_path / "f").mkdir()
    with pytest.raises(StudyError, match=r"a folder without plan\.toml: no study"):
        gauger.open_study(tmp_path / "f")
    with pytest.raises(MissingFileError, match="there is no file"):
        gauger.open_study(tmp_path / "g")
    (tmp_path / "t.csv").write_text("a\n1\n")
    with pytest.raises(StudyError, match="is a file, not the folder of a study"):
        gauger.open_study(tmp_path / "t.csv")
    with pytest.raises(MissingFileError, match="is a folder, and a file is wanted"):
        gauger.load_model(tmp_path / "f")


@pytest.mark.slow
@pytest.mark.parametrize("digits", [True, False])
def test_keys_stay_what_the_source_has_them_as(digits: bool, tmp_path: Path) -> None:
    table = TABLE.assign(who=[str(row) if digits else row for row in range(1, N + 1)])
    source = gauger.write_table(table, tmp_path / "t.parquet")
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "spend"]), 2, starts=1)
    study = gauger.save_study(seg, tmp_path / "s", source=source)
    assert study.segmentation.features.keys.tolist() == table["who"].tolist()


def test_another_place_is_read_as_the_first_one_was(tmp_path: Path) -> None:
    for name, factor in (("first", 1), ("second", 10)):
        rows = [
            f"{who};{visits * factor},5;{spend}"
            for who, visits, spend in zip("abcd", (1, 2, 8, 9), (3, 4, 1, 2), strict=True)
        ]
        (tmp_path / f"{name}.csv").write_text("\n".join(["who;visits;spend", *rows]))
    reading = {"decimal": ","}
    table = gauger.read_table(tmp_path / "first.csv", **reading)
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    gauger.save_study(seg, tmp_path / "out", source=tmp_path / "first.csv", reading=reading)
    opened = gauger.open_study(tmp_path / "out", source=tmp_path / "second.csv")
    assert opened.table["visits"].tolist() == [10.5, 20.5, 80.5, 90.5]
    assert gauger.open_study(tmp_path / "out").table["visits"].tolist() == [1.5, 2.5, 8.5, 9.5]


def test_a_study_of_behaviour_knows_its_events_and_their_period(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    days = pd.Timestamp("2025-01-01") + pd.to_timedelta(rng.integers(0, 300, 400), unit="D")
    events = pd.DataFrame({"who": rng.integers(0, 40, 400), "day": days, "paid": rng.uniform(1, 9, 400)})
    gauger.write_table(events.astype({"day": str}), tmp_path / "events.csv")
    (tmp_path / "plan.toml").write_text(
        'key = "who"\n[events]\nfile = "events.csv"\nwhen = "day"\namount = "paid"\n[features]\nvisits = {}\n'
        '[segments]\nmethod = "kmeans"\ncount = 2\nstarts = 2\n[counts]\nhighest = 2\n'
    )
    study = gauger.run_plan(tmp_path / "plan.toml", tmp_path / "out")
    assert study.plan.events is not None
    assert study.plan.events.bytes == (tmp_path / "events.csv").stat().st_size
    assert study.plan.events.sha256 is not None
    first, as_of = study.plan.events.period
    assert (first, as_of) == (str(days.min().date()), str(days.max().date() + pd.Timedelta(days=1)))
    provenance = provenance_of(study.plan, study.folder, 40, with_keys=False)
    assert provenance.period == (first, as_of)
    (tmp_path / "events.csv").write_text("who,day,paid\n1,2025-01-01,2\n")
    assert len(gauger.open_study(tmp_path / "out").table) == 40


def test_segments_are_counted_without_the_unassigned_and_words_stay_as_they_are(tmp_path: Path) -> None:
    points = pd.DataFrame({"wer": [f"c{at}" for at in range(41)], "besuche_ä": [*range(20), *range(500, 520), 9_000]})
    seg = gauger.segment_by_density(gauger.prepare(points, key="wer", scale="none"), 1.5, min_points=2)
    gauger.save_study(seg, tmp_path / "out", source=points)
    study = gauger.open_study(tmp_path / "out")
    assert "2 segments of 41" in study.headline()
    assert study.overview()["customers"].tolist() == [20, 20]
    remark = Remark("odd", "the column besuche_ä", ("besuche_ä",))
    gauger.save_study(seg.with_remarks((remark,)), tmp_path / "out", source=points, replace=True)
    assert "besuche_ä" in (tmp_path / "out" / "remarks.json").read_text("utf-8")
    assert remark in gauger.open_study(tmp_path / "out").remarks
