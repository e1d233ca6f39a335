"""Segment the customers in files that memory does not hold, and write the study of them."""

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pandas as pd

from gauger.engine import SAMPLE as SAMPLED
from gauger.engine import PartProfile, PartSegments, treat_parts
from gauger.features import FeatureSet
from gauger.models import SegmentModel
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.study.block_study import (
    FORMATS,
    BlockRequest,
    count_advised,
    learn,
    overview_of,
    segment,
    source_of,
    told_sample,
    working_on,
    write_block_study,
)
from gauger.tables import Source
from gauger.wording import plural

if TYPE_CHECKING:
    from distributed import Client


@dataclass(frozen=True, repr=False, eq=False)
class FileSegments(Readable):
    """Segments of the customers in files, made by `segment_files`.

    Attributes
    ----------
    path : pathlib.Path
        The study's folder.
    model : SegmentModel
        What other customers are assigned by.
    sizes : pandas.Series
        Customers by segment, of everyone.
    customers, left_out : int
        How many were assigned, and how many lack a value and were left out.
    iterations, converged, history : int, bool, pandas.DataFrame
        Of k-means over everyone, as a Segmentation has them.
    wcss : float
        The within-cluster sum of squares of everyone.
    passes : int
        How often all customers were read.
    profile : PartProfile
        What the segments are like, of everyone: `.means`, `.medians`, `.lower_quartiles`, `.upper_quartiles`,
        `.standard_deviations`, and `.known`, how many have a value.
    sample : Segmentation
        A sample of the customers with their segments: the same customers whatever the order of rows and files.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    segment_files : Makes one.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     source = gauger.write_table(table, f"{folder}/base.parquet")
    ...     found = gauger.segment_files(source, f"{folder}/segments", key="who", count=2)
    >>> found.sizes.tolist(), found.converged, found.profile.medians["visits"].tolist()
    ([3, 2], True, [10.0, 1.5, 9.0])
    """

    path: Path
    model: SegmentModel
    sizes: pd.Series
    customers: int
    left_out: int
    converged: bool
    history: pd.DataFrame
    wcss: float
    passes: int
    profile: PartProfile
    sample: Segmentation
    remarks: tuple[Remark, ...] = field(default=())

    @property
    def iterations(self) -> int:
        """How many iterations over everyone were done."""
        return len(self.history)

    def headline(self) -> str:
        count, noun = len(self.sizes), self.sample.noun
        said = f"{count} {plural(count, 'segment')} of {noun.counted(self.customers)} by k-means"
        return f"{said}, in {self.passes} {plural(self.passes, 'pass', 'passes')} over the files"

    def overview(self) -> pd.DataFrame:
        return overview_of(self.sample, self.sizes)


def segment_files(
    source: str | PathLike[str],
    out: str | PathLike[str],
    *,
    key: str,
    count: int | None = None,
    features: Sequence[str] | None = None,
    categories: Sequence[str] | None = None,
    missing: str | float | Mapping[str, str | float] = "refuse",
    flag_missing: Sequence[str] | None = None,
    cap: tuple[float, float] | Mapping[str, tuple[float, float]] | None = None,
    transform: str | Mapping[str, str] | None = None,
    scale: str | Mapping[str, str] = "zscore",
    weight: float | Mapping[str, float] | None = None,
    noun: str | None = None,
    starts: int = 10,
    max_iterations: int = 300,
    seed: int = 0,
    sample: int = SAMPLED,
    format: str = "parquet",  # noqa: A002
    cluster: "str | Client | None" = None,
    workers: int | None = None,
    reading: Mapping[str, Any] | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
) -> FileSegments:
    """Split the customers in files into `count` segments by k-means, block by block, and write the study of them.

    The files may hold more than memory does. The steps are those of `prepare` and `segment_by_kmeans`, and the result
    is theirs but for customers as near to two centres as numbers can tell.

    Parameters
    ----------
    source : str or path-like
        A file (.parquet, .csv, .tsv, .jsonl), a folder of such files, or a pattern such as `base/*.parquet`. All files
        have the key and the features, each of one type.
    out : str or path-like
        The study's folder: `assignments/` with a Parquet part for each part read (or assignments.csv), centres.csv,
        profile.csv, model.json, plan.toml, remarks.json, sample.parquet, figures. All appear together, or none.
    key : str
        The column that identifies a customer: there in every row, and in all files once.
    count : int, optional
        How many segments; by default as a study of the count over the sample advises.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun : optional
        As for `prepare`; by default every numeric column of the first file. Quantiles and means are exact. The scale
        "rank" and the transform "power" cannot be learned by blocks.
    starts, max_iterations, seed : int
        As for `segment_by_kmeans`.
    sample : int
        Customers that are chosen by a hash of their keys, for figures, remarks and the study of the count.
    format : {"parquet", "csv"}
        How assignments are written.
    cluster : str or distributed.Client, optional
        A Dask scheduler's address or a client: the parts are read where its workers are, which must see the files and
        `out` by the same paths. Needs the extra `dask`.
    workers : int, optional
        That many processes of one thread on this machine, instead of threads. Needs the extra `dask`.
    reading : mapping, optional
        The keyword arguments of `read_table` that text needs, such as `{"decimal": ","}`.
    made_at : datetime.datetime, optional
        The time that plan and model bear; by default now.
    replace : bool
        Whether a study that stands in the folder may be replaced.

    Returns
    -------
    FileSegments
        `.model .sizes .history .iterations .converged .wcss .remarks .path`, a profile, and the sample.

    Raises
    ------
    UnknownColumnError, KeyColumnError, MissingValuesError, ColumnValuesError, SettingError
        As `prepare` and `segment_by_kmeans` do.
    TableFileError
        For files that cannot be read, that hold a column of another type, or that change meanwhile.
    ClusterError, MissingPackageError
        For a cluster that is not there, is of another version, or breaks off; and without the extra `dask`.
    OutputError
        When a study is there and `replace` is not set, or results would be among what is read.

    Notes
    -----
    Sums by segment are exact whole numbers, so blocks, files, threads and workers of any number and in any order give
    the same bits. k-means converges on a coreset of 50,000 customers first (Bachem, Lucic & Krause 2018); a full pass
    then keeps those who are hardly nearer to one centre than to another, and as long as centres move less than the
    others are sure of, an iteration over everyone looks at those kept alone, to the same bits.

    References
    ----------
    Lloyd (1982), IEEE Transactions on Information Theory 28(2), 129-137. Hamerly (2010), SIAM Data Mining, 130-140.
    Bachem, Lucic & Krause (2018), Proc. 24th ACM SIGKDD, 1119-1127. Duffield, Lund & Thorup (2007), Journal of the ACM
    54(6), 32.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     for name, part in {"one": table[:2], "two": table[2:]}.items():
    ...         _ = gauger.write_table(part, f"{folder}/{name}.parquet")
    ...     found = gauger.segment_files(f"{folder}/*.parquet", f"{folder}/segments", key="who", count=2)
    >>> found.sizes.to_dict()
    {1: 3, 2: 2}
    """
    preparation = {
        "features": features,
        "categories": categories,
        "missing": missing,
        "flag_missing": flag_missing,
        "cap": cap,
        "transform": transform,
        "scale": scale,
        "weight": weight,
        "noun": noun,
    }
    place = Path(out)
    request = BlockRequest.of(source, key, preparation, dict(reading or {}), format)
    wanted = request.wanted(starts=starts, max_iterations=max_iterations, seed=seed, sample=sample)
    origin = source_of(request, place)
    with request.results(place, replace=replace) as results, working_on(request, cluster, workers) as everyone:
        learned = learn(results, request, wanted, everyone)
        own = count_advised(learned, wanted) if count is None else count
        found = segment(results, request, wanted, learned, own, everyone, made_at=made_at)
        write_block_study(results, found, origin, made_at=made_at)
    return result_of(place, found)


def prepare_files(
    source: Source,
    *,
    key: str,
    features: Sequence[str] | None = None,
    categories: Sequence[str] | None = None,
    missing: str | float | Mapping[str, str | float] = "refuse",
    flag_missing: Sequence[str] | None = None,
    cap: tuple[float, float] | Mapping[str, tuple[float, float]] | None = None,
    transform: str | Mapping[str, str] | None = None,
    scale: str | Mapping[str, str] = "zscore",
    weight: float | Mapping[str, float] | None = None,
    noun: str | None = None,
    sample: int = SAMPLED,
    seed: int = 0,
    cluster: "str | Client | None" = None,
    workers: int | None = None,
    reading: Mapping[str, Any] | None = None,
) -> FeatureSet:
    """Prepare a sample of the customers in files as everyone is prepared, to study how many segments there are.

    Parameters
    ----------
    source : str, path-like or sequence of them
        As for `segment_files`, or a list of files.
    key : str
        The column that identifies a customer.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun : optional
        As for `segment_files`: learned from everyone.
    sample : int
        How many customers: those whose keys have the smallest hashes, the same whatever the order of rows and files.
    seed : int
        Another seed takes other customers.
    cluster, workers, reading : optional
        As for `segment_files`.

    Returns
    -------
    FeatureSet
        The sample, called so ("sampled members") unless it is everyone. A remark says how large it is.

    Raises
    ------
    GaugerError
        As `segment_files` does.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     source = gauger.write_table(table, f"{folder}/base.parquet")
    ...     sample = gauger.prepare_files(source, key="who", sample=3)
    >>> sample.keys.size, sample.noun.many
    (3, 'sampled customers')
    """
    preparation = {
        "features": features,
        "categories": categories,
        "missing": missing,
        "flag_missing": flag_missing,
        "cap": cap,
        "transform": transform,
        "scale": scale,
        "weight": weight,
        "noun": noun,
    }
    request = BlockRequest.of(source, key, preparation, dict(reading or {}), FORMATS[0])
    wanted = request.wanted(sample=sample, seed=seed)
    with working_on(request, cluster, workers) as everyone, tempfile.TemporaryDirectory(prefix="gauger-") as scratch:
        return told_sample(treat_parts(request.parts, wanted, everyone, Path(scratch)))


def result_of(place: Path, found: PartSegments) -> FileSegments:
    """What was found, with where it stands."""
    return FileSegments(
        place,
        found.model,
        found.sizes,
        found.customers,
        found.left_out,
        found.converged,
        found.history,
        found.wcss,
        found.passes,
        found.profile,
        found.sample,
        found.remarks,
    )
