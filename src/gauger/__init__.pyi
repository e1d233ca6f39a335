from . import draw as draw
from . import errors as errors
from .campaigns import HandOff as HandOff
from .campaigns import HandOffRules as HandOffRules
from .campaigns import Outcome as Outcome
from .campaigns import measure as measure
from .choosing import (
    CountAdvice as CountAdvice,
)
from .choosing import (
    CountStudy as CountStudy,
)
from .choosing import (
    LinkageAdvice as LinkageAdvice,
)
from .choosing import (
    LinkageStudy as LinkageStudy,
)
from .choosing import (
    MetricAdvice as MetricAdvice,
)
from .choosing import (
    MetricStudy as MetricStudy,
)
from .choosing import (
    RadiusAdvice as RadiusAdvice,
)
from .choosing import (
    RadiusStudy as RadiusStudy,
)
from .choosing import (
    Silhouette as Silhouette,
)
from .choosing import (
    silhouette as silhouette,
)
from .choosing import (
    study_counts as study_counts,
)
from .choosing import (
    study_linkages as study_linkages,
)
from .choosing import (
    study_metrics as study_metrics,
)
from .choosing import (
    study_radius as study_radius,
)
from .clustering import (
    MergeTree as MergeTree,
)
from .clustering import (
    build_tree as build_tree,
)
from .clustering import (
    segment_by_bands as segment_by_bands,
)
from .clustering import (
    segment_by_density as segment_by_density,
)
from .clustering import (
    segment_by_density_levels as segment_by_density_levels,
)
from .clustering import (
    segment_by_kmeans as segment_by_kmeans,
)
from .columns import OpenTable as OpenTable
from .columns import TableLook as TableLook
from .columns import look as look
from .demo import demo_file as demo_file
from .errors import GaugerError as GaugerError
from .features import (
    Behaviour as Behaviour,
)
from .features import (
    EventColumns as EventColumns,
)
from .features import (
    EventScope as EventScope,
)
from .features import (
    FeatureSet as FeatureSet,
)
from .features import (
    events_sql as events_sql,
)
from .features import (
    pivot_series as pivot_series,
)
from .features import (
    prepare as prepare,
)
from .features import (
    prepare_alike as prepare_alike,
)
from .features import (
    summarise_events as summarise_events,
)
from .models import (
    SegmentModel as SegmentModel,
)
from .models import (
    build_model as build_model,
)
from .models import (
    load_model as load_model,
)
from .monitoring import (
    Drift as Drift,
)
from .monitoring import (
    DriftAdvice as DriftAdvice,
)
from .monitoring import (
    Migration as Migration,
)
from .monitoring import (
    drift as drift,
)
from .monitoring import (
    migration as migration,
)
from .profiling import (
    Comparison as Comparison,
)
from .profiling import (
    Profile as Profile,
)
from .profiling import (
    compare as compare,
)
from .profiling import (
    members as members,
)
from .profiling import (
    profile as profile,
)
from .profiling import (
    profile_assignments as profile_assignments,
)
from .profiling import (
    segmentation_from_assignments as segmentation_from_assignments,
)
from .progress import listening as listening
from .remarks import Remark as Remark
from .remarks import remarks_of as remarks_of
from .report import Provenance as Provenance
from .report import hand_off as hand_off
from .segmentation import FeatureSummary as FeatureSummary
from .segmentation import Segmentation as Segmentation
from .sources import Assignments as Assignments
from .sources import Execution as Execution
from .sources import open_table as open_table
from .study import (
    Plan as Plan,
)
from .study import (
    PlanDraft as PlanDraft,
)
from .study import (
    Study as Study,
)
from .study import (
    draft_plan as draft_plan,
)
from .study import (
    name_study as name_study,
)
from .study import (
    open_study as open_study,
)
from .study import (
    read_plan as read_plan,
)
from .study import (
    run_plan as run_plan,
)
from .study import (
    save_study as save_study,
)
from .study import (
    write_report as write_report,
)
from .study import (
    write_workbook as write_workbook,
)
from .tables import read_table as read_table
from .tables import write_table as write_table

__version__: str
