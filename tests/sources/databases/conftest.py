from pathlib import Path

import pytest
from own_databases import Shop, own_shop


@pytest.fixture(params=["duckdb", "sqlite", "postgres"])
def shop(request: pytest.FixtureRequest, tmp_path: Path) -> Shop:
    """An empty database of each kind that customers are segmented in."""
    return own_shop(request.param, request, tmp_path)
