"""Whatever the blocks, the files, the order of rows and who works on them: the same bits."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gauger
from tests.examples import examples
from tests.own_segments import files_segmented, written
from tests.sources.files.made_up import PREPARATION, made_up_members, split


def _segments(folder: Path, count: int = 3, **changed: object) -> tuple[str, dict[object, int]]:
    """The model as text, and everyone's segment."""
    out = folder.parent / f"{folder.name}-out"
    settings = {**PREPARATION, **changed}
    found = files_segmented(folder, out, key="who", count=count, sample=150, starts=2, replace=True, **settings)
    codes = written(found)
    told = _told(found.seg.model)
    return json.dumps(told), dict(zip(codes["who"], codes["segment"], strict=True))


def _told(model: gauger.SegmentModel) -> object:
    from gauger.models.form import ModelPart

    content = ModelPart.of(model)
    content["origin"].pop("made_at")
    return content


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> tuple[str, dict[object, int]]:
    folder = tmp_path_factory.mktemp("whole") / "base"
    split(folder, made_up_members(0, 400), [], 1_000)
    return _segments(folder)


@pytest.mark.slow
@examples(8)
@given(ends=st.lists(st.integers(0, 400), max_size=4), rows_in_group=st.integers(3, 400), order=st.integers(0, 2**32))
def test_any_split_of_a_table_gives_the_same_bits(
    ends: list[int],
    rows_in_group: int,
    order: int,
    whole: tuple[str, dict[object, int]],
    tmp_path_factory: pytest.TempPathFactory,
) -> None:
    folder = tmp_path_factory.mktemp("split") / "base"
    table = made_up_members(0, 400).iloc[np.random.default_rng(order).permutation(400)]
    split(folder, table, ends, rows_in_group)
    assert _segments(folder) == whole
