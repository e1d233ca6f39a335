"""Tables of polars, pyarrow, DuckDB and dask are taken as they are, and results go back the same way."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import dask.dataframe
import duckdb
import numpy as np
import pandas as pd
import polars
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import SettingError

BANDS = ["low", "middle", "high"]


class OnlyInterchange:
    """A table that speaks the dataframe protocol and nothing else."""

    def __init__(self, frame: pd.DataFrame) -> None:
        self._table = pa.Table.from_pandas(frame, preserve_index=False)

    def __dataframe__(self, nan_as_null: bool = False, allow_copy: bool = True) -> object:
        return self._table.__dataframe__(nan_as_null, allow_copy)


SHOP = duckdb.connect()


def _relation(frame: pd.DataFrame) -> object:
    return SHOP.from_arrow(pa.Table.from_pandas(frame, preserve_index=False))


KINDS: dict[str, Callable[[pd.DataFrame], Any]] = {
    "polars": polars.from_pandas,
    "pyarrow": lambda frame: pa.Table.from_pandas(frame, preserve_index=False),
    "record batches": lambda frame: pa.Table.from_pandas(frame, preserve_index=False).to_reader(),
    "DuckDB": _relation,
    "dask": lambda frame: dask.dataframe.from_pandas(frame, npartitions=2),
    "dataframe protocol": OnlyInterchange,
}


@pytest.fixture(params=KINDS)
def of_kind(request: pytest.FixtureRequest) -> Callable[[pd.DataFrame], Any]:
    return KINDS[request.param]


@pytest.fixture
def few() -> pd.DataFrame:
    rng = np.random.default_rng(4)
    n = 60
    return pd.DataFrame(
        {
            "who": [f"c{row:02d}" for row in range(n)],
            "visits": np.where(np.arange(n) < 30, rng.integers(1, 5, n), rng.integers(20, 30, n)),
            "spend": rng.gamma(2.0, 9.0, n),
            "area": rng.choice(["coast", "hills"], n),
        }
    )


def test_behaviour_from_any_kind_of_events_is_the_same(
    of_kind: Callable[[pd.DataFrame], Any], visits: pd.DataFrame
) -> None:
    some = visits.head(3000)
    said = {"customer": "member_id", "when": "visited_on", "amount": "ticket_spend", "event_key": "visit_id"}
    expected = gauger.summarise_events(some, **said)
    pd.testing.assert_frame_equal(gauger.summarise_events(of_kind(some), **said), expected)


@pytest.mark.slow
def test_the_whole_way_from_any_kind_of_table_is_the_same(
    of_kind: Callable[[pd.DataFrame], Any], few: pd.DataFrame, tmp_path: Path
) -> None:
    own, theirs = (
        gauger.segment_by_kmeans(gauger.prepare(table, key="who", features=["visits", "spend"]), 2)
        for table in (few, of_kind(few))
    )
    assert own.codes.tolist() == theirs.codes.tolist()
    assert own.centres.equals(theirs.centres)
    assert gauger.look(of_kind(few), key="who").columns.equals(gauger.look(few, key="who").columns)
    assert gauger.profile(theirs, of_kind(few)).categories.equals(gauger.profile(own, few).categories)
    model = gauger.build_model(theirs)
    assert model.assign(of_kind(few))["segment"].tolist() == own.codes.tolist()
    assert gauger.drift(model, of_kind(few)).psi == gauger.drift(model, few).psi
    contacts = few[["who"]].assign(email=[f"{who}@example.org" for who in few["who"]])
    suppress = contacts[["email"]].head(1)
    made = [
        gauger.hand_off(who, table, tmp_path / name, campaign="spring", consent=None, suppress=refused)
        for name, who, table, refused in (
            ("own", own, contacts, suppress),
            ("theirs", of_kind(theirs.assignments), of_kind(contacts), of_kind(suppress)),
        )
    ]
    pd.testing.assert_frame_equal(made[0].customers, made[1].customers, check_dtype=False)
    known = few.head(10)[["who"]].assign(responded=[1, 0] * 5)
    assert gauger.measure(made[1].folder, of_kind(known), responded="responded").headline() == (
        gauger.measure(made[0].folder, known, responded="responded").headline()
    )
    assert gauger.compare(own, of_kind(theirs.assignments)).agreement == 1.0
    gauger.write_table(of_kind(few), tmp_path / "few.parquet")
    assert gauger.read_table(tmp_path / "few.parquet")["visits"].tolist() == few["visits"].tolist()
    assert gauger.draw.distributions(of_kind(few), "who").axes
    saved = gauger.save_study(theirs, tmp_path / "study", source=of_kind(few))
    assert gauger.open_study(tmp_path / "study").segmentation.codes.tolist() == own.codes.tolist(), saved
    assert "visits" in gauger.draft_plan(of_kind(few), key="who").plan.features


def _ordered() -> Iterator[tuple[str, Any]]:
    who = [f"c{row}" for row in range(90)]
    levels = ["low", "high", "middle"] * 30
    yield "polars", polars.DataFrame({"who": who, "band": polars.Series(levels, dtype=polars.Enum(BANDS))})
    categorical = pd.Categorical(levels, BANDS, ordered=True)
    frame = pd.DataFrame({"who": who, "band": categorical})
    yield "pyarrow", pa.Table.from_pandas(frame, preserve_index=False)
    yield "pandas", frame
    SHOP.execute("CREATE TYPE band AS ENUM ('low', 'middle', 'high')")
    SHOP.register("frame", pa.Table.from_pandas(frame.astype({"band": str}), preserve_index=False))
    yield "DuckDB", SHOP.sql("SELECT who, band::band AS band FROM frame")


@pytest.mark.parametrize(("name", "table"), list(_ordered()))
def test_levels_keep_their_order(name: str, table: Any, tmp_path: Path) -> None:
    visits = pd.DataFrame({"who": [f"c{row}" for row in range(90)], "visits": [1, 2, 1, 2, 9, 8, 9, 9, 8] * 10})
    seg = gauger.segment_by_kmeans(gauger.prepare(visits, key="who"), 2)
    assert gauger.profile(seg, table).categories.loc["band"].index.tolist() == BANDS, name
    gauger.write_table(table, tmp_path / "t.parquet")
    kept = gauger.read_table(tmp_path / "t.parquet")["band"]
    assert kept.cat.categories.tolist() == BANDS
    assert kept.cat.ordered


def test_unordered_categoricals_are_text() -> None:
    table = polars.DataFrame({"who": ["a", "b"], "area": polars.Series(["coast", "hills"], dtype=polars.Categorical)})
    columns = gauger.look(table, key="who").columns
    assert columns.loc["area", "type"] == "text"


def test_columns_of_lists_are_left_out_and_told() -> None:
    seen = gauger.look(polars.DataFrame({"who": ["a", "b"], "visits": [1, 2], "baskets": [[1], [2]]}), key="who")
    assert list(seen.columns.index) == ["who", "visits"]
    assert [remark.features for remark in seen.remarks if remark.code == "nested-left-out"] == [("baskets",)]


@pytest.mark.parametrize(
    ("table", "way_out"),
    [
        ("members.csv", "read_table"),
        (Path("members.csv"), "read_table"),
        (polars.LazyFrame({"a": [1]}), r"call its \.collect\(\) first"),
        (polars.Series([1, 2]), r"this is a Series: pandas\.DataFrame"),
        (pd.Series([1, 2]), "this is a Series"),
        (None, "this is a NoneType"),
    ],
)
def test_what_is_no_table_is_refused_with_the_way_out(table: Any, way_out: str) -> None:
    with pytest.raises(SettingError, match=way_out):
        gauger.look(table)


@pytest.mark.parametrize(
    "table",
    [
        pa.Table.from_arrays([pa.array(["a"]), pa.array([1]), pa.array([2])], names=["who", "visits", "visits"]),
        SHOP.sql("SELECT 'a' AS who, 1 AS visits, 2 AS visits"),
    ],
    ids=["pyarrow", "DuckDB"],
)
def test_a_column_named_twice_is_refused(table: Any) -> None:
    with pytest.raises(SettingError, match="the table has 'visits' more than once"):
        gauger.look(table)


def test_bytes_that_are_no_text_are_left_out_and_those_that_are_stay() -> None:
    seen = gauger.look(polars.DataFrame({"who": [b"a", b"b"], "picture": [b"x", b"\xff"]}))
    assert list(seen.columns.index) == ["who"]
    assert [remark.features for remark in seen.remarks if remark.code == "nested-left-out"] == [("picture",)]


def test_a_gap_among_levels_is_no_level() -> None:
    codes = pa.DictionaryArray.from_arrays(pa.array([0, 1, 2]), pa.array(["low", None, "high"]), ordered=True)
    table = pa.table({"who": ["a", "b", "c"], "band": codes})
    assert gauger.look(table).columns.loc["band", "missing"] == 1


def test_a_name_that_no_stream_carries_is_refused() -> None:
    """Handed on, it would end the process."""
    with pytest.raises(SettingError, match="the name of column 2 holds a NUL sign"):
        gauger.look(polars.DataFrame({"who": ["a"], "vis\x00its": [1]}))


def test_results_of_customers_go_on_as_arrow(few: pd.DataFrame) -> None:
    features = gauger.prepare(few, key="who", features=["visits", "spend"])
    seg = gauger.segment_by_kmeans(features, 2)
    taken = polars.DataFrame(seg)
    assert taken.columns == ["who", "segment", "segment_name", "distance"]
    assert taken["segment"].to_list() == seg.codes.tolist()
    assert seg.to_arrow().schema.metadata is None
    assert duckdb.sql("SELECT count(*) FROM taken").fetchall() == [(len(few),)]
    assert polars.DataFrame(features)["visits"].to_list() == features.values[:, 0].tolist()
    other = gauger.segment_by_kmeans(features, 3)
    assert gauger.compare(seg, other).to_arrow().num_rows == len(few)
    assert gauger.migration(seg, other).to_arrow().column_names == ["who", "before", "after", "moved"]


def test_a_segmentation_is_itself_a_table_of_assignments(few: pd.DataFrame, tmp_path: Path) -> None:
    seg = gauger.segment_by_kmeans(gauger.prepare(few, key="who", features=["visits"]), 2)
    gauger.write_table(seg, tmp_path / "assignments.csv")
    assert gauger.read_table(tmp_path / "assignments.csv")["segment"].tolist() == seg.codes.tolist()


@given(
    st.lists(
        st.tuples(
            st.one_of(st.none(), st.integers(-(2**40), 2**40)),
            st.one_of(st.none(), st.booleans()),
            st.one_of(st.none(), st.text(st.characters(exclude_categories=["Cs"]), max_size=5)),
            st.one_of(st.none(), st.sampled_from(BANDS)),
        ),
        min_size=1,
        max_size=20,
    )
)
def test_what_polars_holds_is_what_is_seen(rows: list[tuple[Any, ...]]) -> None:
    """Whole numbers, flags, text and levels with gaps arrive as they were, whatever they are."""
    kinds = {"n": polars.Int64, "flag": polars.Boolean, "text": polars.String, "band": polars.Enum(BANDS)}
    table = polars.DataFrame(rows, schema=kinds, orient="row")
    seen = gauger.look(table).columns
    for name in kinds:
        assert seen.loc[name, "missing"] == table[name].null_count()
        assert seen.loc[name, "distinct"] == table[name].drop_nulls().n_unique()
