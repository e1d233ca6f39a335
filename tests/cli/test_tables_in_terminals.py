"""A table in a terminal of any width: no number is ever broken, no column is lost."""

import io

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console

from gauger.cli import console

NAMES = st.lists(st.text("abc_ xyz", min_size=1, max_size=40), min_size=1, max_size=9, unique=True)


@given(
    st.sampled_from([60, 80, 100]),
    NAMES,
    st.lists(st.sampled_from([0.0, 3.25, 123_456_789.0, -17.5, float("nan")]), min_size=9, max_size=9),
    st.text("abc def", max_size=60),
)
def test_numbers_stay_whole_and_every_column_is_shown(
    width: int, names: list[str], values: list[float], text: str
) -> None:
    frame = pd.DataFrame({name: [value] for name, value in zip(names, values, strict=False)}, index=["row"])
    frame["words"] = [text]
    with pytest.MonkeyPatch.context() as patch:
        terminal = Console(width=width, highlight=False, record=True, file=io.StringIO())
        patch.setattr(console, "_console", lambda **_: terminal)
        console.table(frame)
    shown = terminal.export_text()
    assert all(len(line.rstrip()) <= max(width, 45) for line in shown.splitlines())
    for value in frame.iloc[0, :-1]:
        assert console.cell(value) in shown.split()
    together = "".join(shown.split())
    for name in names:
        assert all(part in together for part in name.split())


def test_a_table_that_fits_is_left_as_it_is() -> None:
    columns = [console._Column.of("n", ["a"], folds=True), console._Column.of("visits", [1.0])]
    (part,) = console._parts(columns, 80)
    assert [column.width for column in part] == [None, None]
