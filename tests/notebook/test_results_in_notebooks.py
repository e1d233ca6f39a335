"""Results in a notebook: a figure beside the table, remarks folded, and nothing that data hold is run."""

import re
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger import hooks
from tests.examples import thoroughly

HOSTILE = "<img src=x onerror=alert(1)>"


@pytest.fixture(scope="module")
def results(
    demo_features: gauger.FeatureSet,
    demo_study: gauger.CountStudy,
    demo_segments: gauger.Segmentation,
    tmp_path_factory: pytest.TempPathFactory,
) -> dict[str, Any]:
    few = demo_features.part(np.arange(300))
    folder = tmp_path_factory.mktemp("study") / "segments"
    gauger.save_study(demo_segments, folder)
    return {
        "features": demo_features,
        "count study": demo_study,
        "segmentation": demo_segments,
        "study": gauger.open_study(folder),
        "profile": gauger.profile(demo_segments),
        "comparison": gauger.compare(demo_segments, demo_study.segmentations[3]),
        "migration": gauger.migration(demo_segments, demo_study.segmentations[3]),
        "tree": gauger.build_tree(few),
        "tree of features": gauger.build_tree(few, of="features"),
        "radius study": gauger.study_radius(few),
        "advice": demo_study.advice,
        "model": gauger.build_model(demo_segments),
        "silhouette": gauger.silhouette(demo_segments),
        "drift": gauger.drift(gauger.build_model(demo_segments), demo_features.original.reset_index()),
    }


DRAWN = """
    features|count study|segmentation|study|profile|comparison|migration|tree|tree of features|radius study
""".strip().split("|")


@pytest.mark.slow
@pytest.mark.parametrize("name", thoroughly(DRAWN, 3))
def test_a_result_stands_beside_its_figure(results: dict[str, Any], name: str) -> None:
    shown = results[name]._repr_html_()
    assert shown.count("<table") == 1
    (words,) = re.findall(r'<img [^>]*alt="([^"]+)" src="data:image/png;base64,', shown)
    assert len(words) > 40
    assert "flex-wrap:wrap" in shown


@pytest.mark.parametrize("name", ["advice", "model", "silhouette", "drift"])
def test_what_has_no_figure_has_its_table(results: dict[str, Any], name: str) -> None:
    shown = results[name]._repr_html_()
    assert "<table" in shown
    assert "<img" not in shown


def test_advice_tells_what_each_criterion_alone_would_take(results: dict[str, Any]) -> None:
    shown = results["advice"]._repr_html_()
    assert "alone would take" in shown
    for criterion in results["advice"].picks:
        assert f"<th>{criterion}</th>" in shown


def test_remarks_are_folded_and_counted(features_of: Callable[..., gauger.FeatureSet]) -> None:
    features = features_of([[0.0, 1.0], [1.0, 1.0], [2.0, 1.0]])
    shown = features._repr_html_()
    count = len(features.remarks)
    assert f"<details><summary>{count} remark" in shown
    assert shown.count("<li>") == count


@pytest.mark.slow
def test_what_data_hold_is_shown_as_text() -> None:
    table = pd.DataFrame({"who": range(8), HOSTILE: [1, 2, 1, 2, 9, 8, 9, 8], "b\x1b[31m": range(8)})
    features = gauger.prepare(table, key="who")
    named = gauger.segment_by_kmeans(features, 2).rename({1: HOSTILE})
    for result in (features, named, gauger.profile(named), gauger.look(table, key="who")):
        shown = result._repr_html_()
        assert "<img src=x" not in shown
        assert "\x1b" not in shown


def test_too_little_to_draw_leaves_the_table() -> None:
    one = gauger.prepare(pd.DataFrame({"who": ["a"], "visits": [3]}), key="who", scale="none")
    seg = gauger.segment_by_kmeans(one, 1)
    assert "<table" in seg._repr_html_()


@pytest.mark.slow
def test_a_figure_shows_itself_with_its_words(results: dict[str, Any]) -> None:
    """A kernel shows figures of pyplot alone by itself, and ours are none."""
    shown = gauger.draw.profile_bars(results["profile"])._repr_html_()
    (words,) = re.findall(r'^<img [^>]*alt="([^"]+)" src="data:image/png;base64,[A-Za-z0-9+/=]+">$', shown)
    assert words.startswith("Strongest contrast: ")
    hostile = gauger.segment_by_kmeans(
        gauger.prepare(pd.DataFrame({"who": range(8), 'a"><b>': [1, 2, 1, 2, 9, 8, 9, 8]}), key="who"), 2
    )
    assert "><b>" not in gauger.draw.profile_bars(gauger.profile(hostile))._repr_html_()


def test_figures_can_be_turned_off(results: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("GAUGER_NOTEBOOK_FIGURES", "0")
    assert "<img" not in results["segmentation"]._repr_html_()


def test_without_anybody_to_draw_there_is_no_figure(results: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(hooks, "_figure_makers", [])
    assert hooks.figure_of(results["profile"]) == ""
