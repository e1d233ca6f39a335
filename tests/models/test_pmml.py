"""PMML 4.4: what the standard's schema asks of such a document, and its arithmetic done by a small interpreter."""

from pathlib import Path
from xml.etree import ElementTree

import pandas as pd
import pytest
from pmml_reader import segment_by_pmml

import gauger
from gauger.errors import SettingError
from gauger.models.pmml import NAMESPACE

_IN = {"p": NAMESPACE}


def _document(seg: gauger.Segmentation, folder: Path) -> ElementTree.Element:
    return ElementTree.parse(gauger.build_model(seg).save(folder / "model.pmml")).getroot()


@pytest.fixture(scope="module")
def mixed(mixed_features: gauger.FeatureSet) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(mixed_features, 4)


def test_an_interpreter_of_the_standard_gives_the_same_segments(
    mixed: gauger.Segmentation, members: pd.DataFrame, tmp_path: Path
) -> None:
    root = _document(mixed, tmp_path)
    rows = members.head(150).astype(object).where(members.head(150).notna(), None).to_dict("records")
    assert [segment_by_pmml(root, row) for row in rows] == mixed.codes[:150].tolist()


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
