"""SegmentModel: a segmentation that can be saved, loaded and applied to other customers."""

from dataclasses import dataclass, fields
from os import PathLike
from pathlib import Path

import pandas as pd

from gauger.errors import SettingError
from gauger.models.assigning import assign_table
from gauger.models.files import read_model, save_model
from gauger.models.learned import LearnedModel
from gauger.models.pmml import save_pmml
from gauger.models.sql import assign_sql


@dataclass(frozen=True, repr=False, eq=False)
class SegmentModel(LearnedModel):
    """A segmentation that can be saved, loaded and applied to other customers; made by `build_model`.

    `.key` names the key column, `.features` what was learned of each, `.segments` of each segment, `.rule` how a
    customer finds one, `.centres` (k, d) are the segments' on the working scale. `.method`, `.made_at` (when, ISO
    8601), `.made_by` (Gauger's version), `.seed`, `.customers` (learned from) and `.fingerprint` (SHA-256 of keys and
    working values, in whatever order they came) say where it comes from.
    """

    def assign(self, table: pd.DataFrame, *, gate: float | str | None = None) -> pd.DataFrame:
        """Customers of a table with their segments: the key, segment, segment_name, distance and why.

        The customers that the model was learned from get the segments that they had, exactly. Others are treated with
        what was learned, and find their segment by the model's rule; `distance` is on the working scale, to the centre
        of the segment or, for merge trees and density, to the nearest customer learned from.

        `gate` is how far a customer may be from the segment: None for any distance, "learned" for each segment's own
        gate, or a number. `why` says why a customer is in none: "missing" (a value that the model has no rule for),
        "gate", "radius" (no core customer near), "among unassigned" (the nearest was in none) or "bands" (a combination
        that nobody had); it is empty for the others.

        Columns that the model does not need are left aside. `gauger.remarks_of(result)` tells of new levels, values
        beyond the learned range, columns that look as if their unit had changed, and who is in no segment.

        Raises UnknownColumnError for a column that is not there, ColumnValuesError for what is no number,
        KeyColumnError when keys are missing or repeat, and SettingError for a gate that is none.
        """
        return assign_table(self, table, gate)

    def sql(self, table: str, *, dialect: str = "postgres", gate: float | str | None = None) -> str:
        """One SELECT that treats and assigns the rows of a database's table: key, segment, segment_name, distance, why.

        `dialect` is postgres, duckdb, sqlite, mysql, bigquery, snowflake, redshift, tsql or spark (the first three are
        tested), `table` may have its schema before a point, `gate` is as for `assign`. Segments are those of `assign`
        but for customers as near to two centres as numbers can tell, who may be in either; distances agree to nine
        digits.

        Raises SettingError for another dialect, and for models of trees and density: no SELECT finds the nearest of
        thousands of customers.
        """
        return assign_sql(self, table, dialect, gate)

    def save(self, path: str | PathLike[str], *, replace: bool = False) -> Path:
        """Write the model as JSON (.json, docs/model.schema.json tells its form), or as PMML 4.4 (.pmml).

        PMML carries k-means without a gate only. Raises SettingError for another ending and for what PMML cannot carry,
        OutputError as `write_table` does.
        """
        file = Path(path)
        if file.suffix not in (".json", ".pmml"):
            raise SettingError(f"{file.name}: a model is written as .json, or as .pmml.")
        return (save_model if file.suffix == ".json" else save_pmml)(self, file, replace=replace)


def load_model(path: str | PathLike[str]) -> SegmentModel:
    """Read a model that `SegmentModel.save` wrote as JSON.

    Raises MissingFileError, and ModelFileError with the place when the file is cut short, does not have the form that
    docs/model.schema.json tells, was made by a later format, or was altered.

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
