"""Drivers, rules, names, overlap and search, against scipy.stats, hand-worked figures and invariants."""

import numpy as np
import pandas as pd
import pytest
from scipy import stats

import gauger
from gauger.algorithms.statistics import holm
from gauger.algorithms.statistics.ranks import ranks_among
from gauger.errors import ColumnValuesError, SettingError, UnknownColumnError
from gauger.profiling.overlap import overlap_of
from gauger.segmentation import segmentation_from_codes


def _profile(columns: dict[str, list[float]], codes: list[int]) -> gauger.Profile:
    table = pd.DataFrame({"who": [f"c{row:03d}" for row in range(len(codes))], **columns})
    features = gauger.prepare(table, key="who", features=[next(iter(columns))], scale="none")
    return gauger.profile(segmentation_from_codes(features, np.array(codes), method="hand"), table)


def test_f_p_and_ranks_agree_with_scipy(demo_segments: gauger.Segmentation) -> None:
    drivers = gauger.profile(demo_segments, resamples=0).drivers
    for name in demo_segments.features.names:
        parts = [demo_segments.features.original[name].to_numpy()[demo_segments.codes == n] for n in range(1, 7)]
        plain, by_rank = stats.f_oneway(*parts), stats.kruskal(*parts)
        assert drivers.loc[name, "F"] == pytest.approx(plain.statistic)
        assert drivers.loc[name, "p"] == pytest.approx(plain.pvalue, rel=1e-9, abs=1e-300)
        assert drivers.loc[name, "rank_h"] == pytest.approx(by_rank.statistic)
        assert drivers.loc[name, "rank_p"] == pytest.approx(by_rank.pvalue, rel=1e-9, abs=1e-300)
    assert drivers["effect"].is_monotonic_decreasing


def test_drivers_worked_by_hand_and_the_constant_is_defined() -> None:
    drivers = _profile(
        {"visits": [1, 2, 3, 7, 8, 9], "same": [0.1] * 6, "age": [1, 2, 3, 1, 2, 3]}, [1, 1, 1, 2, 2, 2]
    ).drivers
    assert drivers.loc["visits", "F"] == pytest.approx(54.0)
    assert drivers.loc["visits", "eta_squared"] == pytest.approx(54.0 / 58.0)
    assert (drivers.loc["age", "F"], drivers.loc["age", "p"], drivers.loc["age", "eta_squared"]) == (0.0, 1.0, 0.0)
    assert "same" not in drivers.index
    assert drivers["used"].to_dict() == {"visits": True, "age": False}
    assert np.isnan(drivers.loc["visits", "p_adjusted"])


def test_a_constant_feature_has_no_effect_and_no_warning() -> None:
    drivers = _profile({"same": [0.1] * 6, "visits": [1, 2, 3, 7, 8, 9]}, [1, 1, 1, 2, 2, 2]).drivers
    assert drivers.loc["same", ["F", "p", "eta_squared"]].tolist() == [0.0, 1.0, 0.0]


def test_one_segment_and_a_segment_of_one_are_defined() -> None:
    one = _profile({"visits": [1, 2, 4]}, [1, 1, 1])
    assert one.drivers.loc["visits", ["F", "p"]].isna().all()
    assert one.rules.loc[1, "rule"] == "everyone"
    assert one.suggested_names == {1: "like everyone"}
    alone = _profile({"visits": [1, 2, 3, 50]}, [1, 1, 1, 2])
    assert alone.means.loc[2, "visits"] == 50.0
    assert np.isnan(alone.standard_deviations.loc[2, "visits"])
    assert alone.rules.loc[2, ["share_of_segment", "share_of_matching"]].tolist() == [1.0, 1.0]


def test_holm_is_worked_by_hand() -> None:
    np.testing.assert_allclose(holm([0.04, 0.01, np.nan, 0.03]), [0.06, 0.03, np.nan, 0.06])


def test_ranks_are_those_of_scipy() -> None:
    rng = np.random.default_rng(3)
    values, groups = rng.integers(0, 9, 200).astype(float), rng.integers(0, 3, 200)
    ranks = stats.rankdata(values)
    for group in range(3):
        own = ranks_among(np.sort(values), np.sort(values[groups == group]))
        assert own.tolist() == np.sort(ranks[groups == group]).tolist()


def test_associations_agree_with_scipy(demo_segments: gauger.Segmentation, members: pd.DataFrame) -> None:
    profile = gauger.profile(demo_segments, members, resamples=0)
    household = members.set_index("member_id")["household"].reindex(demo_segments.features.keys).to_numpy()
    expected = stats.chi2_contingency(pd.crosstab(household, demo_segments.codes), correction=False)
    assert profile.associations.loc["household", "chi_square"] == pytest.approx(expected.statistic)
    assert profile.associations.loc["household", "p"] == pytest.approx(expected.pvalue, rel=1e-9, abs=1e-300)
    assert profile.categories.loc[("household", "family"), 2] > 0.9
    assert profile.category_index["everyone"].tolist() == pytest.approx([100.0] * len(profile.category_index))


def test_rules_are_counted_on_everyone(demo_segments: gauger.Segmentation) -> None:
    table, codes = demo_segments.features.original, demo_segments.codes
    for number, row in gauger.profile(demo_segments, resamples=0).rules.iterrows():
        matching = table.eval(row["rule"]).to_numpy()
        assert row["matching"] == matching.sum()
        assert row["share_of_segment"] == pytest.approx((matching & (codes == number)).sum() / (codes == number).sum())
        assert row["share_of_matching"] == pytest.approx((codes[matching] == number).mean())
        assert min(row["share_of_segment"], row["share_of_matching"]) > 0.85


@pytest.mark.slow
def test_names_are_plain_unique_and_do_not_depend_on_numbers(demo_segments: gauger.Segmentation) -> None:
    turned = segmentation_from_codes(demo_segments.features, 7 - demo_segments.codes, method="turned")
    names = gauger.profile(demo_segments, resamples=0).suggested_names
    assert len(set(names.values())) == 6
    assert names[4] == "long away, few visits"
    other = gauger.profile(turned, resamples=0)
    assert {7 - number: name for number, name in other.suggested_names.items()} == names
    assert other.rules["rule"].tolist()[::-1] == gauger.profile(demo_segments, resamples=0).rules["rule"].tolist()
    assert demo_segments.rename(names).names[4] == names[4]


def test_segments_that_are_one_cloud_overlap_or_dissolve(features_of, demo_segments: gauger.Segmentation) -> None:
    cloud = gauger.segment_by_kmeans(features_of(np.random.default_rng(5).normal(size=(600, 3))), 5)
    codes = {remark.code for remark in gauger.profile(cloud).remarks}
    assert codes & {"overlapping", "dissolving"}
    firm = gauger.profile(demo_segments)
    assert not {"overlapping", "dissolving"} & {remark.code for remark in firm.remarks}
    assert firm.overlap["resamples"].tolist() == [20] * 6
    by_hand = segmentation_from_codes(demo_segments.features, demo_segments.codes, method="hand")
    assert overlap_of(by_hand, resamples=20, seed=0)["stability"].isna().all()


def test_exemplars_are_nearest_to_and_farthest_from_the_centre(demo_segments: gauger.Segmentation) -> None:
    shown = gauger.profile(demo_segments, resamples=0).exemplars
    for number in range(1, 7):
        own = np.sort(demo_segments.distances[demo_segments.codes == number])
        found = shown[shown["segment"] == number]["distance"].tolist()
        assert found == pytest.approx([*own[:3], *own[-3:][::-1]])


def test_members_are_found_by_segment_condition_and_order(
    demo_segments: gauger.Segmentation, members: pd.DataFrame
) -> None:
    found = gauger.members(
        demo_segments,
        members,
        segment=2,
        where="visits >= 30 and household == 'family'",
        sort="visits",
        descending=True,
    )
    assert (found["segment"] == 2).all()
    assert (found["household"] == "family").all()
    assert found["visits"].is_monotonic_decreasing
    assert len(gauger.members(demo_segments)) == 2355


@pytest.mark.parametrize(
    ("options", "error", "message"),
    [
        ({"segment": 9}, SettingError, "there is no segment 9"),
        ({"where": "visit > 3"}, UnknownColumnError, "did you mean 'visits'"),
        ({"where": "visits >"}, SettingError, "no condition that can be read"),
        ({"where": "visits"}, SettingError, "alone is neither true nor false"),
        ({"where": "@x > 3"}, SettingError, "only columns, values"),
        ({"where": "household > 3"}, ColumnValuesError, "text stands in quotes"),
        ({"sort": "spend"}, UnknownColumnError, "no column 'spend'"),
    ],
)
def test_a_search_that_cannot_be_done_is_refused(
    demo_segments: gauger.Segmentation, members: pd.DataFrame, options: dict, error: type[Exception], message: str
) -> None:
    with pytest.raises(error, match=message):
        gauger.members(demo_segments, members, **options)


def test_a_column_that_tells_a_feature_in_other_words_is_as_circular() -> None:
    rng = np.random.default_rng(2)
    visits = rng.integers(1, 40, 200)
    table = pd.DataFrame({"who": range(200), "visits": visits})
    table["seats"] = visits * 2.0 + rng.normal(0.0, 0.5, 200)
    table["saved"] = -visits + rng.normal(0.0, 0.5, 200)
    table["age"] = rng.integers(18, 80, 200)
    seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 3)
    found = gauger.profile(seg, table)
    assert found.drivers["repeats"].to_dict() == {"visits": "", "seats": "visits", "saved": "visits", "age": ""}
    assert found.drivers["p_adjusted"].notna().to_dict() == {
        "visits": False,
        "seats": False,
        "saved": False,
        "age": True,
    }
    text = found.remarks[-1].text
    assert "seats (visits) and saved (visits)" in text
    assert "For the 1 other column p means something" in text


def test_what_segments_were_built_on_is_unknown_from_assignments_not_false() -> None:
    given = pd.DataFrame({"who": range(6), "segment": [1, 1, 1, 2, 2, 2]})
    table = pd.DataFrame({"who": range(6), "visits": [1, 2, 3, 7, 8, 9], "area": list("nnnsss")})
    found = gauger.profile_assignments(given, table, key="who")
    assert found.drivers["used"].isna().all()
    assert found.drivers[["p", "p_adjusted"]].isna().all(axis=None)
    assert found.drivers.loc["visits", "F"] == pytest.approx(54.0)
    assert "no p is given" in found.remarks[-1].text


def test_a_table_of_categories_only_is_profiled() -> None:
    given = pd.DataFrame({"who": range(40), "segment": [1, 2] * 20})
    table = pd.DataFrame({"who": range(40), "area": ["n", "s"] * 20, "member": [True, False] * 20})
    found = gauger.profile_assignments(given, table, key="who")
    assert found.categories.loc[("area", "n"), 1] == 1.0
    assert found.means.shape == (3, 0)
    assert all(len(one.columns) for one in found.tables.values())


@pytest.mark.parametrize("key", ["segment", "segment_name", "distance", "why"])
def test_a_key_called_like_a_column_of_results_is_refused(key: str) -> None:
    table = pd.DataFrame({key: range(4), "visits": [1, 2, 8, 9]})
    with pytest.raises(gauger.errors.KeyColumnError, match=f"the key is called '{key}'"):
        gauger.prepare(table, key=key)
