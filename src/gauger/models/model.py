"""SegmentModel: a segmentation that can be saved, loaded and applied to other customers."""

from dataclasses import dataclass, fields
from os import PathLike
from pathlib import Path
from typing import Any

from gauger.columns import AnyTable, OpenTable
from gauger.errors import SettingError
from gauger.models.assignment_tally import assign_table
from gauger.models.learned import LearnedModel
from gauger.models.model_files import read_model, save_model
from gauger.models.pmml import save_pmml
from gauger.models.sql import assign_sql


@dataclass(frozen=True, repr=False, eq=False)
class SegmentModel(LearnedModel):
    """A segmentation that can be saved, loaded and applied to other customers; made by `build_model`.

    Attributes
    ----------
    key : str
        The name of the key column.
    features : tuple of LearnedFeature
        What was learned of each feature.
    segments : tuple of LearnedSegment
        What was learned of each segment.
    rule : Assigner
        How a customer finds a segment.
    centres : numpy.ndarray (k, d)
        The segments' centres, on the working scale.
    exceptions : Exceptions
        Learned customers whose segment the rule does not tell.
    method : str
        How the segments were made.
    customers, unassigned : int
        How many it was learned from, and how many of them are in no segment.
    gate_share : float
        The share of a segment's own customers within its gate.
    made_at, made_by : str
        When (ISO 8601), and by which version of Gauger.
    seed : int, optional
        The seed that made the segments.
    fingerprint : str
        SHA-256 of keys and working values, in whatever order they came.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    build_model, load_model : Make one.

    Examples
    --------
    >>> import gauger, pandas as pd
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
    >>> model.names, model.gates.tolist()
    (('visits',), [1.0, 1.0])
    """

    def assign(
        self,
        table: AnyTable | OpenTable,
        *,
        gate: float | str | None = None,
        into: str | PathLike[str] | None = None,
        replace: bool = False,
    ) -> Any:
        """Find the segment of each customer of a table.

        The customers that the model was learned from get the segments that they had, exactly. Others are treated with
        what was learned, and find their segment by the model's rule. Columns that the model does not need are left
        aside.

        Parameters
        ----------
        table : pandas.DataFrame, another table or OpenTable
            One row per customer, with the key and the columns that features are made of. Those of an OpenTable are
            assigned where they live: of files block by block, in constant memory, of a database by SQL.
        gate : float or "learned", optional
            How far a customer may be from the segment: by default any distance, "learned" for each segment's own gate.
        into : str or path-like, optional
            Of an OpenTable: where assignments are written. Files go into a .csv or .parquet file, or into a folder,
            with a Parquet part for each part that is read; a database's table into another table there.
        replace : bool
            Whether an earlier result of Gauger at that place may be replaced.

        Returns
        -------
        pandas.DataFrame or Assignments
            Of an OpenTable a handle, with counts in `.sizes` and everyone in batches by `.to_arrow()`. Else the key,
            segment, segment_name, distance (on the working scale, to the centre or, for merge trees and density, to the
            nearest customer learned from) and why, which says why a customer is in none: "missing" (a value that the
            model has no rule for), "gate", "radius" (no core customer near), "among unassigned" (the nearest was in
            none) or "bands" (a combination that nobody had). `remarks_of(result)` tells of new levels, values beyond
            the learned range, columns that look as if their unit had changed, and who is in no segment.

        Raises
        ------
        UnknownColumnError
            For a column that is not there.
        ColumnValuesError
            For what is no number.
        KeyColumnError
            When keys are missing or repeat.
        SettingError
            For a gate that is none.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
        >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
        >>> new = pd.DataFrame({"who": ["e", "f"], "visits": [2, 90]})
        >>> model.assign(new, gate="learned")[["segment", "why"]].values.tolist()
        [[1, ''], [0, 'gate']]
        """
        if isinstance(table, OpenTable):
            return table.assigned(self, gate, None if into is None else str(into), replace=replace)
        if into is not None:
            raise SettingError(
                "into= is for customers who stay where they live (open_table); write_table writes what is assigned "
                "here."
            )
        return assign_table(self, table, gate)

    def sql(self, table: str, *, dialect: str = "postgres", gate: float | str | None = None) -> str:
        """Write one SELECT that treats and assigns the rows of a database's table.

        Parameters
        ----------
        table : str
            The table's name, perhaps with its schema before a point.
        dialect : str
            postgres, duckdb, sqlite, mysql, bigquery, snowflake, redshift, tsql or spark; the first three are tested.
        gate : float or "learned", optional
            As for `assign`.

        Returns
        -------
        str
            The statement; its result has the key, segment, segment_name, distance and why. Segments are those of
            `assign` but for customers as near to two centres as numbers can tell, who may be in either; distances agree
            to nine digits.

        Raises
        ------
        SettingError
            For another dialect, and for models of trees and density: no SELECT finds the nearest of thousands of
            customers.

        Examples
        --------
        >>> import gauger, pandas as pd
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
        >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
        >>> model.sql("members", dialect="duckdb").split()[0]
        'WITH'
        """
        return assign_sql(self, table, dialect, gate)

    def save(self, path: str | PathLike[str], *, replace: bool = False) -> Path:
        """Write the model as JSON, or as PMML 4.4.

        Parameters
        ----------
        path : str or path-like
            Ends in .json (docs/model.schema.json tells the form) or .pmml (k-means without a gate only).
        replace : bool
            Whether a file that is there already may be replaced.

        Returns
        -------
        pathlib.Path
            The file written.

        Raises
        ------
        SettingError
            For another ending, and for what PMML cannot carry.
        OutputError
            As `write_table` does.

        Examples
        --------
        >>> import gauger, pandas as pd, tempfile
        >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
        >>> model = gauger.build_model(gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2))
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     model.save(f"{folder}/model.pmml").name
        'model.pmml'
        """
        file = Path(path)
        if file.suffix not in (".json", ".pmml"):
            raise SettingError(f"{file.name}: a model is written as .json, or as .pmml.")
        return (save_model if file.suffix == ".json" else save_pmml)(self, file, replace=replace)


def load_model(path: str | PathLike[str]) -> SegmentModel:
    """Read a model that `SegmentModel.save` wrote as JSON.

    Parameters
    ----------
    path : str or path-like
        The file.

    Returns
    -------
    SegmentModel
        The same model.

    Raises
    ------
    MissingFileError
        When there is no such file.
    ModelFileError
        With the place, when the file is cut short, does not have the form that docs/model.schema.json tells, was made
        by another format, or was altered.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcd"), "visits": [1, 3, 21, 23]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who", scale="none"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     file = gauger.build_model(seg).save(f"{folder}/model.json")
    ...     gauger.load_model(file).assign(table)["segment"].tolist() == seg.codes.tolist()
    True
    """
    learned = read_model(path)
    return SegmentModel(**{part.name: getattr(learned, part.name) for part in fields(learned)})
