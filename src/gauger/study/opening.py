"""A study's folder, opened: its table, features, segments, profile, model, names and plan, each made when asked for."""

from dataclasses import dataclass, replace
from functools import cached_property
from os import PathLike
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from pandas.api import types
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from gauger.clustering import refit_of, rule_of, words_of
from gauger.errors import StudyError
from gauger.features import FeatureSet, prepare
from gauger.models import SegmentModel, load_model
from gauger.profiling import Profile, checked_assignments
from gauger.profiling import profile as profile_of
from gauger.readable import Readable
from gauger.remarks import Remark, attach_remarks, remarks_of
from gauger.segmentation import UNASSIGNED, UNASSIGNED_NAME, Segmentation, distances_to_own, segmentation_from_codes
from gauger.sources import refuse_other_study
from gauger.study.plan_files import PLAN_FILE, read_plan
from gauger.study.plan_parts import EventsPart, Plan
from gauger.study.sources import (
    about_changed_events,
    approve_plan,
    place_of,
    read_customers,
    read_source,
    source_part,
)
from gauger.study.studies_in_place import nobody_of, profile_in_place, sampled_customers, sampled_features
from gauger.study.study_files import BEHAVIOUR, MODEL, REMARKS, SAMPLE, read_assignments, study_folder
from gauger.tables import Standing, approve_typed, is_url, new_name, read_table, standing_in, transaction
from gauger.wording import Noun, listed, plural


class _RemarkForm(BaseModel):
    """A remark as remarks.json has it; what another version adds is passed over."""

    model_config = ConfigDict(strict=True)

    code: str
    text: str
    features: list[str] = Field(default_factory=list)
    segments: list[int] = Field(default_factory=list)


_REMARKS = TypeAdapter(list[_RemarkForm])

_OWN_COLUMNS = ("segment", "segment_name", "distance")


@dataclass(frozen=True, repr=False, eq=False)
class Study(Readable):
    """What a study's folder knows, each part made when it is asked for.

    Attributes
    ----------
    folder : pathlib.Path
        The folder.
    plan : Plan
        How it was made.
    source : str, optional
        Where the customers are now, instead of where the plan says.

    See Also
    --------
    open_study : Opens one.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     _ = gauger.save_study(seg, f"{folder}/segments")
    ...     gauger.open_study(f"{folder}/segments").segmentation.codes.tolist()
    [2, 2, 1, 1, 1]
    """

    folder: Path
    plan: Plan
    source: str | None = None

    @cached_property
    def files(self) -> Standing:
        """The files of the folder, also those that a kill has kept from their places."""
        return standing_in(self.folder)

    @cached_property
    def table(self) -> pd.DataFrame:
        """The customers as their source has them now; `remarks_of` tells whether it has changed.

        Of a study out of core, or in a database, it is the sample that was kept, and a remark says so.
        """
        if self.by_sample:
            return sampled_customers(self.files, self.plan, self.model.customers)
        if self.in_database:
            raise StudyError(
                f"the customers of {self.folder} stay in their database, and no sample of them was kept. Their "
                f"segments and distances are in the table {self.plan.into} there. To see customers here, segment "
                "again with a sample (Execution(sample=…), --sample)."
            )
        if self.source is None and self.plan.events is not None and self._has(BEHAVIOUR):
            return self._behaviour(self.plan.events)
        if self.source is None:
            return read_customers(self.plan, self.folder)
        reading = {} if self.plan.source is None else self.plan.source.reading()
        part = source_part(self.source, self.folder, reading)
        told = {} if self.plan.source is None else self.plan.source.model_dump(include={"bytes", "rows", "sha256"})
        return read_customers(self.plan.model_copy(update={"source": part.model_copy(update=told)}), self.folder)

    def _behaviour(self, events: EventsPart) -> pd.DataFrame:
        """The behaviour that the events came to when the study was made; a remark tells when they have changed."""
        table = read_table(self.files.path(BEHAVIOUR))
        attach_remarks(table, [*remarks_of(table), *about_changed_events(events, self.folder)])
        return table

    @cached_property
    def assignments(self) -> pd.DataFrame:
        """A row a customer, as assignments.csv has it; keys are text where the table's are.

        Of a study in a database it is the table there, which is read.
        """
        if self.in_database and self.plan.source is not None:
            place = place_of(self.plan.source, self.folder)
            with transaction(place) as session:
                refuse_other_study(session, new_name(str(self.plan.into)), self.model)
            return read_table(place, table=self.plan.into)
        return self.assignments_like(self.table)

    @property
    def in_database(self) -> bool:
        """Whether the customers were segmented inside their database."""
        return self.source is None and self.plan.into is not None

    @property
    def by_sample(self) -> bool:
        """Whether the customers are not at hand, all of them, and are looked at by a sample."""
        whole = self.plan.out_of_core or self.plan.into is not None
        return self.source is None and whole and self._has(SAMPLE)

    @cached_property
    def names(self) -> dict[int, str]:
        """Each segment's name by number; 0 is "unassigned"."""
        if self.by_sample or self.in_database:
            return dict(self.model.segment_names)
        table = read_assignments(self.folder)
        return dict(sorted(checked_assignments(table, self.plan.key)[2].items()))

    @cached_property
    def features(self) -> FeatureSet:
        """The customers of the segments, prepared as the plan says."""
        return self._placed[0]

    @cached_property
    def segmentation(self) -> Segmentation:
        """The segments as they were found, of the customers who are still in the source."""
        return self._placed[1]

    @cached_property
    def profile(self) -> Profile:
        """What each segment is like, by the columns of the study's own table and of the one that the plan says.

        Of a study in a database it is worked out there.
        """
        if self.in_database:
            return profile_in_place(self.plan, self.folder, self.model, self.noun, self.remarks)
        return profile_of(self.segmentation, [self.table, *self.other_tables])

    @cached_property
    def other_tables(self) -> list[pd.DataFrame]:
        """The other table that the plan describes segments by, if it names one."""
        part = self.plan.profile.table
        return [] if part is None else [read_source(part, self.folder, named="profile.table")]

    @cached_property
    def model(self) -> SegmentModel:
        """The model that other customers are assigned by."""
        return load_model(self.model_file)

    @property
    def model_file(self) -> Path:
        """Where the model is; raises StudyError for a study without one."""
        if not self._has(MODEL):
            raise StudyError(
                f"{self.folder} has no {MODEL}: its segments, by {self.segmentation_words}, cannot place other "
                "customers. Begin k-means with them: segment_by_kmeans(features, seeding=segments)."
            )
        return self.files.path(MODEL)

    def _has(self, name: str) -> bool:
        return self.files.path(name).is_file()

    @property
    def segmentation_words(self) -> str:
        """How the segments were made, as a sentence has it."""
        return words_of(self.plan.segments.model_dump())

    @cached_property
    def remarks(self) -> tuple[Remark, ...]:  # type: ignore[override]
        """The cautions that the study was made with."""
        file = self.files.path(REMARKS)
        if not file.is_file():
            return ()
        try:
            found = _REMARKS.validate_json(file.read_bytes())
        except (ValidationError, RecursionError) as error:
            raise StudyError(f"{file} is damaged. Remove it, or segment again.") from error
        return tuple(Remark(one.code, one.text, tuple(one.features), tuple(one.segments)) for one in found)

    @property
    def noun(self) -> Noun:
        """The word for whoever is segmented."""
        return Noun.given(self.plan.noun, self.plan.key)

    def headline(self) -> str:
        if self.by_sample or self.in_database:
            return f"{self.folder}: {self.model.headline()}"
        codes = self._codes()
        count = len(np.unique(codes[codes > 0]))
        return (
            f"{self.folder}: {count} {plural(count, 'segment')} of {self.noun.counted(len(codes))} by "
            f"{self.segmentation_words}"
        )

    def overview(self) -> pd.DataFrame:
        if self.by_sample or self.in_database:
            return self.model.overview()[["name", "customers"]]
        codes = pd.Series(self._codes())
        counts = codes[codes > 0].value_counts().sort_index().rename("customers").rename_axis("segment")
        return counts.to_frame().assign(name=[self.names[int(number)] for number in counts.index])[
            ["name", "customers"]
        ]

    def _codes(self) -> "np.typing.NDArray[np.int64]":
        """The segment of each customer, 0 for the unassigned."""
        return checked_assignments(read_assignments(self.folder), self.plan.key)[1]

    def assignments_like(self, like: pd.DataFrame) -> pd.DataFrame:
        """Give the assignments, with keys as text where another table has them as text.

        Parameters
        ----------
        like : pandas.DataFrame
            A table with the key that they are to be matched with.

        Returns
        -------
        pandas.DataFrame
            A row a customer, as assignments.csv has it.

        Examples
        --------
        >>> import gauger, pandas as pd, tempfile
        >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
        >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2)
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     gauger.save_study(seg, f"{folder}/segments").assignments_like(table)["who"].tolist()
        ['a', 'b', 'c', 'd', 'e']
        """
        key = self.plan.key
        text = key in like.columns and not types.is_numeric_dtype(like[key]) and not _dated(like[key])
        return read_assignments(self.folder, keys_as_text=key if text else None)

    @cached_property
    def _placed(self) -> tuple[FeatureSet, Segmentation]:
        if self.by_sample:
            return self._sampled()
        if self.in_database:
            nobody = nobody_of(self.plan, self.model, self.noun)
            return nobody, self._of_nobody(nobody)
        everyone = prepare(self.table, **self.plan.preparation())
        keys, codes, names = checked_assignments(self.assignments, self.plan.key)
        indices = keys.get_indexer(pd.Index(everyone.keys))
        known = indices >= 0
        if not known.any():
            raise StudyError(f"no customer of {self.folder} is in its source any more: is it the right file?")
        features = everyone if known.all() else everyone.part(np.flatnonzero(known))
        rows = indices[known]
        gone = len(keys) - len(rows)
        own = np.asarray(codes[rows], dtype=np.int32)
        empty = sorted(set(np.unique(codes).tolist()) - set(np.unique(own).tolist()) - {UNASSIGNED})
        if empty:
            raise StudyError(
                f"nobody of {plural(len(empty), 'segment')} {listed(map(str, empty))} is in the source any more: "
                "segment the customers anew."
            )
        whole = known.all() and not gone
        remarks = (*self.remarks, *_about_change(remarks_of(self.table)), *_about_customers(int((~known).sum()), gone))
        return features, self._restored(features, own, names, rows, remarks, whole=bool(whole))

    def _sampled(self) -> tuple[FeatureSet, Segmentation]:
        features, codes = sampled_features(self.table, self.plan, self.model)
        more = (one for one in remarks_of(self.table) if one.code != "sample-of-all")  # their own remarks say so
        remarks = (*self.remarks, *more)
        return features, self._restored(features, codes, self.names, np.arange(len(codes)), remarks, whole=True)

    def _of_nobody(self, nobody: FeatureSet) -> Segmentation:
        """The segments of a study of whose customers none is at hand: their centres and names."""
        settings = {name: value for name, value in self.plan.segments.model_dump().items() if value is not None}
        given = {one.segment: one.name for one in self.plan.names if one.segment is not None}
        return Segmentation(
            nobody,
            np.empty(0, dtype=np.int32),
            np.asarray(self.model.centres),
            np.empty(0),
            self.segmentation_words,
            given_names=given,
            settings=settings,
            assignment_rule=rule_of(settings),
            remarks=self.remarks,
        )

    def _restored(
        self,
        features: FeatureSet,
        codes: "np.typing.NDArray[np.int32]",
        names: Any,
        rows: "np.typing.NDArray[np.intp]",
        remarks: tuple[Remark, ...],
        *,
        whole: bool,
    ) -> Segmentation:
        """The segmentation with all that its method knows: how it segments others, how they find their segment."""
        settings = {name: value for name, value in self.plan.segments.model_dump().items() if value is not None}
        seg = segmentation_from_codes(features, codes, method=self.segmentation_words)
        details = (
            pd.DataFrame()
            if self.by_sample
            else self.assignments.drop(columns=[self.plan.key, *_OWN_COLUMNS], errors="ignore")
        )
        model = self.model if self._has(MODEL) else None
        if whole and model is not None and "source-changed" not in {remark.code for remark in remarks}:
            centres = np.asarray(model.centres)
            seg = replace(seg, scaled_centres=centres, distances=distances_to_own(features, codes, centres))
        given = {one.segment: one.name for one in self.plan.names if one.segment in seg.numbers}
        own = {
            number: name
            for number, name in names.items()
            if number in seg.numbers and number not in given and name != f"segment {number}" and name != UNASSIGNED_NAME
        }
        return replace(
            seg,
            details=details.iloc[rows].reset_index(drop=True) if len(details.columns) else None,
            edges=None if model is None else model.band_edges,
            refit=refit_of(settings, seg.count) if seg.count else None,
            assignment_rule=rule_of(settings),
            own_names=own,
            given_names={number: name for number, name in given.items() if number is not None},
            settings=settings,
            remarks=remarks,
        )


def open_study(folder: str | PathLike[str], *, source: str | PathLike[str] | None = None, trust: bool = False) -> Study:
    """Open the folder of a study, as `gauger segment`, `gauger tree` or `save_study` wrote it.

    Parameters
    ----------
    folder : str or path-like
        The folder.
    source : str or path-like, optional
        Where its customers are now, when the source that its plan names is gone.
    trust : bool
        Whether to approve, and remember, the databases and queries that its plan names: of a study that somebody else
        made, none is used before.

    Returns
    -------
    Study
        `.table`, `.features`, `.segmentation`, `.profile`, `.model`, `.names` and `.plan`, each made when asked for.

    Raises
    ------
    MissingFileError
        When there is no such folder.
    StudyError
        When the folder is no study.
    PlanError
        When its plan cannot be read.

    Examples
    --------
    >>> import gauger, pandas as pd, tempfile
    >>> table = pd.DataFrame({"who": list("abcde"), "visits": [1, 2, 9, 10, 11]})
    >>> seg = gauger.segment_by_kmeans(gauger.prepare(table, key="who"), 2).rename({1: "regulars"})
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     _ = gauger.save_study(seg, f"{folder}/segments")
    ...     gauger.open_study(f"{folder}/segments").names
    {0: 'unassigned', 1: 'regulars', 2: 'segment 2'}
    """
    place = study_folder(folder)
    file = standing_in(place).path(PLAN_FILE)
    plan = read_plan(file)
    if trust:
        approve_plan(plan)
    if isinstance(source, str) and is_url(source):
        approve_typed(source)
    return Study(place, plan, None if source is None else str(source))


def _dated(column: pd.Series) -> bool:
    return bool(types.is_datetime64_any_dtype(column))


def _about_change(remarks: tuple[Remark, ...]) -> tuple[Remark, ...]:
    return tuple(remark for remark in remarks if remark.code == "source-changed")


def _about_customers(new: int, gone: int) -> tuple[Remark, ...]:
    parts = [f"{new:,} of the source {plural(new, 'is', 'are')} not in the study"] if new else []
    parts += [f"{gone:,} of the study {plural(gone, 'is', 'are')} not in the source any more"] if gone else []
    if not parts:
        return ()
    text = f"{' and '.join(parts)}: such customers are left out of what follows."
    return (Remark("customers-changed", text),)
