"""One question, many places: a table in memory, files of Parquet and of text, three databases and a source that an
example adds must answer alike."""

import contextlib
import os
import re
import runpy
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from functools import cache
from pathlib import Path
from typing import Any

import duckdb
import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from gauger.errors import GaugerError, SettingError, TableFileError
from gauger.tables import transaction
from tests.examples import some_of, thoroughly

IN_DATABASES = ("duckdb", "sqlite", "postgres")
ADDED = runpy.run_path(str(Path(__file__).parents[2] / "examples" / "another_place.py"))
MEASURES = ["visits", "spend", "age", "points"]


def members(rows: int = 130) -> pd.DataFrame:
    """Members with gaps, a long tail, refunds, and one placeholder of 999,999,999."""
    rng = np.random.default_rng(36)
    kind = rng.integers(0, 3, rows)
    table = pd.DataFrame({"member_id": [f"M{number:04}" for number in rng.permutation(rows)]})
    table["visits"] = rng.poisson(3.0 + 6.0 * kind)
    table["spend"] = np.round(rng.gamma(1.0 + kind, 30.0) - 4.0, 2)
    table["age"] = np.round(rng.normal(30.0 + 12.0 * kind, 4.0), 1)
    table["points"] = np.round(rng.normal(25.0, 9.7, rows), 2)
    table.loc[7, "points"] = 999_999_999.0
    table["area"] = np.array(["north", "south", "it's east"])[kind]
    for name, share in {"age": 0.1, "area": 0.05}.items():
        table.loc[rng.random(rows) < share, name] = None
    return table


TABLE = members()
LATER = pd.concat(
    [TABLE.assign(spend=TABLE["spend"] * 100.0, points=TABLE["points"].clip(upper=90.0)), members(20)]
).reset_index(drop=True)
LATER["member_id"] = [f"N{number}" for number in range(len(LATER))]
LATER.loc[[4, 9], "area"] = ["mars", "venus"]
LATER.loc[[5, 6], "visits"] = [900, -3]
TABLES = {"base": TABLE, "later": LATER}
BAD_TABLES = {
    "twice": pd.concat([TABLE, TABLE[3:5]], ignore_index=True),
    "nameless": TABLE.assign(member_id=TABLE["member_id"].where(TABLE["visits"] != TABLE["visits"].max(), None)),
    "lacking": TABLE.drop(columns="spend"),
    "wordy": TABLE.assign(spend=[f"{value} euros" for value in TABLE["spend"]]),
    "empty": TABLE[:0],
    "fractional": TABLE.assign(member_id=np.arange(len(TABLE)) + 0.5),
}
KEYS = {
    "numbered": np.arange(len(TABLE)) - 3,
    "decimal": np.arange(len(TABLE), dtype=np.float64),
    "digits": [str(number) for number in range(len(TABLE))],
    "padded": [f"{number:05}" for number in range(len(TABLE))],
}


pytestmark = pytest.mark.by_turns
PLACES = ("parquet", "csv", *IN_DATABASES, "stata")
Opened = Callable[[str, str], dict[str, Any]]


@pytest.fixture(scope="session")
def opened(tmp_path_factory: pytest.TempPathFactory, postgres: str) -> Opened:
    """A table by its name in a place, as what `open_table` takes."""
    folder = tmp_path_factory.mktemp("parity")
    keyed = {called: TABLE.assign(member_id=keys) for called, keys in KEYS.items()}
    tables = {**TABLES, **BAD_TABLES, **keyed}
    return cache(lambda called, place: _put(folder, called, place, tables[called], postgres))


def _put(folder: Path, called: str, place: str, table: pd.DataFrame, postgres: str) -> dict[str, Any]:
    if place == "parquet":
        gauger.write_table(table[:50], folder / called / "a.parquet")
        gauger.write_table(table[50:], folder / called / "b.parquet")
        return {"source": folder / called}
    if place == "csv":
        return {"source": gauger.write_table(table, folder / f"{called}.csv")}
    if place == "duckdb":
        with duckdb.connect(str(folder / "shop.duckdb")) as shop:
            shop.register("given", table)
            shop.execute(f"CREATE TABLE {called} AS SELECT * FROM given")
        return {"source": f"duckdb:///{folder / 'shop.duckdb'}", "table": called}
    if place == "sqlite":
        with contextlib.closing(sqlite3.connect(folder / "shop.db")) as lite:
            table.to_sql(called, lite, index=False)
        return {"source": f"sqlite:///{folder / 'shop.db'}", "table": called}
    if place == "postgres":
        _into_postgres(f"parity_{called}", table, postgres)
        return {"source": postgres, "table": f"parity_{called}"}
    (folder / "stata" / called).mkdir(parents=True)
    return {"stata": _stata_files(folder / "stata" / called, table)}


def _into_postgres(name: str, table: pd.DataFrame, url: str) -> None:
    with transaction(url) as session:
        kinds = {one: {"i": "BIGINT", "f": "FLOAT8"}.get(kind.kind, "TEXT") for one, kind in table.dtypes.items()}
        session.rows(f"DROP TABLE IF EXISTS {name}")
        session.rows(f"CREATE TABLE {name} ({', '.join(f'{one} {kind}' for one, kind in kinds.items())})")
        rows = [f"({', '.join(map(_written, row))})" for row in table.itertuples(index=False)]
        if rows:
            session.rows(f"INSERT INTO {name} VALUES {', '.join(rows)}")


def _stata_files(folder: Path, table: pd.DataFrame) -> list[Path]:
    """The table as two files of the source that `examples/another_place.py` adds."""
    files = [folder / "a.dta", folder / "b.dta"]
    plain = table.astype({name: object for name, kind in table.dtypes.items() if kind.kind not in "if"})
    for file, part in zip(files, (plain[:50], plain[50:]), strict=True):
        part.fillna({name: "" for name, kind in plain.dtypes.items() if kind.kind not in "if"}).to_stata(
            file, write_index=False
        )
    return files


def _written(value: Any) -> str:
    if value is None or value != value:
        return "NULL"
    return "'" + value.replace("'", "''") + "'" if isinstance(value, str) else repr(value)


def _places(
    opened: Opened, called: str = "base", only: Sequence[str] | None = None, turn: object = None, **execution: Any
) -> Iterator[tuple[str, gauger.OpenTable]]:
    """The table in every place; in `make test` in one of them, which the test and the turn choose."""
    for name in some_of(only or PLACES, (os.environ["PYTEST_CURRENT_TEST"], turn)):
        where, own = opened(called, name), gauger.Execution(**execution)
        if name == "stata":
            yield name, ADDED["open_stata"](where["stata"], own)
        else:
            yield name, gauger.open_table(**where, execution=own)


KINDS_OF_KEY = {
    "NUMERIC(10, 2)": "{}",
    "NUMERIC(20, 0)": "90071992547 + {}",
    "BIGINT": "9007199254740990 + {}",
    "DATE": "DATE '2020-02-27' + {}",
    "UUID": "CAST('00000000-0000-4000-8000-' || CAST(100000000000 + {} AS TEXT) AS UUID)",
}
PLAIN: dict[str, Any] = {"features": ["visits", "spend", "points"]}
WITH_AGE: dict[str, Any] = {"features": MEASURES, "missing": {"age": "median"}}
VALID: list[dict[str, Any]] = [
    {"features": None, "missing": "median"},
    {"features": None, "missing": "drop", "noun": "guest"},
    PLAIN,
    {"features": ["points"]},
    *({**WITH_AGE, "missing": {"age": rule}} for rule in ("drop", "zero", "mean", "median", 30, -1.5, 0)),
    *({**WITH_AGE, "flag_missing": ["age"], "missing": {"age": rule}} for rule in ("zero", "mean", 41.0)),
    *({**PLAIN, "cap": cap} for cap in ((0.0, 0.95), (0.05, 1.0), (0, 1), (0.1, 0.9), {"points": (0.0, 0.99)}, {})),
    *({**PLAIN, "transform": curve} for curve in ("signed_log", "none", {"visits": "log"}, {"visits": "sqrt"}, {})),
    *({**PLAIN, "scale": scale} for scale in ("zscore", "minmax", "robust", "none", {"points": "robust"}, {})),
    *({**PLAIN, "weight": weight} for weight in (1, 2, 0.5, {"spend": 3.0}, {"spend": 1}, {})),
    *(
        {**PLAIN, "categories": ["area"], "missing": {"area": rule}, "scale": {"area": scale}}
        for rule in ("drop", "zero")
        for scale in ("zscore", "robust", "minmax", "none")
    ),
    {"features": [], "categories": ["area"], "missing": "zero"},
    {**PLAIN, "categories": ["area"], "missing": "zero", "weight": {"area": 2.0}},
    {**WITH_AGE, "cap": {"age": (0.1, 0.9)}, "scale": {"age": "robust"}},
    {**WITH_AGE, "cap": {"age": (0.1, 0.9)}, "missing": {"age": 0}, "scale": {"age": "robust", "spend": "minmax"}},
    {**WITH_AGE, "transform": {"age": "log"}, "missing": {"age": "mean"}, "weight": {"age": 0.25}},
    {**PLAIN, "noun": "visitor"},
    {"features": ["points"], "noun": "a customer"},
]
WRONG: list[dict[str, Any]] = [
    {"features": MEASURES},
    {"features": []},
    {"features": "visits"},
    {"features": ["visits", "visits"]},
    {"features": ["member_id"]},
    {"features": ["visit"]},
    {"features": ["area"]},
    {"features": [3]},
    {**PLAIN, "categories": "area"},
    {**PLAIN, "categories": ["area"]},
    {**PLAIN, "categories": ["area"], "missing": {"area": "median"}},
    {**PLAIN, "categories": ["region"]},
    {**PLAIN, "flag_missing": ["age"]},
    {**PLAIN, "flag_missing": "age"},
    *(
        {**PLAIN, "cap": cap}
        for cap in ((0.75, 0.25), (0.5, 0.5), (-0.1, 0.9), (0.0, 1.1), (0.9,), 0.9, "all", {"age": (0, 1)})
    ),
    {**PLAIN, "cap": {"spend": (0.75, 0.25)}},
    *({**PLAIN, "transform": curve} for curve in ("logs", 3, {"spend": "log"}, {"spend": "sqrt"}, {"age": "log"})),
    *({**PLAIN, "scale": scale} for scale in ("z-score", None, {"spend": "zscores"}, {"age": "minmax"})),
    *({**PLAIN, "weight": weight} for weight in (0, -1, float("nan"), "2", True, {"age": 1.0}, {"spend": 0})),
    *({**PLAIN, "missing": rule} for rule in ("median?", None, True, float("inf"), {"age": "zero"})),
    *({**PLAIN, "noun": noun} for noun in ("", "   ", 7, "x" * 41)),
    {**PLAIN, "key": "nobody"},
    {**PLAIN, "key": "segment"},
    {**PLAIN, "key": "area"},
    {**PLAIN, "key": "visits"},
]


def _asked(asked: dict[str, Any]) -> dict[str, Any]:
    return {"key": "member_id", **asked}


def _texts(remarks: tuple[gauger.Remark, ...]) -> list[str]:
    return [str(one) for one in remarks]


def _same(one: pd.DataFrame, other: pd.DataFrame) -> None:
    pd.testing.assert_frame_equal(
        one, other, check_dtype=False, check_index_type=False, check_names=False, rtol=1e-9, atol=1e-12
    )


Answer = tuple[gauger.FeatureSet, gauger.Segmentation] | tuple[type[GaugerError], str]


def _answer(table: Any, asked: dict[str, Any], count: int = 3) -> Answer:
    try:
        features = gauger.prepare(table, **_asked(asked))
        return features, gauger.segment_by_kmeans(features, count, starts=2)
    except GaugerError as error:
        return type(error), str(error)


FIRST_FILE = re.compile(r"^\S+/a\.(parquet|dta): ")


def _assert_alike(name: str, answer: Answer, memory: Answer, of_first_file: Callable[[], Answer]) -> None:
    """Fail where a place answers in other figures or other words than memory; files are refused one by one, each as a
    table of its own."""
    if isinstance(memory[1], str) or isinstance(answer[1], str):
        in_a_file = isinstance(answer[1], str) and FIRST_FILE.match(answer[1])
        assert _plainly(answer) == _plainly(of_first_file() if in_a_file else memory), name
        return
    (features, seg), (own_features, own) = answer, memory
    assert features.names == own_features.names, name
    assert dict(features.treatments) == dict(own_features.treatments), name
    assert _texts(features.remarks) == _texts(own_features.remarks), name
    assert seg.sizes.tolist() == own.sizes.tolist(), name
    assert np.array_equal(seg.scaled_centres, own.scaled_centres), name
    _same(seg.centres, own.centres)
    assert _texts(seg.remarks) == _texts(own.remarks), name
    assert seg.noun == own.noun, name
    assert seg.wcss == pytest.approx(own.wcss, rel=1e-9), name
    pd.testing.assert_frame_equal(seg.history, own.history)
    _same(seg.explained_by_feature.to_frame(), own.explained_by_feature.to_frame())
    _same_assignments(seg.assignments.to_pandas(), own.assignments)
    for part in vars(own.profile):
        _same(getattr(seg.profile, part), getattr(own.profile, part))


def _same_assignments(one: pd.DataFrame, other: pd.DataFrame) -> None:
    """Fail unless two tables place the same customers alike, whatever their order."""
    _same(one.set_index("member_id").sort_index()[list(other.columns[1:])], other.set_index("member_id").sort_index())


def _plainly(answer: Any) -> Any:
    """A refusal without the rows and the file at fault, which not every place can name."""
    kind, text = answer
    if isinstance(text, str):
        for words in (
            r" \(data rows? [^)]*\)",
            r" in data rows? [\d, and]+(?= \()",
            r"(?<=too many), in [^)]*",
            r"^\S+: ",
        ):
            text = re.sub(words, "", text)
    return kind, text


@pytest.mark.parametrize("asked", VALID, ids=str)
def test_every_preparation_comes_to_the_same_in_every_place(asked: dict[str, Any], opened: Opened) -> None:
    memory = _answer(TABLE, asked)
    assert not isinstance(memory[1], str), memory
    for name, table in _places(opened):
        _assert_alike(name, _answer(table, asked), memory, lambda: memory)


@pytest.mark.parametrize("asked", WRONG, ids=str)
def test_every_wrong_setting_is_refused_in_the_same_words(asked: dict[str, Any], opened: Opened) -> None:
    memory = _answer(TABLE, asked)
    assert isinstance(memory[1], str), asked
    for name, table in _places(opened):
        _assert_alike(name, _answer(table, asked), memory, lambda: _answer(TABLE[:50], asked))


def _refused(work: Any) -> tuple[type[GaugerError], str]:
    with pytest.raises(GaugerError) as refusal:
        work()
    return type(refusal.value), str(refusal.value)


def _tally(found: Any) -> Any:
    return found if isinstance(found, pd.DataFrame) else found.sizes


@pytest.mark.parametrize("called", BAD_TABLES)
@pytest.mark.parametrize("verb", ["prepare", "assign", "drift"])
def test_tables_that_will_not_do_are_refused_in_the_same_words(verb: str, called: str, opened: Opened) -> None:
    model = _model()
    work = {
        "prepare": lambda table: gauger.prepare(table, **_asked(WITH_AGE)),
        "assign": lambda table: _tally(model.assign(table)),
        "drift": lambda table: gauger.drift(model, table),
    }[verb]
    bad = BAD_TABLES[called]
    if verb == "assign" and called == "empty":
        assert all(work(table)["customers"].sum() == 0 for _, table in _places(opened, called))
        return
    memory = _refused(lambda: work(bad))
    for name, table in _places(opened, called):
        refusal = _refused(lambda table=table: work(table))
        first = bad if called == "lacking" else bad[:50]  # columns are looked for in all files at once
        _assert_alike(name, refusal, memory, lambda first=first: _refused(lambda: work(first)))


RULES = st.sampled_from(["drop", "zero", "mean", "median", "refuse", "other", 12, -3.5, 0, float("nan"), True])
SHARES = st.sampled_from([-0.1, 0.0, 0.02, 0.25, 0.5, 0.75, 0.99, 1.0, 1.5])
CURVES = st.sampled_from(["none", "log", "sqrt", "signed_log", "curve", ""])
SCALES = st.sampled_from(["zscore", "minmax", "robust", "none", "wide", None])
WEIGHTS = st.sampled_from([0.3, 1, 2.5, 0, -2.0, float("inf"), "3"])


def _one_or_each(values: st.SearchStrategy[Any]) -> st.SearchStrategy[Any]:
    return st.one_of(values, st.dictionaries(st.sampled_from([*MEASURES, "area", "spent"]), values, max_size=2))


@given(
    asked=st.fixed_dictionaries(
        {"features": st.lists(st.sampled_from(MEASURES), min_size=1, max_size=4)},
        optional={
            "categories": st.sampled_from([["area"], [], ["age"]]),
            "missing": _one_or_each(RULES),
            "flag_missing": st.sampled_from([["age"], [], ["spend"]]),
            "cap": _one_or_each(st.tuples(SHARES, SHARES)),
            "transform": _one_or_each(CURVES),
            "scale": _one_or_each(SCALES),
            "weight": _one_or_each(WEIGHTS),
            "noun": st.sampled_from(["guest", "", "a customer"]),
        },
    ),
    count=st.sampled_from([2, 3, 5, 1, 131, 2.5]),
)
def test_whatever_is_asked_is_answered_alike_in_every_place(asked: dict[str, Any], count: Any, opened: Opened) -> None:
    memory = _answer(TABLE, asked, count)
    for name, table in _places(opened, turn=(asked, count)):
        _assert_alike(name, _answer(table, asked, count), memory, lambda: _answer(TABLE[:50], asked, count))


def _model(**more: Any) -> gauger.SegmentModel:
    features = gauger.prepare(
        TABLE, key="member_id", features=MEASURES, categories=["area"], missing={"age": "drop", "area": "zero"}, **more
    )
    return gauger.segment_by_kmeans(features, 3).model


@pytest.mark.parametrize("gate", [None, "learned", 1.5], ids=str)
@pytest.mark.parametrize("called", TABLES)
def test_customers_are_assigned_alike_with_the_same_warnings(called: str, gate: Any, opened: Opened) -> None:
    model = _model()
    memory = model.assign(TABLES[called], gate=gate)
    counts = memory["segment"].value_counts()
    for name, table in _places(opened, called):
        found = model.assign(table, gate=gate)
        _same_assignments(found.to_pandas(), memory)
        own = found.sizes["customers"].to_dict()
        assert all(own.get(number or "unassigned", 0) == count for number, count in counts.items()), name
        assert sum(own.values()) == len(memory), name
        assert _texts(found.remarks) == _texts(gauger.remarks_of(memory)), name


@pytest.mark.slow
@pytest.mark.parametrize("sample", [None, 40])
@pytest.mark.parametrize("called", KEYS)
def test_keys_are_written_alike_in_every_place(called: str, sample: int | None, opened: Opened, tmp_path: Path) -> None:
    """Whoever joins assignments to customers by their keys finds them, whatever wrote them."""
    model = _model()
    for name, table in _places(opened, called, sample=sample):
        read = opened(called, "csv")["source"] if name == "csv" else None
        memory = TABLE.assign(member_id=KEYS[called]) if read is None else gauger.read_table(read)
        seg = gauger.segment_by_kmeans(gauger.prepare(table, **_asked(PLAIN)), 3)
        found = [seg.assignments.to_pandas(), model.assign(table).to_pandas()]
        if name not in IN_DATABASES:
            into = (tmp_path / f"{name}.csv", tmp_path / f"{name}.parquet", tmp_path / name)
            written = [model.assign(table, into=str(one)).to_pandas() for one in into]
            # Text that only looks like numbers is not told apart in a file of text.
            found += written[called == "digits" :]
        if name in ("parquet", "csv"):
            gauger.save_study(seg, tmp_path / f"study-{name}")
            found.append(gauger.open_study(tmp_path / f"study-{name}").assignments)
        expected = sorted(map(repr, model.assign(memory)["member_id"].tolist()))
        for one in found:
            assert sorted(map(repr, one["member_id"].tolist())) == expected, name


@pytest.mark.parametrize("database", ["duckdb", "postgres"])
@pytest.mark.parametrize("kind", thoroughly(KINDS_OF_KEY))
def test_keys_of_any_type_are_those_that_reading_the_table_gives(kind: str, database: str, opened: Opened) -> None:
    value = KINDS_OF_KEY[kind]
    where = dict(opened("base", database))
    source, table = where["source"], f"keyed_{abs(hash((kind, value)))}"
    made = f"CAST({value.format('CAST(row_number() OVER (ORDER BY member_id) AS INTEGER)')} AS {kind})"
    with transaction(source) as session:
        session.rows(f"DROP TABLE IF EXISTS {table}")
        session.rows(f"CREATE TABLE {table} AS SELECT {made} AS who, visits, spend FROM {where['table']}")
    memory = gauger.read_table(source, table=table)
    own = gauger.prepare(memory, key="who", features=["visits", "spend"])
    expected = sorted(map(repr, gauger.segment_by_kmeans(own, 2).assignments["who"].tolist()))
    for sample in (None, 40):
        base = gauger.open_table(source, table=table, execution=gauger.Execution(sample=sample))
        features = gauger.prepare(base, key="who", features=["visits", "spend"])
        seg = gauger.segment_by_kmeans(features, 2)
        if (database, kind) != ("duckdb", "NUMERIC(20, 0)"):  # which its driver reads as floating-point numbers
            made_whole = "keys-made-whole" in [one.code for one in own.remarks]
            assert ("keys-made-whole" in [one.code for one in features.remarks]) == made_whole
        assert {*map(repr, features.keys.tolist())} <= {*map(repr, own.keys.tolist())}
        into = f"{table}_placed"
        for found in (seg.assignments, seg.model.assign(base), seg.model.assign(base, into=into, replace=True)):
            assert sorted(map(repr, found.to_pandas()["who"].tolist())) == expected
        with transaction(source) as session:
            joined = f"SELECT COUNT(*) FROM {table} JOIN {into} ON {table}.who = {into}.who"
            assert session.row(joined) == (len(memory),)


def test_assignments_go_on_into_whatever_takes_a_table_and_are_of_everyone(opened: Opened, tmp_path: Path) -> None:
    memory = gauger.segment_by_kmeans(gauger.prepare(TABLE, **_asked(PLAIN)), 3)
    addresses = TABLE[["member_id"]].assign(email=TABLE["member_id"] + "@example.org")
    for name, table in _places(opened, sample=40):
        seg = gauger.segment_by_kmeans(gauger.prepare(table, **_asked(PLAIN)), 3)
        moves = gauger.migration(memory, seg)
        assert (len(moves.customers), len(moves.only_first), len(moves.only_second)) == (len(TABLE), 0, 0), name
        again = gauger.migration(seg.assignments, memory.assignments, key="member_id")
        assert again.crossing.to_numpy().tolist() == moves.crossing.to_numpy().T.tolist(), name
        assert pa.table(seg.assignments).num_rows == len(TABLE), name
        sent = gauger.hand_off(seg.assignments, addresses, tmp_path / name, campaign="spring", consent=None)
        assert int(sent.waterfall.loc["all", "everyone"]) == len(TABLE), name


def test_parts_may_store_the_same_text_in_different_ways(tmp_path: Path) -> None:
    table = pa.Table.from_pandas(TABLE.assign(area=TABLE["area"].fillna("south")), preserve_index=False)
    for at, kind in enumerate((pa.string(), pa.large_string(), pa.dictionary(pa.int32(), pa.string()))):
        part = table.slice(at * 50, 50 if at < 2 else None)
        for name in ("member_id", "area"):
            part = part.set_column(part.column_names.index(name), name, part[name].cast(pa.string()).cast(kind))
        pq.write_table(part, tmp_path / f"{at}.parquet")
    asked = {**PLAIN, "categories": ["area"]}
    memory = _answer(TABLE.assign(area=TABLE["area"].fillna("south")), asked)
    for sample in (None, 40):
        base = gauger.open_table(tmp_path, execution=gauger.Execution(sample=sample))
        if sample is None:
            _assert_alike("mixed", _answer(base, asked), memory, lambda: memory)
        seg = gauger.segment_by_kmeans(gauger.prepare(base, **_asked(asked)), 3)
        assert sorted(seg.assignments.to_pandas()["member_id"]) == sorted(TABLE["member_id"])
        into = seg.model.assign(base, into=str(tmp_path.with_suffix(".parquet")), replace=True)
        assert sorted(into.to_pandas()["member_id"]) == sorted(TABLE["member_id"])
        assert gauger.look(base).rows == len(TABLE)


@pytest.mark.parametrize("database", ["duckdb", "postgres"])
def test_decimal_keys_that_are_not_whole_are_refused_in_databases_as_in_memory(database: str, opened: Opened) -> None:
    where = opened("base", database)
    half = "CAST(row_number() OVER () + 0.5 AS NUMERIC(10, 1))"
    with transaction(where["source"]) as session:
        session.rows("DROP TABLE IF EXISTS halves")
        session.rows(f"CREATE TABLE halves AS SELECT {half} AS who, visits FROM {where['table']}")
    memory = _refused(lambda: gauger.prepare(gauger.read_table(where["source"], table="halves"), key="who"))
    found = _refused(lambda: gauger.prepare(gauger.open_table(where["source"], table="halves"), key="who"))
    assert _plainly(found) == _plainly(memory)


def test_files_of_text_and_others_are_not_read_as_one_table(tmp_path: Path) -> None:
    gauger.write_table(TABLE[:50], tmp_path / "a.csv")
    gauger.write_table(TABLE[50:], tmp_path / "b.parquet")
    with pytest.raises(TableFileError, match=r"a.csv is a text file and .*b.parquet is not.*\*\.parquet"):
        gauger.prepare(gauger.open_table(tmp_path), key="member_id")
    assert gauger.prepare(gauger.open_table(tmp_path / "*.parquet"), key="member_id", features=["visits"]).customers


@pytest.mark.parametrize("called", TABLES)
def test_drift_is_the_same_in_every_place(called: str, opened: Opened) -> None:
    model = _model(cap={"points": (0.0, 0.95)})
    memory = gauger.drift(model, TABLES[called])
    for name, table in _places(opened, called):
        found = gauger.drift(model, table)
        _same(found.features, memory.features)
        _same(found.segments, memory.segments)
        assert str(found.advice) == str(memory.advice), name
        assert _texts(found.remarks) == _texts(memory.remarks), name


@pytest.mark.parametrize("called", TABLES)
@pytest.mark.parametrize("key", ["member_id", "area", None, "id"])
def test_a_look_says_the_same_in_every_place(called: str, key: str | None, opened: Opened) -> None:
    def looked(table: Any) -> Any:
        try:
            return gauger.look(table, key)
        except GaugerError as error:
            return type(error), str(error)

    memory = looked(TABLES[called])
    for name, table in _places(opened, called):
        found = looked(table)
        if isinstance(memory, tuple):
            assert _plainly(found) == _plainly(memory), name
            continue
        _same(found.columns, memory.columns)
        assert found.rows == memory.rows, name
        assert _texts(found.remarks) == _texts(memory.remarks), name
        assert str(found) == str(memory), name


def test_profiles_say_the_same_in_every_place(opened: Opened) -> None:
    asked = _asked({**WITH_AGE, "categories": ["area"], "missing": {"age": "median", "area": "zero"}})
    memory = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(TABLE, **asked), 3))
    for name, table in _places(opened):
        found = gauger.profile(gauger.segment_by_kmeans(gauger.prepare(table, **asked), 3))
        assert str(found) == str(memory), name


@pytest.mark.parametrize(
    "asked",
    thoroughly(
        [
            PLAIN,
            {
                **WITH_AGE,
                "missing": {"age": "median"},
                "scale": "robust",
                "cap": (0.1, 0.9),
                "transform": {"age": "log"},
            },
            {**WITH_AGE, "missing": {"age": "mean"}, "cap": (0.05, 0.95), "transform": {"visits": "log"}},
            {**WITH_AGE, "missing": {"age": "zero"}},
            {**PLAIN, "cap": {"points": (0.0, 0.99)}, "weight": {"spend": 2.0}, "transform": {"spend": "signed_log"}},
            {**WITH_AGE, "missing": {"age": "drop"}, "scale": "minmax"},
            {**PLAIN, "categories": ["area"], "missing": {"area": "zero"}, "weight": {"area": 2.0}},
            {**WITH_AGE, "flag_missing": ["age"], "missing": {"age": 30}, "cap": {"points": (0.0, 0.99)}},
        ],
        3,
    ),
    ids=str,
)
@pytest.mark.parametrize("sample", [40, 0])
def test_sums_of_everyone_come_to_the_treatments_of_memory_and_to_true_profiles(
    sample: int, asked: dict[str, Any], opened: Opened
) -> None:
    features = gauger.prepare(TABLE, **_asked(asked))
    kept = TABLE.set_index("member_id").loc[features.keys]
    for name, table in _places(opened, only=None if sample else IN_DATABASES, sample=sample):
        found = gauger.prepare(table, **_asked(asked))
        _assert_treated_alike(found.treatments, features.treatments)
        seg = gauger.segment_by_kmeans(found, 3, starts=2)
        own = seg.assignments.to_pandas().set_index("member_id").loc[kept.index]
        assert seg.sizes.tolist() == own["segment"].value_counts().sort_index().tolist(), name
        _assert_settled(seg, features, own)
        assert all(len(one.edges) > 2 for one in seg.model.features if one.indicator is None), name
        assert seg.history.columns[1] == ("moved_at_least" if name in IN_DATABASES else "moved"), name
        measures = [one for one in features.names if one not in features.indicators]
        by_segment = kept[measures].groupby(own["segment"].to_numpy())
        everyone = kept[measures].quantile([0.25, 0.5, 0.75])
        _same(seg.profile.means.loc[[1, 2, 3], measures], by_segment.mean())
        _same(seg.profile.standard_deviations.loc[[1, 2, 3], measures], by_segment.std())
        quartiles = (seg.profile.lower_quartiles, seg.profile.medians, seg.profile.upper_quartiles)
        for share, own_quartiles in zip(everyone.index, quartiles, strict=True):
            assert np.allclose(own_quartiles.iloc[-1][measures].astype(float), everyone.loc[share], rtol=1e-9), name


def _assert_treated_alike(one: Any, other: Any) -> None:
    assert list(one) == list(other)
    for name, steps in other.items():
        assert [type(step) for step in one[name]] == [type(step) for step in steps]
        for step, expected in zip(one[name], steps, strict=True):
            for field, value in vars(expected).items():
                own = getattr(step, field)
                assert own == (pytest.approx(value, rel=1e-9, abs=1e-12) if isinstance(value, float) else value), name


def _assert_settled(seg: gauger.Segmentation, features: gauger.FeatureSet, own: pd.DataFrame) -> None:
    """Fail unless everyone is in the segment of the nearest centre, and centres are the means of their own."""
    squared = ((features.values[:, None, :] - seg.scaled_centres[None, :, :]) ** 2).sum(axis=2)
    assert own["segment"].tolist() == (squared.argmin(axis=1) + 1).tolist()
    assert own["distance"].to_numpy() == pytest.approx(np.sqrt(squared.min(axis=1)), rel=1e-7, abs=1e-7)
    if seg.converged:
        for number, centre in enumerate(seg.scaled_centres, 1):
            mean = features.values[own["segment"].to_numpy() == number].mean(axis=0)
            # sums of everyone resolve this share of a feature's largest treated value
            assert np.allclose(centre, mean, rtol=1e-9, atol=2.0**-46 * np.abs(features.values).max())
        whole = gauger.segmentation_from_assignments(features, own.reset_index(), method="k-means")
        assert np.allclose(seg.explained_by_feature, whole.explained_by_feature, rtol=1e-6, atol=1e-9)


@pytest.mark.parametrize("asked", [{**PLAIN, "scale": "rank"}, {**PLAIN, "transform": {"spend": "power"}}], ids=str)
def test_what_needs_all_values_at_once_is_refused_with_a_way_on(asked: dict[str, Any], opened: Opened) -> None:
    gauger.prepare(TABLE, **_asked(asked))
    texts = set()
    for name, table in _places(opened):
        kind, text = _answer(table, asked)
        assert kind is SettingError, name
        texts.add(text.replace("out of core", "there").replace("in a database", "there"))
    assert len(texts) == 1
    assert "or read the table into memory (read_table)" in texts.pop()
