"""The whole example as a function: what it writes and what it tells."""

from pathlib import Path

import pytest

import gauger
from gauger.demo.walkthrough import OUTPUTS, walk_through
from gauger.errors import OutputError


def test_it_writes_every_output_and_tells_each_step(tmp_path: Path) -> None:
    told: list[tuple[str, str]] = []
    cautions: list[str] = []
    walk_through(
        tmp_path / "out",
        tell=lambda step, text: told.append((step, text)),
        caution=lambda remarks: cautions.extend(remark.code for remark in remarks),
    )
    written = {str(path.relative_to(tmp_path / "out")) for path in (tmp_path / "out").rglob("*.*")}
    assert written == set(OUTPUTS)
    steps = [step for step, _ in told if step]
    assert [step[0] for step in steps[:6]] == list("123456")
    assert steps[6:] == ["In short", "Open next"]
    assert "constant" in cautions
    table = gauger.read_table(tmp_path / "out" / "assignments.csv")
    assert len(table) == 2355
    assert sorted(table["segment"].unique()) == [1, 2, 3, 4, 5, 6]
    with pytest.raises(OutputError, match="are there already"):
        walk_through(tmp_path / "out")
