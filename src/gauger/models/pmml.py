"""PMML 4.4, the open standard for such models: k-means with its treatments, for other systems to run.

Data Mining Group (2019), PMML 4.4: general structure, transformation dictionary, built-in functions, clustering models.
"""

from pathlib import Path
from xml.etree.ElementTree import Element, ElementTree, SubElement, indent

from gauger.errors import SettingError
from gauger.features import Cap, Fill, Level, Power, Rank, Scale, Transform, Treatment, Weight
from gauger.models.assignment_rules import NearestCentre
from gauger.models.learned import LearnedFeature, LearnedModel
from gauger.tables import result_folder
from gauger.wording import plural

NAMESPACE = "http://www.dmg.org/PMML-4_4"


def save_pmml(model: LearnedModel, file: Path, *, replace: bool = False) -> Path:
    """Write a model as PMML. Raises SettingError for what PMML cannot carry."""
    root = pmml_of(model)
    with result_folder(file.parent, [file.name], replace=replace) as results:
        ElementTree(root).write(results.path(file.name), encoding="utf-8", xml_declaration=True)
    return file


def pmml_of(model: LearnedModel) -> Element:
    """The document: data fields, treatments as derived fields, centres as clusters; gates are not in it."""
    if not isinstance(model.rule, NearestCentre):
        raise SettingError(
            f"PMML carries k-means only, not {model.method}: save the model as .json, or build one from k-means."
        )
    if ties := len(model.exceptions.codes):
        raise SettingError(
            f"PMML has no place for the {ties:,} {plural(ties, 'combination')} of values whose segment the nearest "
            "centre does not tell, such as one halfway between two: save the model as .json."
        )
    root = Element("PMML", {"version": "4.4", "xmlns": NAMESPACE})
    header = SubElement(root, "Header", {"description": model.headline()})
    SubElement(header, "Application", {"name": "Gauger", "version": model.made_by})
    SubElement(header, "Timestamp").text = model.made_at
    columns = {feature.column: _data_type(model, feature.column) for feature in model.features}
    dictionary = SubElement(root, "DataDictionary", {"numberOfFields": str(len(columns))})
    for column, kind in columns.items():
        optype = "continuous" if kind is None else "categorical"
        SubElement(dictionary, "DataField", {"name": column, "optype": optype, "dataType": kind or "double"})
    clustering = SubElement(
        root,
        "ClusteringModel",
        {
            "modelName": "segments",
            "functionName": "clustering",
            "modelClass": "centerBased",
            "numberOfClusters": str(len(model.segments)),
        },
    )
    schema = SubElement(clustering, "MiningSchema")
    for column in columns:
        SubElement(schema, "MiningField", {"name": column, "usageType": "active"})
    output = SubElement(clustering, "Output")
    for name, result in (("segment", "predictedValue"), ("segment_name", "predictedDisplayValue")):
        SubElement(
            output, "OutputField", {"name": name, "feature": result, "dataType": "string", "optype": "categorical"}
        )
    derived = SubElement(clustering, "LocalTransformations")
    for feature in model.features:
        _derive(derived, feature)
    measure = SubElement(clustering, "ComparisonMeasure", {"kind": "distance"})
    SubElement(measure, "squaredEuclidean")
    for feature in model.features:
        SubElement(clustering, "ClusteringField", {"field": _working(feature), "compareFunction": "absDiff"})
    for segment, centre in zip(model.segments, model.centres.tolist(), strict=True):
        cluster = SubElement(
            clustering,
            "Cluster",
            {"id": str(segment.number), "name": segment.name, "size": str(segment.customers)},
        )
        array = SubElement(cluster, "Array", {"n": str(len(centre)), "type": "real"})
        array.text = " ".join(repr(value) for value in centre)
    indent(root)
    return root


def _data_type(model: LearnedModel, column: str) -> str | None:
    """The type of a column that is only read for its levels, None for one that is a measure too."""
    own = [feature.indicator for feature in model.features if feature.column == column]
    levels = [one.level for one in own if one is not None and one.level is not None]
    if len(levels) < len(own):
        return None
    types = {level.pmml_type for level in levels}
    return types.pop() if len(types) == 1 else "string"


def _working(feature: LearnedFeature) -> str:
    return f"{feature.name} (working scale)"


def _derive(parent: Element, feature: LearnedFeature) -> None:
    """A derived field for every step that the one before cannot hold, the last named as the working feature."""
    field = SubElement(
        parent, "DerivedField", {"name": _working(feature), "optype": "continuous", "dataType": "double"}
    )
    expression = _raw(feature)
    for index, step in enumerate(feature.treatments):
        if isinstance(step, Rank):
            before = f"{feature.name} (before rank {index})"
            held = Element("DerivedField", {"name": before, "optype": "continuous", "dataType": "double"})
            held.append(expression)
            parent.insert(list(parent).index(field), held)
            expression = _interpolated(before, step)
        else:
            expression = _treated(step, expression)
    field.append(expression)


def _raw(feature: LearnedFeature) -> Element:
    indicator = feature.indicator
    if indicator is None:
        return _field(feature.column)
    test = (
        _apply("isMissing", _field(indicator.column))
        if indicator.level is None
        else _apply("equal", _field(indicator.column), _level(indicator.level))
    )
    return _apply("if", test, _constant(1.0), _constant(0.0))


def _treated(step: Treatment, value: Element) -> Element:
    if isinstance(step, Fill):
        return (
            value
            if step.value is None
            else _apply("if", _apply("isMissing", value), _constant(step.value), _copy(value))
        )
    if isinstance(step, Cap):
        return _apply("min", _apply("max", value, _constant(step.low)), _constant(step.high))
    if isinstance(step, Scale):
        return _apply("/", _apply("-", value, _constant(step.shift)), _constant(step.width))
    if isinstance(step, Weight):
        return _apply("*", value, _constant(step.factor))
    if isinstance(step, Transform):
        return _transformed(step.rule, value)
    assert isinstance(step, Power)
    return _apply(
        "if",
        _apply("greaterOrEqual", value, _constant(0.0)),
        _power(_copy(value), step.exponent),
        _apply("*", _constant(-1.0), _power(_apply("*", _constant(-1.0), _copy(value)), 2.0 - step.exponent)),
    )


def _transformed(rule: str, value: Element) -> Element:
    if rule == "sqrt":
        return _apply("sqrt", value)
    if rule == "log":
        return _apply("ln1p", value)
    mirrored = _apply("*", _constant(-1.0), _apply("ln1p", _apply("*", _constant(-1.0), _copy(value))))
    return _apply("if", _apply("lessThan", value, _constant(0.0)), mirrored, _apply("ln1p", _copy(value)))


def _power(value: Element, exponent: float) -> Element:
    """((value + 1)^exponent - 1) / exponent, the logarithm where that is 0."""
    if exponent == 0.0:
        return _apply("ln1p", value)
    raised = _apply("pow", _apply("+", value, _constant(1.0)), _constant(exponent))
    return _apply("/", _apply("-", raised, _constant(1.0)), _constant(exponent))


def _interpolated(field: str, step: Rank) -> Element:
    if len(step.values) < 2:
        return _constant(step.shares[0])
    norm = Element("NormContinuous", {"field": field, "outliers": "asExtremeValues"})
    for value, share in zip(step.values, step.shares, strict=True):
        SubElement(norm, "LinearNorm", {"orig": repr(value), "norm": repr(share)})
    return norm


def _apply(function: str, *arguments: Element) -> Element:
    element = Element("Apply", {"function": function})
    element.extend(arguments)
    return element


def _field(name: str) -> Element:
    return Element("FieldRef", {"field": name})


def _constant(value: float | str) -> Element:
    element = Element("Constant", {"dataType": "string" if isinstance(value, str) else "double"})
    element.text = value if isinstance(value, str) else repr(value)
    return element


def _level(level: Level) -> Element:
    element = Element("Constant", {"dataType": level.pmml_type})
    element.text = level.pmml_text
    return element


def _copy(element: Element) -> Element:
    duplicate = Element(element.tag, dict(element.attrib))
    duplicate.text = element.text
    duplicate.extend(_copy(child) for child in element)
    return duplicate
