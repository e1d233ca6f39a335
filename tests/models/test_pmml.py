"""PMML 4.4: what the standard's schema asks of such a document, and its arithmetic done by a small interpreter."""

import math
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import SettingError
from gauger.models.pmml import NAMESPACE

_IN = {"p": NAMESPACE}
_FUNCTIONS = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "min": min,
    "max": max,
    "pow": lambda a, b: a**b,
    "sqrt": math.sqrt,
    "ln1p": math.log1p,
    "equal": lambda a, b: a == b,
    "lessThan": lambda a, b: a < b,
    "greaterOrEqual": lambda a, b: a >= b,
}


def _document(seg: gauger.Segmentation, folder: Path) -> ElementTree.Element:
    return ElementTree.parse(gauger.build_model(seg).save(folder / "model.pmml")).getroot()


def _value(node: ElementTree.Element, row: dict[str, object]) -> object:
    """What an expression of the document comes to for one customer."""
    tag = node.tag.removeprefix(f"{{{NAMESPACE}}}")
    if tag == "FieldRef":
        return row[node.attrib["field"]]
    if tag == "Constant":
        return node.text if node.attrib["dataType"] == "string" else float(node.text)
    if tag == "NormContinuous":
        points = [(float(one.attrib["orig"]), float(one.attrib["norm"])) for one in node]
        return float(np.interp(row[node.attrib["field"]], *zip(*points, strict=True)))
    function, children = node.attrib["function"], list(node)
    if function == "isMissing":
        value = _value(children[0], row)
        return value is None or value != value
    if function == "if":
        return _value(children[1] if _value(children[0], row) else children[2], row)
    return _FUNCTIONS[function](*(_value(child, row) for child in children))


def _segment(root: ElementTree.Element, row: dict[str, object]) -> int:
    known = dict(row)
    for field in root.iterfind(".//p:LocalTransformations/p:DerivedField", _IN):
        known[field.attrib["name"]] = _value(field[0], known)
    own = [known[field.attrib["field"]] for field in root.iterfind(".//p:ClusteringField", _IN)]
    apart = {}
    for cluster in root.iterfind(".//p:Cluster", _IN):
        centre = [float(value) for value in cluster.find("p:Array", _IN).text.split()]
        apart[int(cluster.attrib["id"])] = sum((a - b) ** 2 for a, b in zip(own, centre, strict=True))
    return min(apart, key=lambda number: apart[number])


@pytest.fixture(scope="module")
def mixed(mixed_features: gauger.FeatureSet) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(mixed_features, 4)


def test_an_interpreter_of_the_standard_gives_the_same_segments(
    mixed: gauger.Segmentation, members: pd.DataFrame, tmp_path: Path
) -> None:
    root = _document(mixed, tmp_path)
    rows = members.head(150).astype(object).where(members.head(150).notna(), None).to_dict("records")
    assert [_segment(root, row) for row in rows] == mixed.codes[:150].tolist()


def test_the_document_has_what_the_schema_asks_for_in_its_order(mixed: gauger.Segmentation, tmp_path: Path) -> None:
    root = _document(mixed, tmp_path)
    assert (root.tag, root.attrib["version"]) == (f"{{{NAMESPACE}}}PMML", "4.4")
    names = [child.tag.removeprefix(f"{{{NAMESPACE}}}") for child in root]
    assert names == ["Header", "DataDictionary", "ClusteringModel"]
    dictionary = root.find("p:DataDictionary", _IN)
    fields = {field.attrib["name"]: field.attrib for field in dictionary}
    assert int(dictionary.attrib["numberOfFields"]) == len(fields) == 4
    assert fields["household"]["optype"] == "categorical"
    model = root.find("p:ClusteringModel", _IN)
    assert model.attrib["functionName"] == "clustering"
    assert model.attrib["modelClass"] == "centerBased"
    order = list(dict.fromkeys(child.tag.removeprefix(f"{{{NAMESPACE}}}") for child in model))
    assert order == [
        *("MiningSchema", "Output", "LocalTransformations", "ComparisonMeasure", "ClusteringField", "Cluster")
    ]
    mined = {field.attrib["name"] for field in model.find("p:MiningSchema", _IN)}
    assert mined == set(fields)
    derived = [field.attrib["name"] for field in model.find("p:LocalTransformations", _IN)]
    assert len(set(derived)) == len(derived)
    seen = set(fields)
    for field in model.find("p:LocalTransformations", _IN):  # a field is derived from what stands before it
        used = {node.attrib["field"] for node in field.iter() if "field" in node.attrib}
        assert used <= seen
        seen.add(field.attrib["name"])
    clusters = model.findall("p:Cluster", _IN)
    assert len(clusters) == int(model.attrib["numberOfClusters"]) == mixed.count
    for cluster in clusters:
        array = cluster.find("p:Array", _IN)
        assert int(array.attrib["n"]) == len(array.text.split()) == len(model.findall("p:ClusteringField", _IN))


def test_what_pmml_cannot_carry_is_an_error_that_says_so(
    demo_features: gauger.FeatureSet, mixed: gauger.Segmentation, tmp_path: Path
) -> None:
    with pytest.raises(SettingError, match="PMML carries k-means only"):
        _document(gauger.build_tree(demo_features).cut(count=3), tmp_path)
    with pytest.raises(SettingError, match=r"written as .json, or as .pmml"):
        gauger.build_model(mixed).save(tmp_path / "model.pickle")
    assert list(tmp_path.iterdir()) == []
