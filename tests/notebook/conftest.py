"""Here figures are drawn as users see them."""

import pytest


@pytest.fixture(autouse=True)
def _drawn(drawn: None) -> None:
    return drawn
