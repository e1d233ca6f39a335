"""The plan of segments that were found: what was prepared and how, which method, which names."""

from collections.abc import Mapping
from datetime import datetime
from importlib.metadata import version
from typing import Any

from gauger.features import FeatureSet, Recipe
from gauger.segmentation import Segmentation
from gauger.study.plan_parts import EventsPart, FiguresPart, NamePart, Plan, SourcePart
from gauger.wording import Noun

_LEARNED_ELSEWHERE = "its features were prepared with what other customers taught (prepare_alike)"


def plan_of(
    seg: Segmentation,
    source: SourcePart | None,
    events: EventsPart | None = None,
    *,
    base: Plan | None = None,
    figures: FiguresPart | None = None,
    made_at: datetime | None = None,
    also: Mapping[str, Any] | None = None,
) -> Plan:
    """The plan that finds these segments again in a source, or in the behaviour that events come to.

    What segments do not say themselves is taken over from `base`: the count study, profile, comparisons, hand-off.
    Settings of the method that say where everyone is are given `also`.
    """
    features = seg.features
    segments = {name: value for name, value in {**_method(seg), **(also or {})}.items() if value is not None}
    if not features.recipes:
        segments["not_repeatable"] = _LEARNED_ELSEWHERE
    content = {} if base is None else base.model_dump(exclude={"figures"} if figures is not None else None)
    content |= {
        "made_by": version("gauger"),
        "key": features.key,
        "noun": None if seg.noun == Noun.of_key(features.key) else seg.noun.one,
        "made_at": None if made_at is None else made_at.isoformat(timespec="seconds"),
        "source": None if source is None else source.model_dump(),
        "events": None if events is None else events.model_dump(),
        "features": {name: _feature(features, name, recipe) for name, recipe in _measures(features).items()},
        "categories": {name: _category(recipe) for name, recipe in _categories(features).items()},
        "segments": segments,
        "names": [one.model_dump() for one in names_of(seg)],
    }
    if figures is not None:
        content["figures"] = figures.model_dump()
    return Plan.model_validate(content)


def names_of(seg: Segmentation) -> list[NamePart]:
    """The names that were given, each with its centre in original units."""
    return [
        NamePart(
            name=name,
            segment=number,
            centre=dict(zip(seg.features.names, map(float, seg.centres.loc[number]), strict=True)),
        )
        for number, name in sorted(seg.given_names.items())
        if number in seg.numbers
    ]


def _method(seg: Segmentation) -> dict[str, Any]:
    if not seg.settings:
        return {"method": "kmeans", "count": seg.count, "not_repeatable": "it is not known how they were made"}
    return {name: value for name, value in seg.settings.items() if value is not None}


def _measures(features: FeatureSet) -> dict[str, Recipe | None]:
    names = [name for name in features.names if name not in features.indicators]
    return {name: features.recipes.get(name) for name in names}


def _categories(features: FeatureSet) -> dict[str, Recipe | None]:
    columns = dict.fromkeys(one.column for one in features.indicators.values() if one.level is not None)
    return {name: features.recipes.get(name) for name in columns}


def _feature(features: FeatureSet, name: str, recipe: Recipe | None) -> dict[str, Any]:
    own = recipe or Recipe()
    flagged = any(one.level is None and one.column == name for one in features.indicators.values())
    return {
        "missing": own.missing if isinstance(own.missing, str) else float(own.missing),
        "flag_missing": flagged,
        "cap": None if own.cap is None else [float(quantile) for quantile in own.cap],
        "transform": own.transform,
        "scale": own.scale,
        "weight": None if own.weight is None else float(own.weight),
    }


def _category(recipe: Recipe | None) -> dict[str, Any]:
    own = recipe or Recipe()
    return {
        "missing": own.missing if own.missing in ("drop", "zero") else "refuse",
        "scale": own.scale,
        "weight": None if own.weight is None else float(own.weight),
    }
