"""Gauger: behavioural customer segments you can trust, from a table of events to a campaign's audience."""

from importlib import import_module
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gauger import drawing as draw
    from gauger.choosing import (
        CountAdvice,
        CountStudy,
        LinkageStudy,
        MetricStudy,
        RadiusAdvice,
        RadiusStudy,
        Silhouette,
        silhouette,
        study_counts,
        study_linkages,
        study_metrics,
        study_radius,
    )
    from gauger.clustering import (
        MergeTree,
        build_tree,
        segment_by_bands,
        segment_by_density,
        segment_by_density_levels,
        segment_by_kmeans,
    )
    from gauger.demo import demo_file
    from gauger.errors import GaugerError
    from gauger.features import FeatureSet, events_sql, pivot_series, prepare, prepare_alike, summarise_events
    from gauger.handoff import HandOff, Outcome, hand_off, measure
    from gauger.models import (
        Drift,
        Migration,
        SegmentModel,
        StreamedAssignments,
        assign_file,
        build_model,
        drift,
        load_model,
        migration,
    )
    from gauger.profiling import Comparison, Profile, compare, members, profile, profile_assignments
    from gauger.progress import listening
    from gauger.remarks import Remark, remarks_of
    from gauger.segmentation import Segmentation
    from gauger.tables import TableLook, look, read_table, write_table

__version__ = "0.1.0"

__all__ = [
    "Comparison",
    "CountAdvice",
    "CountStudy",
    "Drift",
    "FeatureSet",
    "GaugerError",
    "HandOff",
    "LinkageStudy",
    "MergeTree",
    "MetricStudy",
    "Migration",
    "Outcome",
    "Profile",
    "RadiusAdvice",
    "RadiusStudy",
    "Remark",
    "SegmentModel",
    "Segmentation",
    "Silhouette",
    "StreamedAssignments",
    "TableLook",
    "assign_file",
    "build_model",
    "build_tree",
    "compare",
    "demo_file",
    "draw",
    "drift",
    "events_sql",
    "hand_off",
    "listening",
    "load_model",
    "look",
    "measure",
    "members",
    "migration",
    "pivot_series",
    "prepare",
    "prepare_alike",
    "profile",
    "profile_assignments",
    "read_table",
    "remarks_of",
    "segment_by_bands",
    "segment_by_density",
    "segment_by_density_levels",
    "segment_by_kmeans",
    "silhouette",
    "study_counts",
    "study_linkages",
    "study_metrics",
    "study_radius",
    "summarise_events",
    "write_table",
]

_ROOMS = {
    "Comparison": "profiling",
    "CountAdvice": "choosing",
    "CountStudy": "choosing",
    "Drift": "models",
    "FeatureSet": "features",
    "GaugerError": "errors",
    "HandOff": "handoff",
    "LinkageStudy": "choosing",
    "MergeTree": "clustering",
    "MetricStudy": "choosing",
    "Migration": "models",
    "Outcome": "handoff",
    "Profile": "profiling",
    "RadiusAdvice": "choosing",
    "RadiusStudy": "choosing",
    "Remark": "remarks",
    "SegmentModel": "models",
    "Segmentation": "segmentation",
    "Silhouette": "choosing",
    "StreamedAssignments": "models",
    "TableLook": "tables",
    "assign_file": "models",
    "build_model": "models",
    "build_tree": "clustering",
    "compare": "profiling",
    "demo_file": "demo",
    "drift": "models",
    "events_sql": "features",
    "hand_off": "handoff",
    "listening": "progress",
    "load_model": "models",
    "look": "tables",
    "measure": "handoff",
    "members": "profiling",
    "migration": "models",
    "pivot_series": "features",
    "prepare": "features",
    "prepare_alike": "features",
    "profile": "profiling",
    "profile_assignments": "profiling",
    "read_table": "tables",
    "remarks_of": "remarks",
    "segment_by_bands": "clustering",
    "segment_by_density": "clustering",
    "segment_by_density_levels": "clustering",
    "segment_by_kmeans": "clustering",
    "silhouette": "choosing",
    "study_counts": "choosing",
    "study_linkages": "choosing",
    "study_metrics": "choosing",
    "study_radius": "choosing",
    "summarise_events": "features",
    "write_table": "tables",
}


def __getattr__(name: str) -> object:
    if name == "draw":
        return import_module("gauger.drawing")
    if name not in _ROOMS:
        raise AttributeError(f"module 'gauger' has no attribute {name!r}")
    return getattr(import_module(f"gauger.{_ROOMS[name]}"), name)


def __dir__() -> list[str]:
    return __all__
