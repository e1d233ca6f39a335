"""The manifest of a hand-off: the account of who went in and who did not."""

import json
import math
from collections.abc import Mapping
from importlib.metadata import version
from pathlib import Path
from typing import Any

import pandas as pd
from pydantic import ValidationError

from gauger.algorithms.statistics import LEVEL
from gauger.campaigns.arms import POWER
from gauger.campaigns.eligible import DUPLICATE_RULE, STEPS
from gauger.campaigns.manifest_form import ManifestForm
from gauger.errors import MissingFileError, ModelFileError

FORMAT, VERSION = "gauger hand-off", 1
"""What a manifest says it is, and the form it has."""

MANIFEST, PAGE = "manifest.json", "manifest.html"

_MATCH_RULE = (
    "SHA-256, in hexadecimal, of the e-mail address in small letters (NFKC, its domain in ASCII), or of the telephone "
    "number as + and digits (ITU-T E.164), both as UTF-8. Each hash stands once; no plain address is beside it."
)


def manifest_of(
    *,
    campaign: str,
    made_at: str,
    key: str,
    settings: dict[str, Any],
    names: Mapping[int, str],
    waterfall: pd.DataFrame,
    holdouts: pd.DataFrame,
    files: list[dict[str, Any]],
    fingerprint: str | None,
    unmatched: dict[str, int],
) -> dict[str, Any]:
    """What was done, who went where, and what was written; no key and no address."""
    steps = {
        str(row): {name: int(value) for name, value in counts.drop("name").items()}
        for row, counts in waterfall.iterrows()
    }
    return {
        "format": FORMAT,
        "version": VERSION,
        "campaign": campaign,
        "made_at": made_at,
        "made_by": f"Gauger {version('gauger')}",
        "model": fingerprint,
        "key": key,
        "segments": {str(number): name for number, name in names.items()},
        "settings": settings,
        "waterfall": {"steps": ["everyone", *STEPS], "customers": steps},
        "holdouts": [
            {
                "segment": row["segment"],
                "name": row["name"],
                "contacted": row["contacted"],
                "holdout": row["holdout"],
                "smallest_uplift": None if math.isnan(row["uplift"]) else round(row["uplift"], 6),
            }
            for row in holdouts.reset_index().to_dict("records")
        ],
        "power": {"power": POWER, "level": LEVEL, "base_rate": settings["base_rate"]},
        "rules": {"duplicates": DUPLICATE_RULE, **({"match": _MATCH_RULE} if unmatched else {})},
        "without_usable_address": unmatched,
        "files": files,
    }


def write_manifest(folder: Path, manifest: dict[str, Any], page: str) -> None:
    """manifest.json for programs, and manifest.html, the page, for people."""
    text = json.dumps(manifest, ensure_ascii=False, indent=1, allow_nan=False)
    (folder / MANIFEST).write_text(text + "\n", encoding="utf-8")
    (folder / PAGE).write_text(page, encoding="utf-8")


def read_manifest(path: Path) -> dict[str, Any]:
    """A manifest from its file, or the folder that it stands in.

    Raises MissingFileError, and ModelFileError for what is no manifest.
    """
    file = path / MANIFEST if path.is_dir() else path
    if not file.is_file():
        raise MissingFileError.at(file)
    try:
        found = json.loads(file.read_text(encoding="utf-8"))
    except (ValueError, RecursionError) as error:
        raise ModelFileError(f"{file} cannot be read as a manifest: it is no JSON. Copy it again.") from error
    try:
        ManifestForm.model_validate(found)
    except ValidationError as error:
        index = ".".join(map(str, error.errors()[0]["loc"])) or "the whole"
        raise ModelFileError(
            f"{file} is not the manifest of a hand-off that this Gauger can read ({index}). Copy it again."
        ) from error
    return dict(found)
