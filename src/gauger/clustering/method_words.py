"""How segments were made, as a sentence has it."""

from collections.abc import Mapping
from typing import Any

from gauger.wording import listed


def linkage_words(linkage: str) -> str:
    """A linkage as a sentence has it: Ward's linkage, average linkage."""
    return "Ward's linkage" if linkage == "ward" else f"{linkage} linkage"


def words_of(settings: Mapping[str, Any]) -> str:
    """The method of a segmentation's settings, with those that tell it from another of its kind."""
    method = settings["method"]
    if method == "tree":
        return linkage_words(settings["linkage"])
    if method == "density":
        return f"density (radius {settings['radius']:.3g}, min points {settings['min_points']})"
    if method == "density-levels":
        return f"density levels (smallest {settings['smallest']:,}, min points {settings['min_points']})"
    if method == "bands":
        scored = ", scored" if settings["combine"] == "score" else ""
        return f"bands of {listed(settings['bands'], most=4)}{scored}"
    return "k-means"
