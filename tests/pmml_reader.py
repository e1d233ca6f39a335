"""A small interpreter of PMML 4.4, by the standard's own words: what another system makes of a document."""

import datetime
import math
from xml.etree import ElementTree

import numpy as np

from gauger.models.pmml import NAMESPACE

_IN = {"p": NAMESPACE}
_CONSTANTS = {
    "string": str,
    "double": float,
    "boolean": lambda text: text == "true",
    "dateTime": datetime.datetime.fromisoformat,
}
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


def _value(node: ElementTree.Element, row: dict[str, object]) -> object:
    """What an expression of the document comes to for one customer."""
    tag = node.tag.removeprefix(f"{{{NAMESPACE}}}")
    if tag == "FieldRef":
        return row[node.attrib["field"]]
    if tag == "Constant":
        return _CONSTANTS[node.attrib["dataType"]](node.text)
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


def segment_by_pmml(root: ElementTree.Element, row: dict[str, object]) -> int:
    """The segment of a customer as another system would find it from the document."""
    known = dict(row)
    for field in root.iterfind(".//p:LocalTransformations/p:DerivedField", _IN):
        known[field.attrib["name"]] = _value(field[0], known)
    own = [known[field.attrib["field"]] for field in root.iterfind(".//p:ClusteringField", _IN)]
    apart = {}
    for cluster in root.iterfind(".//p:Cluster", _IN):
        centre = [float(value) for value in cluster.find("p:Array", _IN).text.split()]
        apart[int(cluster.attrib["id"])] = sum((a - b) ** 2 for a, b in zip(own, centre, strict=True))
    return min(apart, key=lambda number: apart[number])
