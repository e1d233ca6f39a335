"""Features learned from everyone in some parts: surveyed, treated, and a coreset of them drawn."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from operator import attrgetter
from pathlib import Path

import numpy as np
import pandas as pd

from gauger.columns import Values, about_whole_keys
from gauger.engine.bottom_rows import share_let_through
from gauger.engine.crews import Everyone
from gauger.engine.file_sums import Working
from gauger.engine.learning import Learner
from gauger.engine.measuring import CORESET, Draw, Measured, measure
from gauger.engine.parts import Parts
from gauger.engine.reading import Reader, Steps, treated
from gauger.engine.repeated_keys import refuse_repeated_keys
from gauger.engine.steps import (
    counted,
    dropped_by,
    ends_of,
    indicator_steps,
    indicators_of,
    on_each,
    refuse_unlearnable,
    scales_of,
    shares_of,
)
from gauger.engine.survey import Question, Survey, refuse_gaps, sample_table, survey
from gauger.engine.wanted import Wanted
from gauger.features import (
    FeatureSet,
    Indicator,
    Recipe,
    Scale,
    Weight,
    prepare,
)
from gauger.remarks import Remark
from gauger.wording import listed


@dataclass(frozen=True, eq=False)
class Treated:
    """What was learned of features: how they are read and treated, a sample of customers, and what is known of all.

    `ends` (d, 2) are the smallest and largest values on the working scale, `means` and `deviations` (d,) are there too.
    The coreset's `columns` (d, m) are on that scale, in the order that k-means adds features up in, as are its
    `weights` (m,). `stamps` show whether a file has been written to since.
    """

    reader: Reader
    working: Working
    sample: FeatureSet
    sample_table: pd.DataFrame
    survey: Survey
    ends: Values
    means: Values
    deviations: Values
    columns: Values
    weights: Values
    stamps: tuple[tuple[int, int], ...]


def stamps_of(parts: Parts) -> tuple[tuple[int, int], ...]:
    """What shows that a file was written to."""
    return tuple((one.st_size, one.st_mtime_ns) for one in (file.stat() for file in parts.files))


def treat_parts(parts: Parts, wanted: Wanted, everyone: Everyone, scratch: Path | None) -> Treated:
    """Learn every treatment from everyone."""
    stamps = stamps_of(parts)
    settings = wanted.settings()
    recipes = settings.by_feature(wanted.measures, wanted.categories)
    refuse_unlearnable(recipes)
    seen = survey_parts(parts, wanted, recipes, everyone, scratch)
    indicators = indicators_of(wanted, seen, recipes)
    recipes |= settings.of_indicators(indicators, shares_of(indicators, seen), recipes)
    reader = Reader(wanted.key, wanted.measures, indicators, dropped_by(recipes, wanted), parts.rules)
    table = sample_table(seen)
    guess = _guess(wanted, table)
    raw = np.array([table[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in wanted.measures])
    learner = Learner(reader, everyone, recipes, seen, raw)
    before = learner.before_scale()
    of_indicators = {name: indicator_steps(recipes[name], indicators[name], seen) for name in indicators}
    steps: Steps = tuple({**before.steps, **of_indicators}.values())
    ends = np.vstack([learner.ends(before.steps), *(ends_of(own) for own in of_indicators.values())])
    measured = _measure(reader, steps, ends, _draw(wanted, reader, steps, guess, table, seen), everyone)
    steps = tuple(counted(own, int(count)) for own, count in zip(steps, measured.capped, strict=True))
    scales = scales_of(wanted.measures, recipes, before, measured.moments)
    rest: Steps = tuple(scales.get(name, ()) for name in reader.names)
    treatments = tuple((*own, *more) for own, more in zip(steps, rest, strict=True))
    if len(table) == seen.kept:  # then these are what a table in memory teaches, to the last bit
        treatments = tuple(guess.treatments[name] for name in reader.names)
        rest = tuple(own[len(first) :] for own, first in zip(treatments, steps, strict=True))
    order = tuple(sorted(range(len(reader.names)), key=lambda index: reader.names[index]))
    columns, weights = measured.coreset()
    if len(table) == seen.kept:
        columns = _raw(reader.measures, reader.indicators, table)
        columns, weights = treated(columns, treatments, order), np.ones(len(table))
    else:
        columns = treated(columns, rest, order)
    factors = np.diff(on_each(rest, np.array([[0.0, 1.0]] * len(rest))))[:, 0]
    return Treated(
        reader,
        Working(treatments, order),
        _with_remark(learned_features(guess, table, reader.names, indicators, treatments, recipes), seen),
        table,
        seen,
        on_each(rest, ends),
        on_each(rest, measured.moments.means().T)[:, 0],
        np.abs(factors) * measured.moments.deviations()[0],
        columns,
        weights,
        stamps,
    )


def survey_parts(
    parts: Parts, wanted: Wanted, recipes: Mapping[str, Recipe], everyone: Everyone, scratch: Path | None
) -> Survey:
    """Look at everyone for the first time; raises for keys and gaps that will not do."""
    question = Question(
        wanted.key,
        wanted.measures,
        wanted.categories,
        dropped_by(recipes, wanted),
        parts.rules,
        wanted.seed,
        wanted.sample,
        share_let_through(wanted.sample, parts.rows),
        scratch,
    )
    held = everyone.hold(f"reading {parts.called()}", survey, question)
    seen: Survey = everyone.crew.total("adding up", attrgetter("survey"), [(one,) for one in held])
    seen.keys.refuse_fractions(wanted.key)
    refuse_gaps(seen, recipes, wanted.categories)
    refuse_repeated_keys(wanted.key, everyone, held, parts.rules, seen.rows)
    return seen


def _with_remark(features: FeatureSet, seen: Survey) -> FeatureSet:
    """The features, with a remark where keys are read as whole numbers."""
    if not seen.keys.decimals or not seen.keys.become_whole:
        return features
    return replace(features, remarks=(about_whole_keys(features.key), *features.remarks))


def _guess(wanted: Wanted, table: pd.DataFrame) -> FeatureSet:
    """The sample, prepared by itself: its scales are about those of everyone, and its remarks worth hearing."""
    return prepare(table[[wanted.key, *wanted.measures, *wanted.categories]], key=wanted.key, **wanted.preparation)


def _draw(wanted: Wanted, reader: Reader, steps: Steps, guess: FeatureSet, table: pd.DataFrame, seen: Survey) -> Draw:
    scale: Steps = tuple(
        tuple(step for step in guess.treatments[name] if isinstance(step, (Scale, Weight)))
        if name in wanted.measures
        else ()
        for name in reader.names
    )
    columns = treated(treated(_raw(reader.measures, reader.indicators, table), steps), scale)
    middle = columns.mean(axis=1)
    square = float(((columns - middle[:, None]) ** 2).sum(axis=0).mean())
    return Draw(scale, middle, square, wanted.seed, share_let_through(CORESET, seen.kept))


def _raw(measures: Sequence[str], indicators: Mapping[str, Indicator], table: pd.DataFrame) -> Values:
    columns = [table[name].to_numpy(dtype=np.float64, na_value=np.nan) for name in measures]
    return np.array([*columns, *(one.of(table) for one in indicators.values())])


def _measure(reader: Reader, steps: Steps, ends: Values, draw: Draw, everyone: Everyone) -> Measured:
    lows, highs = np.ascontiguousarray(ends[:, 0]), np.ascontiguousarray(ends[:, 1])
    return everyone.total("measuring features", measure, reader, steps, lows, highs, draw)


def learned_features(
    guess: FeatureSet,
    table: pd.DataFrame,
    names: tuple[str, ...],
    indicators: Mapping[str, Indicator],
    treatments: Steps,
    recipes: Mapping[str, Recipe],
) -> FeatureSet:
    """The customers of a table, prepared by themselves in `guess`, with what was learned from everyone instead."""
    raw = _raw(tuple(name for name in names if name not in indicators), indicators, table)
    values = treated(raw, treatments).T
    values.flags.writeable = False
    index = pd.Index(guess.keys, name=guess.key)
    return FeatureSet(
        guess.key,
        guess.keys,
        names,
        values,
        pd.DataFrame(dict(zip(names, raw, strict=True)), index=index),
        dict(zip(names, treatments, strict=True)),
        dict(indicators),
        guess.remarks,
        {name: recipe for name, recipe in recipes.items() if name not in indicators},
        guess.noun,
    )


def about_left_out(seen: Survey, dropped: tuple[str, ...]) -> list[Remark]:
    """Whom gaps leave out."""
    gone = seen.rows - seen.kept
    if not gone:
        return []
    text = (
        f"{gone:,} of {seen.rows:,} customers lack a value in {listed(dropped, most=6)} and are left out of everything "
        "that follows."
    )
    return [Remark("customers-left-out", text, dropped)]
