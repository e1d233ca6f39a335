"""The reference of the remarks, from their register."""

from itertools import groupby

from gauger.remark_register import REMARKS

_TITLES = {
    "reading": "Reading",
    "looking": "Looking at a table",
    "events": "Events and series",
    "features": "Features",
    "count": "How many segments",
    "segments": "Segments",
    "density": "Density",
    "trees": "Merge trees",
    "profiles": "Profiles and comparisons",
    "studies": "Studies and plans",
    "models": "Models, drift and migration",
    "campaigns": "Campaigns",
}

_INTRO = """
# Remarks

A remark is a caution, not an error: true, worth knowing, and the work goes on. It comes with the result it is about: in a
terminal below the table, in Python as `.remarks`, in a notebook folded, in the report in its last part. Its code stays the
same, so scripts can ask for it: `remark.code`, `remark.text`, `remark.to_do`, `remark.features`, `remark.segments`. A plan
may refuse any of them, and then it is an error:

```toml
[remarks]
refuse = ["raw-scales", "few-customers"]
```
"""


def pages() -> dict[str, str]:
    """The page, by its place."""
    parts = [_INTRO.strip()]
    for about, kinds in groupby(REMARKS.values(), key=lambda kind: kind.about):
        rows = [
            f"(remark-{kind.code})=\n`{kind.code}`\n: {_first_up(kind.says)}.\n: *What to do:* {kind.to_do}."
            for kind in kinds
        ]
        parts += [f"## {_TITLES[about]}", "\n\n".join(rows)]
    return {"reference/remarks.md": "\n\n".join(parts) + "\n"}


def _first_up(text: str) -> str:
    return text[0].upper() + text[1:]
