"""Segment the customers in files that memory does not hold, and write the study of them."""

import json
import shutil
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from dataclasses import replace as replace_in
from datetime import UTC, datetime
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pandas as pd

from gauger.choosing import study_counts
from gauger.engine import (
    SAMPLE as SAMPLED,
)
from gauger.engine import (
    Everyone,
    PartProfile,
    Parts,
    PartSegments,
    Treated,
    Wanted,
    crew_for,
    first_block,
    parts_of,
    refuse_output_among,
    segment_parts,
    treat_parts,
)
from gauger.errors import SettingError
from gauger.features import FeatureSet, numeric_columns
from gauger.models import SegmentModel, save_model
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.study.describing import plan_of
from gauger.study.drawing import segments_figure
from gauger.study.files import ASSIGNED_PARTS, ASSIGNMENTS, CENTRES, MODEL, PROFILE, REMARKS, SAMPLE
from gauger.study.finding import Found
from gauger.study.method_files import add_method_files
from gauger.study.plan import FiguresPart, Plan, SourcePart
from gauger.study.plan_files import PLAN_FILE, text_of
from gauger.study.sampled import as_sample
from gauger.study.saving import study_results
from gauger.study.sources import source_part
from gauger.tables import ReadingRules, Results, joined_csv
from gauger.wording import plural

if TYPE_CHECKING:
    from distributed import Client

    from gauger.engine import Source

FORMATS = ("parquet", "csv")


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
    iterations, converged, history
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


def overview_of(sample: Segmentation, sizes: pd.Series) -> pd.DataFrame:
    """The segments of everyone: name, customers and centre."""
    return sample.overview().assign(customers=sizes.to_numpy())


def segment_files(
    source: "Source",
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
    source : str, path-like or sequence of them
        A file (.parquet, .csv, .tsv, .jsonl), a folder of such files, a pattern such as `base/*.parquet`, or a list.
        All files have the key and the features, each of one type.
    out : str or path-like
        The study's folder: `assignments/` with a Parquet part for each part read (or assignments.csv), centres.csv,
        profile.csv, model.json, plan.toml, remarks.json, sample.parquet, figures. All appear together, or none.
    key : str
        The column that identifies a customer: there in every row, and in all files once.
    count : int, optional
        How many segments; by default as a study of the count over the sample advises.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun
        As for `prepare`; by default every numeric column of the first file. Quantiles and means are exact. The scale
        "rank" and the transform "power" cannot be learned by blocks.
    starts, max_iterations, seed
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
    with request.results(place, replace=replace) as results, working_on(request, cluster, workers) as everyone:
        learned = learn(results, request, wanted, everyone)
        own = count_advised(learned, wanted) if count is None else count
        found = segment(results, request, wanted, learned, own, everyone, made_at=made_at)
        write_block_study(results, found, source_of(request, place), made_at=made_at)
    return result_of(place, found)


def prepare_files(
    source: "Source",
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
        As for `segment_files`.
    key : str
        The column that identifies a customer.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun
        As for `segment_files`: learned from everyone.
    sample : int
        How many customers: those whose keys have the smallest hashes, the same whatever the order of rows and files.
    seed : int
        Another seed takes other customers.
    cluster, workers, reading
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
    >>> sample
    3 sampled customers by who, 1 feature
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


def told_sample(learned: Treated) -> FeatureSet:
    """The sample of what was learned, with a remark that says how large it is."""
    sampled, customers = len(learned.sample.keys), learned.survey.kept
    if sampled == customers:
        return learned.sample
    text = f"what follows is of a sample of {sampled:,} out of {customers:,}, chosen by a hash of {learned.sample.key}."
    remarks = (Remark("sample-of-all", text), *learned.sample.remarks)
    return as_sample(replace_in(learned.sample, remarks=remarks))


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


@dataclass(frozen=True, eq=False)
class BlockRequest:
    """Customers in files that are to be segmented: where they are, how they are read and prepared."""

    source: "Source"
    parts: Parts
    key: str
    preparation: Mapping[str, Any]
    reading: Mapping[str, Any]
    format: str

    @classmethod
    def of(
        cls,
        source: "Source",
        key: str,
        preparation: Mapping[str, Any],
        reading: Mapping[str, Any],
        format: str,  # noqa: A002
    ) -> "BlockRequest":
        """A request whose files have been found to have what it asks for."""
        if format not in FORMATS:
            raise SettingError.not_one_of("format", format, FORMATS)
        for setting in ("features", "categories", "flag_missing"):
            given = preparation.get(setting)
            if isinstance(given, str):
                raise SettingError(f"{setting}={given!r} must be a list of names: {setting}=[{given!r}].")
        rules = ReadingRules(**reading)
        if preparation.get("features") is None:
            head = first_block(source, rules)
            chosen = numeric_columns(head, key)
            categories = preparation.get("categories") or ()
            preparation = {**preparation, "features": [name for name in chosen if name not in categories]}
        needed = [key, *preparation["features"], *(preparation.get("categories") or ())]
        return cls(source, parts_of(source, needed, rules), key, preparation, dict(reading), format)

    def wanted(self, **settings: Any) -> Wanted:
        """The same with the settings of k-means."""
        return Wanted(self.key, self.preparation, **settings)

    @property
    def assignments(self) -> list[str]:
        """The files of assignments, one a part that is read, or a csv."""
        if self.format == "csv":
            return [ASSIGNMENTS]
        return [f"{ASSIGNED_PARTS}/{name}" for name in self.parts.names_of_pieces(".parquet")]

    @contextmanager
    def results(self, folder: Path, *, replace: bool, also: Sequence[str] = ()) -> Iterator[Results]:
        """The folder of the study that is being made."""
        refuse_output_among(self.source, folder)
        with study_results(
            folder, replace=replace, sources=self.parts.files, also=also, assignments=self.assignments
        ) as results:
            yield results


@contextmanager
def working_on(
    request: BlockRequest, cluster: "str | Client | None" = None, workers: int | None = None
) -> Iterator[Everyone]:
    """Everyone in the files of a request, and the crew that works on them."""
    with crew_for(cluster, workers) as crew:
        yield Everyone(request.parts.parts, crew)


def learn(results: Results, request: BlockRequest, wanted: Wanted, everyone: Everyone) -> Treated:
    """What is learned of the features; hashes of keys go into a folder that is gone with the results' stage."""
    scratch = Path(tempfile.mkdtemp(dir=results.stage.parent))
    return treat_parts(request.parts, wanted, everyone, scratch)


def count_advised(learned: Treated, wanted: Wanted) -> int:
    """The count that a study of the sample advises."""
    return study_counts(learned.sample, starts=wanted.starts, seed=wanted.seed).advice.count


def segment(
    results: Results,
    request: BlockRequest,
    wanted: Wanted,
    learned: Treated,
    count: int,
    everyone: Everyone,
    *,
    made_at: datetime | None = None,
) -> PartSegments:
    """Segment everyone, and write who is where."""
    if request.format == "parquet":
        outs = [results.path(name) for name in request.assignments]
        return segment_parts(request.parts, learned, wanted, count, everyone, outs, made_at=made_at)
    pieces = Path(tempfile.mkdtemp(dir=results.stage.parent))
    outs = [pieces / name.replace("/", "-") for name in request.parts.names_of_pieces(".csv")]
    found = segment_parts(request.parts, learned, wanted, count, everyone, outs, made_at=made_at)
    joined_csv(outs, results.path(ASSIGNMENTS))
    shutil.rmtree(pieces)
    return found


def source_of(request: BlockRequest, folder: Path) -> SourcePart:
    """The source of a study in a folder, as its plan says it."""
    if not isinstance(request.source, (str, PathLike)):
        raise SettingError("a plan names one source: give a folder or a pattern such as base/*.parquet, not a list.")
    part = source_part(request.source, folder, dict(request.reading))
    return part.model_copy(update={"bytes": request.parts.bytes})


def write_block_study(
    results: Results,
    found: PartSegments,
    source: SourcePart,
    *,
    base: Plan | None = None,
    figures: FiguresPart | None = None,
    made_at: datetime | None = None,
) -> Plan:
    """Write what a study by blocks has beside its assignments."""
    sample, time = found.sample, made_at or datetime.now(UTC)
    read = source.model_copy(update={"rows": found.customers + found.left_out})
    plan = plan_of(sample, read, base=base, figures=figures, made_at=time)
    results.add_table(CENTRES, overview_of(sample, found.sizes).reset_index())
    results.add_table(PROFILE, found.profile.table())
    results.add_table(SAMPLE, found.sample_table)
    save_model(found.model, results.path(MODEL))
    results.path(PLAN_FILE).write_text(text_of(plan), encoding="utf-8")
    content = [asdict(one) for one in found.remarks]
    results.path(REMARKS).write_text(json.dumps(content, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    shown = as_sampled(sample, found.customers)
    results.add_figure("segments.png", segments_figure(shown, plan.figures))
    add_method_files(results, Found(shown), plan.figures)
    return plan


def as_sampled(sample: Segmentation, customers: int) -> Segmentation:
    """A sample that says it is one, unless it is everyone."""
    if len(sample.codes) == customers:
        return sample
    return replace_in(sample, features=as_sample(sample.features))
