"""What every function asks of a table: a DataFrame, names once, the columns it needs."""

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError

TABLE = pd.DataFrame({"who": list("abc"), "visits": [1, 2, 9]})


def test_column_names_that_are_numbers_become_text() -> None:
    table = pd.DataFrame(np.arange(6.0).reshape(3, 2)).assign(who=list("abc"))
    assert gauger.prepare(table, key="who").names == ("0", "1")
    assert gauger.look(table).columns.index.tolist() == ["0", "1", "who"]


@pytest.mark.parametrize(
    ("table", "message"),
    [
        ([1, 2], r"a table must be a pandas DataFrame, or .*; this is a list"),
        (pd.concat([TABLE, TABLE[["visits"]]], axis=1), "has 'visits' more than once"),
        (TABLE.set_index("who"), r"'who' is the table's index, not a column: use table\.reset_index\(\)"),
    ],
)
def test_a_table_of_another_shape_is_refused_with_the_way_out(table: pd.DataFrame, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        gauger.prepare(table, key="who")
    with pytest.raises(SettingError, match=message):
        gauger.look(table, key="who")
