"""Small rules of work by parts: who is sampled, who is looked at again, who is farthest, how files are parted."""

from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import gauger
from gauger.errors import KeyColumnError
from gauger.sources import segmenting_everyone
from gauger.sources.bottom_rows import share_let_through
from gauger.sources.databases.database_samples import chance_below
from gauger.sources.files import coreset_starts, file_parts
from gauger.sources.files.blocks_now import customers_now, sums_now
from gauger.sources.files.crews import PartsAtWork, ThreadCrew
from gauger.sources.files.file_sums import Far, FileSums, farthest, look_at_part
from tests.heard_steps import heard_steps


@pytest.mark.parametrize(
    ("size", "rows", "share"), [(10, 100, 0.125), (10, 12, 1.0), (10, 10, 1.0), (10, 9, 1.0), (10, None, 1.0)]
)
def test_a_quarter_more_hashes_are_let_through_than_are_wanted(size: int, rows: int | None, share: float) -> None:
    assert share_let_through(size, rows) == share


def test_in_a_database_a_fifth_more_and_two_hundred_are_let_through() -> None:
    assert chance_below(1_000, 1_400) is None
    assert chance_below(1_000, 14_000) == f"chance < {round(-0.4 * 2.0**64)}"
    assert chance_below(1_000, 1_401) is not None


def test_the_farthest_are_found_across_blocks_each_place_once() -> None:
    blocks = [
        SimpleNamespace(size=4, raw=np.array([[0.0, 5.0, 5.0, 1.0], [0.0, 0.0, 0.0, 1.0]])),
        SimpleNamespace(size=1, raw=np.array([[-7.0], [1.0]])),
    ]
    reader: Any = SimpleNamespace(customers=lambda _: blocks)
    working: Any = SimpleNamespace(of=lambda raw: raw)
    found = farthest(reader, working, np.array([[0.0, 0.0], [4.0, 0.0]]), 2, reader)
    assert found.rows.tolist() == [[50.0, -7.0, 1.0], [2.0, 1.0, 1.0]]
    more = found + Far.of(np.array([[2.0, 0.5, 9.0], [50.0, -7.0, 1.0], [60.0, 0.0, 0.0]]), 2)
    assert more.rows.tolist() == [[60.0, 0.0, 0.0], [50.0, -7.0, 1.0]]


def test_the_settled_stay_while_no_centre_goes_farther_than_they_are_sure_of() -> None:
    nothing: Any = None
    sums = FileSums(nothing, nothing, nothing, largest=np.array([3.0, 4.0]), spread=(np.zeros(2), 0.0), margin=0.5)
    before = sums._since = np.array([[0.0, 0.0], [10.0, 0.0], [20.0, 0.0]])
    for ways, stays in (
        ((0.0, 0.0, 0.0), True),
        ((0.0, 0.4, 0.0), True),
        ((0.0, 0.6, 0.0), False),
        ((0, 0.3, 0.3), False),
    ):
        assert sums._stays(before + np.array([[0.0, way] for way in ways])) is stays


@pytest.mark.parametrize(
    ("sizes", "bundles"),
    [([5, 5, 5], [[0, 1], [2]]), ([5, 6, 4], [[0], [1, 2]]), ([11, 1], [[0], [1]]), ([], [[]]), ([10], [[0]])],
)
def test_row_groups_make_parts_of_no_more_rows_than_fit(
    sizes: list[int], bundles: list[list[int]], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(file_parts, "_PART_ROWS", 10)
    schema = pa.schema([("who", pa.int64())])
    with pq.ParquetWriter(tmp_path / "t.parquet", schema) as writer:
        for size in sizes:
            writer.write_table(pa.table({"who": list(range(size))}, schema))
    found = file_parts._groups_of(tmp_path / "t.parquet")
    assert [list(part.groups) for part in found] == bundles
    assert [part.rows for part in found] == [sum(sizes[at] for at in bundle) for bundle in bundles]


def test_a_missing_key_is_told_with_its_row_in_the_file_whatever_block_it_is_in(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(file_parts, "BLOCK_ROWS", 2)
    table = pd.DataFrame({"who": list("abcdef"), "visits": [1.0, 2.0, 3.0, 9.0, 8.0, 7.0]})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2))
    table.loc[4, "who"] = None
    pq.write_table(pa.Table.from_pandas(table), tmp_path / "t.parquet", row_group_size=2)
    base = gauger.open_table(tmp_path / "t.parquet", execution=gauger.Execution(sample=2))
    with pytest.raises(KeyColumnError, match="row 5"):
        model.assign(base).to_pandas()


@pytest.mark.parametrize(
    ("seen", "sizes", "rare"),
    [((10, 10), (50, 50), []), ((10, 9), (50, 50), [2]), ((12, 0), (50, 1), [2]), ((10, 1), (50, 1), [])],
)
def test_segments_with_fewer_in_the_sample_than_are_shown_are_fetched(
    seen: tuple[int, int], sizes: tuple[int, int], rare: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    sampled = np.repeat([1, 2], seen)
    asked: list[list[int]] = []
    rows = pd.DataFrame({"who": [f"c{at}" for at in range(len(sampled))], "visits": np.arange(len(sampled)) + 0.0})
    features = gauger.prepare(rows, key="who", scale="none")

    def members(_scaling: object, _model: object, wanted: list[int], *_more: object) -> pd.DataFrame:
        asked.append(wanted)
        return pd.DataFrame({"who": ["c0", "far"], "visits": [0.0, 99.0]})

    rule = SimpleNamespace(find_segments=lambda *_: (sampled, None))
    monkeypatch.setattr(segmenting_everyone, "bare_model", lambda *_: SimpleNamespace(rule=rule))
    learned: Any = SimpleNamespace(sample_table=rows, whole=False, scaling=None, customers=100)
    found: Any = SimpleNamespace(sizes=np.array(sizes), centres=None)
    place: Any = SimpleNamespace(members=members)
    both, alike = segmenting_everyone._with_rare_segments(learned, place, features, found)
    assert asked == ([rare] if rare else [])
    assert both["who"].tolist() == [*rows["who"], *(["far"] if rare else [])]
    assert both.index.tolist() == list(range(len(both)))
    assert alike.keys.tolist() == both["who"].tolist()


def test_every_job_is_a_step_and_results_come_in_the_order_of_jobs() -> None:
    with ThreadCrew() as crew, heard_steps() as steps:
        assert crew.total("squares", lambda at: [at**2], [(at,) for at in range(150)]) == [at**2 for at in range(150)]
    assert steps == {"squares": [150, *[1] * 150]}


def test_what_is_seen_in_the_blocks_of_a_part_is_added_up_and_who_is_kept_put_together() -> None:
    blocks = [SimpleNamespace(raw=raw) for raw in (1, 2, 4)]
    reader: Any = SimpleNamespace(customers=lambda _: blocks)
    working: Any = SimpleNamespace(of=lambda raw: raw)
    look: Any = SimpleNamespace(at=lambda raw: (raw, 10 * raw, np.full((2, raw), float(raw))))
    found = look_at_part(reader, working, look, reader)
    assert (found.everyone, found.of_kept) == (7, 70)
    assert found.kept.tolist() == [[1.0, 2.0, 2.0, 4.0, 4.0, 4.0, 4.0]] * 2


def test_a_file_is_too_large_for_the_memory_there_is_and_what_is_no_file_never(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("t.parquet", "t.csv"):
        gauger.write_table(pd.DataFrame({"who": range(90), "visits": range(90)}), tmp_path / name)
        for memory, large in ((10**9, False), (9, True)):
            monkeypatch.setattr(file_parts, "available_bytes", lambda memory=memory: memory)
            assert file_parts.is_too_large(tmp_path / name) is large
    for other in (tmp_path, tmp_path / "none.csv", "postgresql://shop/base", pd.DataFrame()):
        assert not file_parts.is_too_large(other)


def test_the_customers_of_files_now_have_the_figures_of_their_values(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    table = pd.DataFrame({"who": range(60), "visits": rng.gamma(2.0, 3.0, 60), "spend": rng.normal(size=60)})
    model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2))
    now = table.assign(visits=table["visits"] * 3.0 + 1.0, spend=table["spend"].where(table["who"] % 4 > 0))
    for at in (0, 1):
        gauger.write_table(now[30 * at :][:30], tmp_path / f"{at}.parquet")
    parts = file_parts.parts_of(tmp_path, ["who", "visits", "spend"])
    seen = [sums_now(model, parts.rules, None, part).found for part in parts.parts]
    found = customers_now(model, seen[0] + seen[1])
    assert found.customers == 60
    for feature, name in zip(found.features, ("visits", "spend"), strict=True):
        assert feature.mean == pytest.approx(now[name].mean())
        assert feature.standard_deviation == pytest.approx(now[name].std(ddof=0))
        assert feature.missing == now[name].isna().mean()


@pytest.mark.parametrize(("customers", "margin"), [(2, np.inf), (3, 8.0), (4, 2.0), (400, 2.0)])
def test_as_many_are_kept_in_view_as_there_is_room_for(
    customers: int, margin: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    """There is room for two of those at 0, 1, 4 and 10, who are 10, 8, 2 and 10 nearer to one centre than the other."""
    monkeypatch.setattr(coreset_starts, "_KEPT_BYTES", 2 * 8)
    stands: Any = SimpleNamespace(columns=np.array([[0.0, 1.0, 4.0, 10.0]]), weights=np.ones(4))
    assert coreset_starts.margin_for(stands, np.array([[0.0], [10.0]]), customers) == margin
    assert coreset_starts.margin_for(stands, np.array([[0.0]]), customers) == np.inf


def test_passes_over_all_parts_are_counted() -> None:
    crew: Any = SimpleNamespace(total=lambda _name, _work, jobs: jobs, hold=lambda _name, _work, jobs: jobs)
    work = PartsAtWork(["a", "b"], crew)  # type: ignore[list-item]
    assert work.passes == 0
    assert work.total("sums", abs, 1, 2) == [(1, 2, "a"), (1, 2, "b")]
    assert work.hold("looks", abs) == [("a",), ("b",)]
    assert work.passes == 2
