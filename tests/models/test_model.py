"""Models: the same assignments exactly, through the file and for every method; gates, odd customers, damaged files."""

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import ColumnValuesError, KeyColumnError, ModelFileError, SettingError, UnknownColumnError
from gauger.models.assigning import find_segments

Made = dict[str, tuple[gauger.Segmentation, pd.DataFrame]]


@pytest.fixture(scope="module")
def made(
    demo_features: gauger.FeatureSet,
    mixed_features: gauger.FeatureSet,
    behaviour: pd.DataFrame,
    members: pd.DataFrame,
) -> Made:
    """Segments by every method, and the table that each came from."""
    homes = gauger.read_table(gauger.demo_file("homes.csv"))
    places = gauger.prepare(homes, key="home_id", features=["east_km", "north_km"], scale="none")
    ties = pd.DataFrame({"who": range(12), "x": [0, 1, 2, 3] * 3, "y": [0, 0, 2, 2] * 3})
    bands = {"recency_days": 5, "visits": 5, "spend_mean": [10, 20]}
    fifths = {"recency_days": 5, "visits": 5, "spend_mean": 5}
    worst = {"low_is_good": ["recency_days"]}
    return {
        "k-means": (gauger.segment_by_kmeans(demo_features, 6), behaviour),
        "k-means stopped": (gauger.segment_by_kmeans(demo_features, 6, max_iterations=1), behaviour),
        "k-means on a sample": (gauger.segment_by_kmeans(demo_features, 4, learn_on=0.2), behaviour),
        "k-means of everything": (gauger.segment_by_kmeans(mixed_features, 4), members),
        "k-means with ties": (gauger.segment_by_kmeans(gauger.prepare(ties, key="who", scale="none"), 3), ties),
        "tree": (gauger.build_tree(demo_features).cut(count=5), behaviour),
        "density": (gauger.segment_by_density(places, 0.9), homes),
        "levels": (gauger.segment_by_density_levels(places, 50), homes),
        "cells": (gauger.segment_by_bands(demo_features, bands, **worst), behaviour),
        "scores": (gauger.segment_by_bands(demo_features, fifths, combine="score", score_bands=5, **worst), behaviour),
    }


METHODS = [
    *("k-means", "k-means stopped", "k-means on a sample", "k-means of everything", "k-means with ties"),
    *("tree", "density", "levels", "cells", "scores"),
]


@pytest.mark.parametrize("method", METHODS)
def test_a_loaded_model_assigns_exactly_as_the_fit_did(made: Made, method: str, tmp_path: Path) -> None:
    seg, table = made[method]
    file = gauger.build_model(seg.rename({1: "the first"})).save(tmp_path / "model.json")
    found = gauger.load_model(file).assign(table[::-1]).set_index(seg.features.key)
    found = found.loc[seg.features.keys]
    np.testing.assert_array_equal(found["segment"], seg.codes)
    assert set(found["segment_name"][found["segment"] == 1]) == {"the first"}
    if "k-means" in method:
        np.testing.assert_array_equal(found["distance"], seg.distances)


@given(st.integers(2, 40), st.integers(1, 3), st.integers(1, 5), st.integers(0, 10_000))
def test_no_tie_is_forgotten(n: int, d: int, count: int, seed: int) -> None:
    values = np.random.default_rng(seed).integers(0, 4, size=(n, d)).astype(float)
    table = pd.DataFrame(values, columns=[f"f{at}" for at in range(d)]).assign(who=np.arange(n))
    features = gauger.prepare(table, key="who", scale="none")
    seg = gauger.segment_by_kmeans(features, min(count, len(np.unique(values, axis=0))), starts=1)
    np.testing.assert_array_equal(gauger.build_model(seg).assign(table)["segment"], seg.codes)


def test_the_learned_gate_leaves_out_the_share_that_it_says(made: Made) -> None:
    seg, table = made["k-means"]
    model = gauger.build_model(seg)
    found = model.assign(table, gate="learned")
    for segment in model.segments:
        own = found["distance"][seg.codes == segment.number]
        assert segment.gate == pytest.approx(np.quantile(own, 0.995))
    out = found["segment"] == 0
    assert (found["why"][out] == "gate").all()
    assert 0.0 < out.mean() < 0.01
    assert (model.assign(table, gate=0.0)["segment"] == 0).all()
    assert (model.assign(table, gate=1e9)["segment"] == seg.codes).all()
    (remark,) = gauger.remarks_of(found)
    assert remark.text == f"{out.sum()} of 2,355 members are in no segment: {out.sum()} are beyond the gate."


@pytest.mark.parametrize("gate", ["nearest", -1.0, True, float("nan")])
def test_a_gate_that_is_none_is_refused(made: Made, gate: object) -> None:
    with pytest.raises(SettingError, match="must be None, 'learned', or a distance"):
        gauger.build_model(made["k-means"][0]).assign(made["k-means"][1], gate=gate)


def test_odd_customers_have_defined_answers(made: Made, members: pd.DataFrame) -> None:
    model = gauger.build_model(made["k-means of everything"][0])
    odd = members.head(5).copy()
    odd["household"] = ["family", "commune", "couple", "single", "shared"]
    odd["east_km"] = [10.0, 10.0, np.nan, -4.0, 1e6]
    odd["extra"] = 1
    found = model.assign(odd)
    assert found["why"].tolist() == ["", "", "missing", "missing", ""]  # a root of -4 there is not
    assert found["segment"].iloc[2] == 0
    codes = {remark.code for remark in gauger.remarks_of(found)}
    assert codes == {"new-levels", "outside-learned-range", "left-unassigned"}
    with pytest.raises(UnknownColumnError, match="there is no column 'household'"):
        model.assign(odd.drop(columns="household"))
    with pytest.raises(ColumnValuesError, match="east_km"):
        model.assign(odd.assign(east_km=["a", "b", "c", "d", "e"]))
    with pytest.raises(KeyColumnError):
        model.assign(pd.concat([odd, odd]))
    assert len(model.assign(odd.head(0))) == 0


def test_a_column_in_another_unit_is_remarked(made: Made) -> None:
    seg, table = made["k-means"]
    model = gauger.build_model(seg, units={"spend_mean": "euros"})
    found = model.assign(table.assign(spend_mean=table["spend_mean"] * 100))
    (changed,) = [remark for remark in gauger.remarks_of(found) if remark.code == "unit-changed"]
    assert changed.features == ("spend_mean",)
    assert "spend_mean by about 100" in changed.text
    assert "unit-changed" not in [remark.code for remark in gauger.remarks_of(model.assign(table))]
    assert model.features[2].unit == "euros"


def test_customers_far_from_any_core_customer_are_in_no_segment(made: Made) -> None:
    model = gauger.build_model(made["density"][0])
    far = pd.DataFrame({"home_id": ["x"], "east_km": [900.0], "north_km": [900.0]})
    assert model.assign(far).iloc[0, 1:].drop("distance").tolist() == [0, "unassigned", "radius"]


def test_what_cannot_be_a_model_is_refused(demo_features: gauger.FeatureSet, made: Made) -> None:
    by_cosine = gauger.build_tree(demo_features.part(np.arange(60)), linkage="average", metric="cosine").cut(count=3)
    with pytest.raises(SettingError, match="not by cosine"):
        gauger.build_model(by_cosine)
    seg = made["k-means"][0]
    from gauger.profiling import segmentation_from_assignments

    with pytest.raises(SettingError, match="not from a file of assignments"):
        gauger.build_model(segmentation_from_assignments(demo_features, seg.assignments, method="a.csv"))
    with pytest.raises(SettingError, match="gate_share"):
        gauger.build_model(seg, gate_share=0.2)


@pytest.fixture
def saved(made: Made, tmp_path: Path) -> Path:
    return gauger.build_model(made["k-means"][0]).save(tmp_path / "model.json")


def _change(path: tuple[object, ...], value: object) -> Callable[[dict], None]:
    def change(content: dict) -> None:
        for step in path[:-1]:
            content = content[step]
        content[path[-1]] = value

    return change


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (_change(("segments", 2, "centre", 0), 0.25), r"was altered since it was saved, in segments\[2\]"),
        (_change(("features", 1, "treatments", 1, "high"), 70.0), r"altered since it was saved, in features\[1\]"),
        (_change(("origin", "seed"), 4), "altered since it was saved, in origin"),
        (_change(("segments", 0, "gate"), "far"), r"segments\[0\].gate: input should be a valid number"),
        (_change(("features", 0, "note"), 1), r"features\[0\].note: extra inputs are not permitted"),
        (_change(("version",), 1), "has format version 1, and this Gauger reads 3"),
        (_change(("segments",), []), "segments: list should have at least 1 item"),
        (_change(("format",), "other"), "format: input should be 'gauger model'"),
    ],
)
def test_an_altered_model_is_refused_with_the_place(saved: Path, change: Callable, message: str) -> None:
    content = json.loads(saved.read_text())
    change(content)
    saved.write_text(json.dumps(content))
    with pytest.raises(ModelFileError, match=message):
        gauger.load_model(saved)


@pytest.mark.parametrize("share", [0.0, 0.5, 0.999])
def test_a_model_cut_short_is_refused_with_the_place(saved: Path, share: float) -> None:
    text = saved.read_text().rstrip()
    saved.write_text(text[: int(share * len(text))])
    with pytest.raises(ModelFileError, match=r"cannot be read as a model: .*line \d+ column \d+"):
        gauger.load_model(saved)
    saved.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(ModelFileError, match="it is not text"):
        gauger.load_model(saved)


def test_the_published_schema_is_that_of_the_files() -> None:
    from gauger.models.form import ModelPart

    published = Path(__file__).parents[2] / "docs" / "model.schema.json"
    assert json.loads(published.read_text()) == ModelPart.model_json_schema()


@pytest.mark.parametrize(("from_", "to"), [(".parquet", ".csv"), (".csv", ".parquet")])
def test_a_file_is_assigned_in_blocks_as_a_table_is(
    made: Made, tmp_path: Path, from_: str, to: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    seg, table = made["k-means of everything"]
    monkeypatch.setattr("gauger.tables.blocks._BLOCK_ROWS", 500)
    model = gauger.build_model(seg)
    table = table.assign(north_km=table["north_km"].mask(table["member_id"] > "M2300", 900.0))
    table.loc[2_399, "household"] = "commune"  # what comes in a late block only is told too
    source = gauger.write_table(table, tmp_path / f"all{from_}")
    done = model.assign(gauger.open_table(source), into=tmp_path / f"out{to}", gate="learned")
    whole = model.assign(table, gate="learned")
    found = gauger.read_table(done.into)
    np.testing.assert_array_equal(found["segment"], whole["segment"])
    np.testing.assert_allclose(found["distance"].astype(float), whole["distance"], rtol=1e-12)
    assert found["why"].fillna("").tolist() == whole["why"].tolist()
    counts = whole["segment"].value_counts()
    assert done.sizes["customers"].tolist() == [*(counts[number] for number in seg.numbers), counts[0]]
    assert [remark.text for remark in done.remarks] == [remark.text for remark in gauger.remarks_of(whole)]


def test_keys_of_digits_stay_what_they_are_in_blocks(made: Made, tmp_path: Path) -> None:
    seg, table = made["k-means"]
    odd = table.head(3).assign(member_id=["007", "=1+1", "9"])
    (tmp_path / "all.csv").write_text(odd.to_csv(index=False))
    gauger.build_model(seg).assign(gauger.open_table(tmp_path / "all.csv"), into=tmp_path / "out.csv")
    lines = (tmp_path / "out.csv").read_text().splitlines()
    assert [line.split(",")[0].strip('"') for line in lines[1:]] == ["007", "'=1+1", "9"]
    with pytest.raises(SettingError, match=r"to .csv or .parquet"):
        gauger.build_model(seg).assign(gauger.open_table(tmp_path / "all.csv"), into=tmp_path / "out.xlsx")


def test_nothing_is_read_into_the_model_besides_the_features(made: Made) -> None:
    seg, table = made["k-means"]
    model = gauger.build_model(seg)
    placed = find_segments(model, table, None)
    assert set(placed.raw) == set(seg.features.names)
    assert model.fingerprint == gauger.build_model(seg).fingerprint
    assert "M0001" not in json.dumps(json.loads(json.dumps(model.overview().to_dict(), default=str)))


@pytest.mark.slow
@pytest.mark.parametrize("scale", [1e-300, 1e-200, 1.0, 1e140])
@pytest.mark.parametrize("method", ["centre", "bands", "density"])
def test_values_of_any_size_are_assigned_or_left_out_without_a_warning(scale: float, method: str) -> None:
    """Warnings fail the tests; who is farther than numbers go is in no segment."""
    rng = np.random.default_rng(4)
    table = pd.DataFrame({"who": range(60), "a": rng.gamma(2.0, 1.0, 60), "b": rng.gamma(2.0, 1.0, 60)})
    features = gauger.prepare(table, key="who")
    seg = {
        "centre": lambda: gauger.segment_by_kmeans(features, 2, starts=1),
        "bands": lambda: gauger.segment_by_bands(features, {"a": 2, "b": 2}),
        "density": lambda: gauger.segment_by_density_levels(features, 5),
    }[method]()
    model = gauger.build_model(seg)
    others = table.assign(a=table["a"] * scale)
    for gate in (None, "learned"):
        made = model.assign(others, gate=gate)
        assert made["segment"].between(0, seg.count).all()
    assert gauger.drift(model, others).advice.action in ("keep", "watch", "learn again")
    learned = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(others, key="who"), 2, starts=1))
    assert learned.assign(table)["segment"].between(1, 2).all()
