"""k-means in a database: learned, iterated, written and described where the customers live, in one transaction."""

import secrets
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from importlib.metadata import version

import numpy as np
import pandas as pd

from gauger.algorithms.kmeans import Iterated, iterate
from gauger.clustering import kmeans_refit
from gauger.columns import Values, about_whole_keys
from gauger.engine import PartSegments, Wanted, about_left_out, about_sample, about_tiny, refuse_count
from gauger.features import FeatureSet
from gauger.models import GATE_SHARE, Exceptions, LearnedFeature, LearnedSegment, NearestCentre, SegmentModel
from gauger.progress import task
from gauger.remarks import Remark
from gauger.segmentation import AssignmentRule, Segmentation, order_by_size
from gauger.tables import Mark, Session, TableName, mark_and_words, new_name, put_mark, sql_text, transaction
from gauger.warehouse.cautions import about_features
from gauger.warehouse.customers import Customers
from gauger.warehouse.describing import describe, profile_of, with_what_was_seen
from gauger.warehouse.learning import Learned, learn
from gauger.warehouse.relations import FLOAT, relation_of
from gauger.warehouse.replacing import refuse_other_study, refuse_taken
from gauger.warehouse.sampling import as_features, draw_sample
from gauger.warehouse.seeding import seeded_centres
from gauger.warehouse.sums import DatabaseSums, Points
from gauger.warehouse.writing import say_what_it_is, write_assignments, write_centres
from gauger.wording import Noun, plural

CENTRES = "_centres"
"""What the table of centres has behind the name of that of segments."""


MOVED = "moved_at_least"
"""The column of a history with how many must have changed segment, by how sizes changed."""
_SMALL, _FINE = 1e12, 1024.0
"""Values below which, and steps of a unit in which, a table is added up to see whether it has changed: judgement."""


@dataclass(frozen=True)
class Destination:
    """Where segments are written: the table as it was typed, whether one that Gauger made may be replaced, and the
    token that tells this write from every other."""

    into: str
    replace: bool
    token: str = field(default_factory=lambda: secrets.token_hex(16))

    @property
    def segments(self) -> TableName:
        """The table of who is in which segment."""
        return new_name(self.into)

    @property
    def centres(self) -> TableName:
        """The table of centres."""
        return self.segments.beside(CENTRES)

    @property
    def tables(self) -> tuple[TableName, TableName]:
        """All that are made."""
        return self.segments, self.centres


def segment_table(
    session: Session,
    source: str,
    table: str,
    destination: Destination,
    wanted: Wanted,
    count: int,
    *,
    sampled: int = 0,
    made_at: datetime | None = None,
) -> PartSegments:
    """Segment the customers of a table, and write them into others; `sampled` of them are fetched to be looked at."""
    refuse_taken(session, destination.tables, [relation_of(session, table)], replace=destination.replace)
    learned = learn(session, table, wanted)
    refuse_count(count, learned.survey.kept)
    before = _print_of(learned.customers)
    found = _iterated(learned, count)
    sizes = found.sizes
    by_name = sorted(range(len(learned.names)), key=lambda at: learned.names[at])
    order = order_by_size(sizes, found.iterated.centres[:, by_name])
    centres = found.iterated.centres[order]
    time = made_at or datetime.now(UTC)
    model = _model(learned, centres, sizes[order])
    with task("writing segments"):
        write_assignments(learned.customers, model, destination.segments)
    described = describe(learned, destination.segments, count)
    model = with_what_was_seen(model, described, learned, time)
    history = pd.DataFrame(found.iterated.history, columns=["wcss", MOVED, "shift"])
    history = history.set_index(pd.RangeIndex(1, len(history) + 1, name="iteration"))
    by_number = pd.Series(
        described.sizes.astype(np.int64), index=pd.RangeIndex(1, count + 1, name="segment"), name="customers"
    )
    rows = draw_sample(learned, sampled) if sampled else None
    features = as_features(learned, rows)
    seg = _sample_segments(features, model, history, found.starts, wanted, destination, sampled)
    write_centres(
        session,
        [one.name for one in model.segments],
        [int(one) for one in described.sizes],
        seg.centres,
        destination.centres,
    )
    _say(session, model, learned, destination)
    changed = _changed(source, learned.customers, before)
    return PartSegments(
        model,
        by_number,
        history,
        seg.converged or False,
        described.squares,
        profile_of(described, learned),
        seg,
        pd.DataFrame() if rows is None else rows,
        learned.survey.kept,
        learned.survey.rows - learned.survey.kept,
        len(history),
        tuple(_remarks(learned, by_number, seg, wanted, changed)),
    )


@dataclass(frozen=True, eq=False)
class _Found:
    """Where iterations ended, and the sizes there."""

    iterated: Iterated
    sizes: Values
    starts: pd.DataFrame


def _iterated(learned: Learned, count: int) -> _Found:
    begun = seeded_centres(learned, count)
    points = points_of(learned)
    spread = learned.survey.kept * float((learned.deviations**2).sum())
    sums = DatabaseSums(points, (learned.means, spread))
    with task("k-means over everyone"):
        found = iterate(sums, begun.centres, learned.wanted.max_iterations)
        return _Found(found, sums.sizes_at(found.centres), begun.starts)


def points_of(learned: Learned) -> Points:
    """Everyone on the working scale."""
    customers = learned.customers
    return Points(customers.session, customers.treated_by(learned.treatments), np.abs(learned.ends).max(axis=1))


def _model(learned: Learned, centres: Values, sizes: Values) -> SegmentModel:
    """The model as far as it takes to write who is where."""
    nothing = np.empty((0, len(learned.names)))
    indicators = learned.customers.indicators
    features = tuple(
        LearnedFeature(
            name,
            indicators[name].column if name in indicators else name,
            indicators.get(name),
            steps,
            *(np.nan,) * 5,  # what describing will tell
            quartiles=(),
            edges=(),
            shares=(),
        )
        for name, steps in zip(learned.names, learned.treatments, strict=True)
    )
    segments = tuple(
        LearnedSegment(number, f"segment {number}", int(size), np.nan, np.nan) for number, size in enumerate(sizes, 1)
    )
    rule = NearestCentre.of(centres, learned.names)
    return SegmentModel(
        key=learned.wanted.key,
        features=features,
        segments=segments,
        rule=rule,
        centres=rule.centres,
        exceptions=Exceptions(nothing, np.empty(0, dtype=np.int32)),
        method="k-means",
        customers=learned.survey.kept,
        unassigned=0,
        gate_share=GATE_SHARE,
        made_at="",
        made_by=version("gauger"),
        seed=learned.wanted.seed,
        fingerprint="",
    )


def _sample_segments(
    features: FeatureSet,
    model: SegmentModel,
    history: pd.DataFrame,
    starts: pd.DataFrame,
    wanted: Wanted,
    destination: Destination,
    sampled: int,
) -> Segmentation:
    """The customers who were fetched, perhaps none, with the segments of everyone."""
    codes, distances = model.rule.find_segments(np.ascontiguousarray(features.values.T), {})
    for made in (codes, distances):
        made.flags.writeable = False
    last = history.iloc[-1]
    settings: dict[str, object] = {
        "method": "kmeans",
        "count": len(model.segments),
        "starts": int(wanted.starts),
        "max_iterations": int(wanted.max_iterations),
        "seed": int(wanted.seed),
        "into": destination.into,
    }
    return Segmentation(
        features,
        codes,
        model.centres,
        distances,
        model.method,
        iterations=len(history),
        converged=bool(last[MOVED] == 0 and last["shift"] == 0.0),
        history=history,
        starts=starts,
        refit=kmeans_refit(len(model.segments)),
        assignment_rule=AssignmentRule("centre"),
        settings=settings | ({"sample": int(sampled)} if sampled else {}),
    )


def _say(session: Session, model: SegmentModel, learned: Learned, destination: Destination) -> None:
    """Write on the tables which model made them, of whom and when."""
    noun = noun_of(learned.wanted)
    told = (
        f"Gauger {model.made_by}, {model.made_at}: {len(model.segments)} segments of {noun.counted(model.customers)} "
        f"of {learned.customers.relation.name.typed} by k-means on {', '.join(learned.names)}; learned from "
        f"{model.fingerprint[:16]}."
    )
    texts = {destination.segments: told, destination.centres: f"Centres in original units. {told}"}
    say_what_it_is(session, texts, Mark(model.identity, destination.token))


def noun_of(wanted: Wanted) -> Noun:
    """The word for whoever is segmented."""
    return Noun.given(wanted.preparation.get("noun"), wanted.key)


def _print_of(customers: Customers) -> tuple[object, ...]:
    """What shows that a table's customers are others: how many there are, and exact sums of what they hold."""
    dialect, asked = customers.dialect, ["COUNT(*)"]
    for one in customers.raw.values():
        small = f"CASE WHEN ABS({one}) < {_SMALL!r} THEN ({one}) * {_FINE!r} END"
        asked += [f"COUNT({one})", dialect.whole_sum(small)]
    return tuple(customers.session.row(f"SELECT {', '.join(asked)} FROM {customers.relation.sql}"))


def _changed(source: str, customers: Customers, before: tuple[object, ...]) -> bool:
    """Whether others have changed the table meanwhile; only PostgreSQL lets them."""
    if customers.session.dialect != "postgres":
        return False
    with transaction(source) as later:
        return _print_of(replace(customers, session=later)) != before


def _remarks(learned: Learned, sizes: pd.Series, seg: Segmentation, wanted: Wanted, changed: bool) -> Iterator[Remark]:
    noun = noun_of(wanted)

    def said(remark: Remark) -> Remark:
        return replace(remark, text=noun.said(remark.text, remark.features))

    if learned.customers.relation.kinds[learned.customers.key] == FLOAT:
        yield about_whole_keys(learned.customers.key)
    yield from map(said, about_left_out(learned.survey, learned.customers.dropped))
    if changed:
        name = learned.customers.relation.name.typed
        yield Remark(
            "source-changed",
            f"{name} has changed while it was segmented: the segments are of its {noun.many} as they were at the "
            "start. Segment them again for those that are there now.",
        )
    if not seg.converged and seg.history is not None:
        tries = wanted.max_iterations
        yield Remark(
            "not-converged",
            f"stopped after {tries} {plural(tries, 'iteration')}, when a centre still went "
            f"{seg.history['shift'].iloc[-1]:.2g} standard units: the segments are not final. Raise max_iterations "
            "(--max-iterations).",
        )
    yield from map(said, about_tiny(sizes))
    known = about_features(learned)
    yield from map(said, known)
    if len(seg.codes):
        told = {one.code for one in known}
        sampled = about_sample(seg, learned.survey.kept, wanted.max_iterations)
        yield from (said(one) for one in sampled if one.code not in told)


def rename_segments(session: Session, destination: Destination, model: SegmentModel, names: Mapping[int, str]) -> None:
    """Give a study's segments other names in its tables; raises DatabaseError where these are another study's."""
    for table in destination.tables:
        refuse_other_study(session, table, model)
    cases = " ".join(f"WHEN {number} THEN {sql_text(name)}" for number, name in names.items())
    for table in destination.tables:
        known = mark_and_words(session, table)
        put_mark(session, table, "" if known is None else known[1], Mark(model.identity, destination.token))
        session.rows(f"UPDATE {table.sql} SET segment_name = CASE segment {cases} ELSE segment_name END")
