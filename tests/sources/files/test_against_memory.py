"""By blocks as in memory: the same treatments, the same segments, the same quartiles, by brute force or by prepare."""

from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from tests.own_segments import Segmented, files_segmented
from tests.sources.files.made_up import PREPARATION, made_up_members, split


@pytest.fixture(scope="module")
def both(tmp_path_factory: pytest.TempPathFactory) -> tuple[Segmented, gauger.Segmentation, pd.DataFrame]:
    folder = tmp_path_factory.mktemp("memory")
    table = made_up_members(3, 3_000)
    split(folder / "base", table, [700, 1_900], 400)
    found = files_segmented(folder / "base", folder / "out", key="who", count=3, sample=500, **PREPARATION)
    features = gauger.prepare(table, key="who", **PREPARATION)
    return found, gauger.segment_by_kmeans(features, 3), table


def test_segments_are_those_of_memory(both: tuple[Segmented, gauger.Segmentation, pd.DataFrame]) -> None:
    found, seg, _ = both
    assert found.wcss <= 1.001 * seg.wcss
    codes = gauger.open_study(found.path).assignments_like(seg.assignments).set_index("who")["segment"]
    assert (codes.loc[seg.features.keys].to_numpy() == seg.codes).mean() > 0.99
    assert found.converged
    assert found.history["wcss"].iloc[-1] == pytest.approx(found.wcss, rel=1e-9)


def test_profile_is_that_of_everyone(both: tuple[Segmented, gauger.Segmentation, pd.DataFrame]) -> None:
    found, _, table = both
    codes = gauger.open_study(found.path).assignments_like(table).set_index("who")["segment"]
    own = table.assign(segment=codes.loc[table["who"]].to_numpy())
    for name in ("visits", "spend", "age"):
        groups = own.groupby("segment")[name]
        assert np.allclose(found.profile.means[name].iloc[:3], groups.mean(), rtol=1e-12)
        assert np.allclose(found.profile.standard_deviations[name].iloc[:3], groups.std(), rtol=1e-9)
        for share, told in ((0.25, "lower_quartiles"), (0.5, "medians"), (0.75, "upper_quartiles")):
            quantiles = getattr(found.profile, told)[name]
            assert np.allclose(quantiles.iloc[:3], groups.quantile(share), rtol=1e-14)
            assert quantiles["everyone"] == pytest.approx(table[name].quantile(share), rel=1e-14)
        assert found.profile.known[name].tolist() == [*groups.count(), table[name].count()]


def test_model_places_everyone_as_they_were_placed(
    both: tuple[Segmented, gauger.Segmentation, pd.DataFrame],
) -> None:
    found, _, table = both
    model = gauger.load_model(Path(found.path) / "model.json")
    codes = gauger.open_study(found.path).assignments_like(table).set_index("who")["segment"]
    assert (model.assign(table).set_index("who")["segment"] == codes.loc[table["who"]]).all()
    within = model.assign(table, gate="learned")["segment"].ne(0).mean()
    assert 0.99 <= within < 1.0
    assert sum(model.features[0].shares) == pytest.approx(1.0)


def test_a_segment_too_rare_for_the_sample_is_shown_all_the_same(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    points = pd.DataFrame({"who": range(2_003), "x": rng.normal(size=2_003), "y": rng.normal(size=2_003)})
    points.loc[2_000:, ["x", "y"]] += 60.0
    split(tmp_path / "base", points, [1_000], 500)
    found = files_segmented(tmp_path / "base", tmp_path / "out", key="who", count=2, sample=40)
    assert found.sizes.tolist() == [2_000, 3]
    assert found.sample.sizes.tolist()[1] == 3
    assert (found.path / "segments.png").exists()
    assert "tiny-segment" in {remark.code for remark in found.remarks}
    assert gauger.open_study(found.path).segmentation.sizes.tolist()[1] == 3


@pytest.mark.slow
@pytest.mark.parametrize("value", [0.0, 3.0, 1e-300, 5e-324, -1e6])
def test_a_column_without_a_range_is_as_in_memory(value: float, tmp_path: Path) -> None:
    """Warnings fail the tests: no scale of the sums leaves the range of numbers."""
    table = pd.DataFrame({"who": range(40), "visits": [1.0, 2.0, 30.0, 31.0] * 10, "still": value})
    table.to_parquet(tmp_path / "t.parquet")
    memory = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2, starts=1)
    found = files_segmented(tmp_path / "t.parquet", tmp_path / "s", key="who", count=2, starts=1)
    assert found.sizes.tolist() == memory.sizes.tolist() == [20, 20]
    by_sums = gauger.open_table(tmp_path / "t.parquet", execution=gauger.Execution(sample=20))
    for scale in ("zscore", "minmax", "robust"):
        asked = {"key": "who", "scale": scale}
        own, memory = gauger.prepare(by_sums, **asked), gauger.prepare(table, **asked)
        assert own.treatments["still"] == memory.treatments["still"]
    assert found.profile.means["still"].tolist() == [value] * 3
    assert found.profile.standard_deviations["still"].tolist() == [0.0] * 3


@pytest.mark.slow
@pytest.mark.parametrize("scale", [1e-200, 1e-290, 1e140])
def test_deviations_of_values_of_any_size_are_those_of_memory(scale: float, tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    table = pd.DataFrame({"who": range(40), "visits": rng.gamma(2.0, 3.0, 40) * scale})
    table.to_parquet(tmp_path / "t.parquet")
    found = files_segmented(tmp_path / "t.parquet", tmp_path / "s", key="who", count=2, starts=1)
    assert found.profile.standard_deviations["visits"].iloc[-1] / scale == pytest.approx(
        float((table["visits"] / scale).std()), rel=1e-9
    )
