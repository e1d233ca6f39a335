"""Study the count: segment with each number of segments and tabulate what each would give."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import pandas as pd

from gauger.choosing.advice import CountAdvice, advise_count
from gauger.choosing.criteria import Criteria, criteria_by_count, work_of_criteria
from gauger.choosing.evidence import look_for_groups, work_of_evidence
from gauger.choosing.silhouettes import EXACT_UP_TO
from gauger.clustering import segment_by_kmeans
from gauger.clustering.kmeans import refuse_bad_settings
from gauger.errors import SettingError, listed, plural
from gauger.features import FeatureSet
from gauger.progress import task
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
