"""The documentation's own code can be imported, as its build does."""

import sys
from pathlib import Path

DOCS = Path(__file__).parents[2] / "docs"
sys.path.insert(0, str(DOCS))
