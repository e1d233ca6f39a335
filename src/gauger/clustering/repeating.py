"""Segments made again from the settings of an earlier segmentation, or read back with all that their method knows."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from gauger.clustering.bands import bands_refit, segment_by_bands
from gauger.clustering.density_at_radius import density_refit, segment_by_density
from gauger.clustering.density_levels import levels_refit, segment_by_density_levels
from gauger.clustering.kmeans import kmeans_refit, segment_by_kmeans
from gauger.clustering.merge_tree import cut_refit
from gauger.clustering.tree_building import build_tree
from gauger.errors import SettingError
from gauger.features import FeatureSet
from gauger.segmentation import AssignmentRule, Refit, Segmentation

METHODS = ("kmeans", "tree", "density", "density-levels", "bands")
"""The methods that segments are made by, as settings call them."""

_CUT = ("count", "height")
_OF_A_TREE = ("linkage", "metric", "p", "band", "lag")
"""Settings that say where a tree is cut, and those that other customers' trees are built by."""


def segment_again(features: FeatureSet, settings: Mapping[str, Any]) -> Segmentation:
    """Segments by the settings of an earlier segmentation: its `.settings`.

    Raises SettingError where they cannot be repeated, and what the method raises.
    """
    if "not_repeatable" in settings:
        raise SettingError(f"these segments cannot be made again: {settings['not_repeatable']}.")
    method, own = settings["method"], {name: value for name, value in settings.items() if name != "method"}
    if method == "kmeans":
        memory = {name: value for name, value in own.items() if name not in ("count", "out_of_core", "into", "sample")}
        return segment_by_kmeans(features, own["count"], **memory)
    if method == "density":
        return segment_by_density(features, own.pop("radius"), **own)
    if method == "density-levels":
        return segment_by_density_levels(features, own.pop("smallest"), **own)
    if method == "bands":
        return segment_by_bands(features, own.pop("bands"), **own)
    cut = {name: own.pop(name) for name in _CUT}
    return build_tree(features, **own).cut(**cut)


def refit_of(settings: Mapping[str, Any], count: int) -> Refit | None:
    """How the method of these settings segments other customers; None where that is not known."""
    method = settings.get("method")
    if "not_repeatable" in settings and method != "kmeans":
        return None
    if method == "kmeans":
        return kmeans_refit(count)
    if method == "tree":
        own: dict[str, Any] = {name: settings[name] for name in _OF_A_TREE if settings.get(name) is not None}
        regrown = partial(build_tree, **own)
        return cut_refit(regrown, count)
    if method == "density":
        return density_refit(settings["radius"], settings["min_points"], settings["metric"])
    if method == "density-levels":
        return levels_refit(settings["smallest"], settings["min_points"], settings["metric"])
    if method == "bands":
        return bands_refit(settings["bands"], settings["combine"], settings["low_is_good"], settings.get("score_bands"))
    return None


def rule_of(settings: Mapping[str, Any]) -> AssignmentRule | None:
    """How other customers find their segment, by the method of these settings; None where that is not known."""
    method, metric = settings.get("method"), settings.get("metric", "euclidean")
    if "not_repeatable" in settings and method != "kmeans":
        return None
    if method == "kmeans":
        return AssignmentRule("centre")
    if method == "density":
        return AssignmentRule("core", metric, settings["radius"])
    if method in ("tree", "density-levels"):
        return AssignmentRule("customer", metric)
    return AssignmentRule("bands") if method == "bands" else None
