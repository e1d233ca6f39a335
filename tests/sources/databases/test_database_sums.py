"""Sums, ranks and races inside a database, on a few customers worked by hand."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from own_databases import Shop, planted, segmented
from own_postgres import PASSWORD
from scipy.stats import rankdata

import gauger
from gauger.sources.databases import segment_statistics
from gauger.sources.databases.database_profile import _ranks, _SegmentTable
from gauger.sources.databases.database_starts import _is_enough
from gauger.sources.databases.database_sums import DatabaseSums, Points, placed_at
from gauger.sources.databases.relations import relation_of
from gauger.sources.databases.table_customers import TableCustomers
from gauger.sources.feature_columns import FeatureColumns
from gauger.tables import Session, transaction


@pytest.fixture(autouse=True)
def _password(monkeypatch: pytest.MonkeyPatch) -> None:
    """As a user's environment has it, for studies keep none."""
    monkeypatch.setenv("GAUGER_PASSWORD", PASSWORD)


@pytest.fixture
def session(shop: Shop) -> Iterator[Session]:
    with transaction(shop.url) as found:
        yield found


def _points(session: Session, *rows: tuple[float, ...]) -> Points:
    listed = " UNION ALL ".join(
        f"SELECT {', '.join(f'{value!r} AS f{at}' for at, value in enumerate(row, 1))}" for row in rows
    )
    return Points(session, f"({listed}) AS given", np.abs(np.array(rows)).max(axis=0))


def test_sums_are_those_of_the_nearest_centre_and_a_tie_goes_to_the_lower_number(session: Session) -> None:
    points = _points(session, (0.0, 0.0), (4.0, 1.0), (2.0, 0.5), (4.5, 1.5), (9.0, -3.0))
    sums = DatabaseSums(points, (np.zeros(2), 0.0)).sums_at(np.array([[0.0, 0.0], [4.0, 1.0], [9.0, -3.0]]))
    assert sums.weight.tolist() == [2.0, 2.0, 1.0]
    assert sums.total.tolist() == [[2.0, 0.5], [8.5, 2.5], [9.0, -3.0]]


def test_who_moved_is_half_of_what_sizes_changed_by(session: Session) -> None:
    source = DatabaseSums(_points(session, *[(float(at),) for at in range(8)]), (np.zeros(1), 0.0))
    first = source.sums_at(np.array([[0.0], [7.0]]))
    assert (first.weight.tolist(), first.moved) == ([4.0, 4.0], 8)
    second = source.sums_at(np.array([[-3.0], [5.0]]))  # 2 and 3 are nearer to the second now
    assert (second.weight.tolist(), second.moved) == ([2.0, 6.0], 2)
    again = source.sums_at(np.array([[-3.0], [5.0]]))
    assert (again.weight.tolist(), again.total.tolist(), again.moved) == ([2.0, 6.0], second.total.tolist(), 0)


def test_an_emptied_segment_begins_again_with_whoever_is_farthest(session: Session) -> None:
    points = _points(session, (0.0,), (1.0,), (2.0,), (9.0,))
    sums = DatabaseSums(points, (np.zeros(1), 0.0)).sums_at(np.array([[1.0], [90.0], [80.0]]))
    assert sums.weight.tolist() == [2.0, 1.0, 1.0]
    assert sums.total.tolist() == [[3.0], [9.0], [0.0]]
    assert sums.moved == 6


def test_one_centre_takes_everyone(session: Session) -> None:
    points = _points(session, (0.0,), (8.0,))
    assert "CASE" not in placed_at(points, np.array([[3.0]]))
    assert DatabaseSums(points, (np.zeros(1), 0.0)).sums_at(np.array([[3.0]])).total.tolist() == [[8.0]]


def test_ranks_are_those_with_ties_halfway(shop: Shop) -> None:
    values, segments = [5.0, 1.0, 5.0, 9.0, None, 1.0, 1.0, 70.0], [1, 1, 2, 2, 2, 0, 2, 1]
    names = [f"c{at}" for at in range(8)]
    shop.write("base", pd.DataFrame({"who": names, "spend": values}))
    shop.write("placed_by_hand", pd.DataFrame({"who": names, "segment": segments}))
    with transaction(shop.url) as session:
        customers = TableCustomers(session, relation_of(session, "base"), FeatureColumns("who", ()))
        found = _ranks(_SegmentTable(customers, relation_of(session, "placed_by_hand").name), '"spend"', 3)
    known = np.array([value is not None for value in values])
    ranks, own = rankdata([value for value in values if value is not None]), np.array(segments)[known]
    assert found.count.tolist() == [1.0, 3.0, 3.0]
    assert found.mean.tolist() == pytest.approx([ranks[own == at].mean() for at in range(3)])
    squares = [((ranks[own == at] - ranks[own == at].mean()) ** 2).sum() for at in range(3)]
    assert vars(found)[list(vars(found))[2]].tolist() == pytest.approx(squares)


def _profiled(shop: Shop, folder: Path) -> gauger.Profile:
    """The profile of two segments by `visits` of the table `base`, made where they are."""
    segmented(
        shop.url, table="base", into="summed", count=2, key="who", features=["visits"], replace=True, out=folder / "s"
    )
    return gauger.open_study(folder / "s").profile


@pytest.mark.slow
def test_a_column_that_falls_as_a_feature_rises_tells_it_in_other_words(shop: Shop, tmp_path: Path) -> None:
    table = planted(5, 80)
    table["saved"], table["odd"] = 100.0 - 2.0 * table["visits"], np.arange(80) % 7
    shop.write("base", table)
    repeats = _profiled(shop, tmp_path).drivers["repeats"]
    assert repeats["saved"] == "visits"
    assert repeats["odd"] == ""


@pytest.mark.slow
@pytest.mark.parametrize(("customers", "shares"), [(1_999, 21), (2_000, 201)])
def test_of_few_customers_no_more_than_twenty_quantiles_leave_the_database(
    customers: int, shares: int, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Two hundred quantiles of a small table would be its column."""
    asked: list[int] = []
    plain = segment_statistics.grouped_quantiles

    def counted(session: Any, source: str, columns: Any, wanted: Any, *by: str) -> Any:
        asked.append(len(wanted))
        return plain(session, source, columns, wanted, *by)

    monkeypatch.setattr(segment_statistics, "grouped_quantiles", counted)
    shop.write("base", planted(1, customers))
    segmented(shop.url, table="base", into="summed", count=2, key="who", features=["visits"], starts=1, replace=True)
    assert max(asked) == shares


@pytest.mark.parametrize(
    ("ends", "starts", "whole", "enough"),
    [
        ([], 1, False, False),
        ([5.0] * 3, 1, False, True),
        ([5.0, 5.0, 9.0], 1, False, False),
        ([5.0, 5.004, 5.0049], 1, False, True),
        ([5.0, 5.004, 5.006], 1, False, False),
        ([9.0, 8.0, 7.0], 1, False, False),
        ([9.0, 8.0, 7.0, 6.0], 1, False, True),
        ([5.0] * 3, 4, False, False),
        ([5.0] * 4, 4, False, True),
        ([5.0] * 3, 1, True, False),
        ([5.0] * 4, 1, True, True),
        ([5.0] * 15, 4, True, False),
        ([5.0] * 16, 4, True, True),
    ],
)
def test_enough_starts_are_four_for_each_or_three_that_agree_on_a_sample(
    ends: list[float], starts: int, whole: bool, enough: bool
) -> None:
    assert _is_enough(ends, starts, whole=whole) is enough


@pytest.mark.slow
def test_levels_are_counted_for_the_segment_that_they_are_in(shop: Shop, tmp_path: Path) -> None:
    table = pd.DataFrame({"who": list("abcdef"), "visits": [1.0, 1.0, 1.0, 9.0, 9.0, 9.0], "area": list("nnssss")})
    shop.write("base", table)
    found = _profiled(shop, tmp_path).categories
    assert found.loc[("area", "n")].tolist() == pytest.approx([2 / 3, 0.0, 1 / 3])


@pytest.mark.parametrize("bad", ["twice", "nameless"])
def test_bad_keys_are_refused_when_a_model_assigns_or_compares(bad: str, shop: Shop) -> None:
    table = planted(3, 40)
    model = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits"]), 2).model
    wrong = table.assign(who=table["who"].where(table.index != 7, table["who"][8] if bad == "twice" else None))
    shop.write("base", wrong)
    base = gauger.open_table(shop.url, table="base")
    message = "'who' repeats \\(1 row too many" if bad == "twice" else "'who' is missing in 1 row"
    for work in (
        lambda: model.assign(base).sizes,
        lambda: model.assign(base, into="summed", replace=True),
        lambda: gauger.drift(model, base),
    ):
        with pytest.raises(gauger.errors.KeyColumnError, match=message):
            work()


def test_reasons_are_added_up_over_segments(shop: Shop) -> None:
    """One reason may leave customers of several segments aside, and one segment have several reasons."""
    table = planted(4, 60, groups=2)
    model = gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "spend"]), 2).model
    later = table.copy()
    later.loc[[1, 2, 3], "visits"] = np.nan
    later.loc[[4, 5], "spend"] = 9e9
    shop.write("later", later)
    there = model.assign(gauger.open_table(shop.url, table="later"), gate="learned")
    memory = model.assign(later, gate="learned")
    assert [str(one) for one in there.remarks] == [str(one) for one in gauger.remarks_of(memory)]
    assert there.sizes["customers"].to_dict()["unassigned"] == int((memory["segment"] == 0).sum()) >= 5


def test_the_profile_of_a_table_that_is_gone_says_what_to_do(shop: Shop, tmp_path: Path) -> None:
    shop.write("base", planted(3, 40))
    _profiled(shop, tmp_path)
    shop.run("DROP TABLE summed")
    with pytest.raises(gauger.errors.DatabaseError, match="segment again"):
        _ = gauger.open_study(tmp_path / "s").profile


@pytest.mark.parametrize("count", [2, 12])
def test_seeds_for_few_and_many_segments_are_different_customers(count: int, shop: Shop) -> None:
    table = planted(3, 200, groups=12)
    shop.write("base", table)
    asked = {"key": "who", "features": ["visits", "spend"], "count": count}
    made = segmented(shop.url, table="base", into=f"placed_{count}", replace=True, **asked)
    assert len(made.seg.sizes) == count
    assert made.seg.sizes.sum() == 200
    if count == 12:
        assert made.seg.explained > 0.95
