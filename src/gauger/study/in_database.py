"""Segment the customers of a database inside it, and write the study of them."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext
from dataclasses import dataclass, field, replace
from datetime import datetime
from os import PathLike
from pathlib import Path
from typing import Any

import pandas as pd

from gauger.engine import SAMPLE, PartProfile, PartSegments, Wanted
from gauger.features import FeatureSet
from gauger.models import SegmentModel
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import Segmentation
from gauger.study.block_study import as_sampled, overview_of, write_block_study
from gauger.study.plan import FiguresPart, Plan
from gauger.study.sampled import as_sample
from gauger.study.saving import study_results
from gauger.study.sources import source_part
from gauger.tables import Results, Session, approve_typed, transaction
from gauger.warehouse import Destination, features_of_sample, numeric_columns_of, segment_table
from gauger.wording import plural


@dataclass(frozen=True, repr=False, eq=False)
class DatabaseSegments(Readable):
    """Segments of the customers in a database, made there by `segment_in_database`.

    Attributes
    ----------
    into : str
        The table there that says who is in which segment; the centres are in the one called so with `_centres`.
    path : pathlib.Path, optional
        The study's folder, where one was asked for.
    model : SegmentModel
        What other customers are assigned by.
    sizes : pandas.Series
        Customers by segment.
    centres : pandas.DataFrame
        A row a segment: name, customers, and the centre in original units.
    customers, left_out : int
        How many were assigned, and how many lack a value and were left out.
    iterations, converged : int, bool
        Of k-means over everyone, as a Segmentation has them.
    history : pandas.DataFrame
        A row an iteration: wcss after it, moved_at_least (how many must have changed segment, by how sizes changed) and
        shift (the longest way a centre went, working scale).
    wcss : float
        The within-cluster sum of squares of everyone.
    profile : PartProfile
        What the segments are like, of everyone: `.means`, `.medians`, `.lower_quartiles`, `.upper_quartiles`,
        `.standard_deviations`, and `.known`, how many have a value.
    sample : Segmentation, optional
        The customers who were fetched with their segments, where a sample was asked for.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    segment_in_database : Makes one.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(70) AS t(i)")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     found = gauger.segment_in_database(url, table="base", into="segments", key="who", count=2)
    >>> found.sizes.tolist(), found.converged, found.profile.medians["visits"].tolist()
    ([42, 28], True, [1.0, 12.5, 4.0])
    """

    into: str
    path: Path | None
    model: SegmentModel
    sizes: pd.Series
    centres: pd.DataFrame
    customers: int
    left_out: int
    converged: bool
    history: pd.DataFrame
    wcss: float
    profile: PartProfile
    sample: Segmentation | None
    remarks: tuple[Remark, ...] = field(default=())

    @property
    def iterations(self) -> int:
        """How many iterations over everyone were done."""
        return len(self.history)

    def headline(self) -> str:
        count = len(self.sizes)
        said = f"{count} {plural(count, 'segment')} of {self.customers:,} customers by k-means"
        return f"{said}, in {self.iterations} {plural(self.iterations, 'iteration')}, in table {self.into}"

    def overview(self) -> pd.DataFrame:
        return self.centres


@dataclass(frozen=True)
class DatabaseRequest:
    """Customers of a table in a database that are to be segmented there: where they are and how they are prepared."""

    url: str
    table: str
    key: str
    preparation: Mapping[str, Any]
    told: Callable[[str], None] | None = None

    @contextmanager
    def session(self, results: Results | None = None, into: str | None = None) -> Iterator[Session]:
        """A transaction there; before it is committed with a table `into`, the results that go with it are sealed."""

        def ready() -> None:
            if results is not None:
                results.seal(self.url, into)

        with transaction(self.url, told=self.told, ready=ready) as session:
            yield session

    def wanted(self, session: Session, **settings: Any) -> Wanted:
        """What is asked for, with the settings of k-means; by default every numeric column is a feature."""
        preparation = dict(self.preparation)
        if preparation.get("features") is None:
            categories = preparation.get("categories") or ()
            chosen = numeric_columns_of(session, self.table, self.key)
            preparation["features"] = [name for name in chosen if name not in categories]
        return Wanted(self.key, preparation, **settings)

    def write(
        self,
        results: Results,
        found: PartSegments,
        *,
        base: Plan | None = None,
        figures: FiguresPart | None = None,
        made_at: datetime | None = None,
    ) -> None:
        """Write the study's folder; who is where stays in the database. A password becomes a variable of the
        environment."""
        source = source_part(self.url, results.folder, {"table": self.table})
        write_block_study(results, found, source, base=base, figures=figures, made_at=made_at)


def segment_in_database(
    url: str,
    *,
    table: str,
    into: str,
    key: str,
    count: int,
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
    sample: int | None = None,
    out: str | PathLike[str] | None = None,
    made_at: datetime | None = None,
    replace: bool = False,
) -> DatabaseSegments:
    """Split the customers of a database's table into `count` segments by k-means, inside the database.

    Learning and assigning run as SQL where the customers live: counts, sums, quantiles and centres travel, and no row
    of a customer does, unless a `sample` is asked for. All is read as of one moment, and what is written appears at
    once, or not at all.

    Parameters
    ----------
    url : str
        The database: `postgresql://user@host/shop`, `duckdb:///shop.duckdb` or `sqlite:///shop.db`. PostgreSQL needs
        the extra `sql`; passwords are best left to the environment (PGPASSWORD) or the driver's own files.
    table : str
        The table or view with a row a customer: a name, perhaps with its schema before a point; either in double quotes
        where it holds a point itself.
    into : str
        The table that is made, beside it or in a schema that is named: the key, segment, segment_name, distance.
        Another one with `_centres` behind its name has the centres in original units.
    key : str
        The column that identifies a customer: there in every row, and in all rows once.
    count : int
        How many segments; `prepare_in_database` gives a sample to study that on.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun : optional
        As for `prepare`; by default every numeric column. Quantiles and means are exact. The scale "rank" and the
        transform "power" cannot be learned in a database.
    starts, max_iterations, seed : int
        As for `segment_by_kmeans`.
    sample : int, optional
        That many customers leave the database, chosen by a hash of their keys: for figures and remarks.
    out : str or path-like, optional
        A folder for the study: centres.csv, profile.csv, model.json, plan.toml, remarks.json, figures.
    made_at : datetime.datetime, optional
        The time that plan and model bear; by default now.
    replace : bool
        Whether tables, and a study, that are there may be replaced.

    Returns
    -------
    DatabaseSegments
        `.model .sizes .history .iterations .converged .wcss .profile .remarks .into .path`.

    Raises
    ------
    DatabaseError
        For a database that cannot be reached or refuses a statement, and for tables that are there already.
    UnknownTableError, UnknownColumnError, KeyColumnError, MissingValuesError, ColumnValuesError, SettingError
        As `read_table`, `prepare` and `segment_by_kmeans` do.
    OutputError
        When a study is in the folder and `replace` is not set.

    Notes
    -----
    One statement, one scan, an iteration. Values are rounded to 46 bits of the largest one and added up as whole
    numbers, so that two runs give the same bits whatever the order of rows. Starts race on a sample of 20,000 that
    stays in the database, in a temporary table.

    References
    ----------
    Lloyd (1982), IEEE Transactions on Information Theory 28(2), 129-137. Arthur & Vassilvitskii (2007), Proc. 18th
    ACM-SIAM Symposium on Discrete Algorithms, 1027-1035.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(70) AS t(i)")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     _ = gauger.segment_in_database(url, table="base", into="segments", key="who", count=2)
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     shop.sql("SELECT segment, round(visits, 3) FROM segments_centres ORDER BY segment").fetchall()
    [(1, 1.667), (2, 12.5)]
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
    approve_typed(url)
    request = DatabaseRequest(url, table, key, preparation)
    place = None if out is None else Path(out)
    with study_in(place, replace=replace) as results, request.session(results, into) as session:
        wanted = request.wanted(session, starts=starts, max_iterations=max_iterations, seed=seed)
        destination = destination_of(into, results, replace=replace)
        found = segment_there(session, request, destination, wanted, count, sample, made_at=made_at)
        if results is not None:
            request.write(results, found, made_at=made_at)
    return result_of(into, place, found)


def segment_there(
    session: Session,
    request: DatabaseRequest,
    destination: Destination,
    wanted: Wanted,
    count: int,
    sample: int | None,
    *,
    made_at: datetime | None = None,
) -> PartSegments:
    """Segment everyone, and write who is where into a table."""
    return segment_table(
        session, request.url, request.table, destination, wanted, count, sampled=sample or 0, made_at=made_at
    )


def destination_of(into: str, results: Results | None, *, replace: bool) -> Destination:
    """Where segments are written, as one write with the files that go with them."""
    return Destination(into, replace) if results is None else Destination(into, replace, results.token)


def study_in(folder: Path | None, *, replace: bool) -> AbstractContextManager[Results | None]:
    """The folder of a study in a database, whose assignments stay there; None where none is asked for."""
    return nullcontext() if folder is None else study_results(folder, replace=replace, assignments=())


def result_of(into: str, place: Path | None, found: PartSegments) -> DatabaseSegments:
    """What was found, with where it stands."""
    shown = as_sampled(found.sample, found.customers) if len(found.sample_table) else None
    return DatabaseSegments(
        into,
        place,
        found.model,
        found.sizes,
        overview_of(found.sample, found.sizes),
        found.customers,
        found.left_out,
        found.converged,
        found.history,
        found.wcss,
        found.profile,
        shown,
        found.remarks,
    )


def prepare_in_database(
    url: str,
    *,
    table: str,
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
    sample: int = SAMPLE,
    seed: int = 0,
) -> FeatureSet:
    """Fetch a sample of the customers in a database, prepared as everyone is, to study how many segments there are.

    Parameters
    ----------
    url, table, key : str
        As for `segment_in_database`.
    features, categories, missing, flag_missing, cap, transform, scale, weight, noun : optional
        As for `segment_in_database`: learned from everyone, inside the database.
    sample : int
        How many customers leave the database: those whose keys' hashes come first.
    seed : int
        Another seed takes other customers.

    Returns
    -------
    FeatureSet
        The sample, called so ("sampled members") unless it is everyone. A remark says how large it is.

    Raises
    ------
    GaugerError
        As `segment_in_database` does.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(70) AS t(i)")
    ...     shop.close()
    ...     few = gauger.prepare_in_database(f"duckdb:///{folder}/shop.duckdb", table="base", key="who", sample=20)
    >>> len(few.keys), few.noun.many, few.treatments["visits"][-1].text
    (20, 'sampled customers', 'z-score: mean 6, standard deviation 5.89915')
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
    approve_typed(url)
    request = DatabaseRequest(url, table, key, preparation)
    with request.session() as session:
        return told_features(session, request, request.wanted(session, sample=sample, seed=seed))


def told_features(session: Session, request: DatabaseRequest, wanted: Wanted) -> FeatureSet:
    """A sample that is fetched, with a remark that says how large it is."""
    features, customers = features_of_sample(session, request.table, wanted)
    fetched = len(features.keys)
    if fetched == customers:
        return features
    text = f"what follows is of a sample of {fetched:,} out of {customers:,}, chosen by a hash of {features.key}."
    return as_sample(replace(features, remarks=(Remark("sample-of-all", text), *features.remarks)))
