"""Every sentence of an advice that compares, counts or ranks is recomputed from the table it speaks of."""

import re

import numpy as np
import pandas as pd
import pytest
from naive_density import features_of

import gauger
from gauger.algorithms.diagnostics import Knee
from gauger.choosing.radius_advice import RadiusAdvice, advise_radius, plateaus_of

NUMBER = r"(-?[0-9][0-9.,]*[0-9]|-?[0-9])"


def _radius_table(rng: np.random.Generator) -> pd.DataFrame:
    radii = int(rng.integers(2, 13))
    fair = np.sort(rng.integers(1, 6, radii))[::-1] if rng.random() < 0.7 else rng.integers(0, 6, radii)
    segments = fair + rng.integers(0, 4, radii)
    validity = np.where(segments > 1, rng.uniform(-1.0, 1.0, radii).round(2), np.nan)
    agreement = np.append(rng.choice([0.5, 0.95, 1.0], radii - 1), np.nan)
    unassigned = rng.uniform(0.0, 0.6, radii)
    return pd.DataFrame(
        {
            "segments": segments,
            "fair_segments": fair,
            "unassigned_share": unassigned,
            "largest_share": (1.0 - unassigned) / np.maximum(segments, 1),
            "validity": validity,
            "agreement": agreement,
        },
        index=pd.Index(np.cumsum(rng.uniform(0.1, 1.0, radii)), name="radius"),
    )


def _true_of_radius(advice: RadiusAdvice, table: pd.DataFrame) -> None:
    told = " ".join(advice.sentences())
    row = table.loc[advice.radius]
    for said in re.findall(rf"density-based validity is {NUMBER}, the most valid of the table", told):
        assert float(said) == pytest.approx(table["validity"].max(), abs=0.005)
    for said, radii in re.findall(
        rf"density-based validity is {NUMBER}, the most valid of the {NUMBER} radii with two segments of a fair", told
    ):
        apart = table[table["fair_segments"] > 1]
        assert int(radii) == len(apart)
        assert float(said) == pytest.approx(apart["validity"].max(), abs=0.005)
        assert float(said) < table["validity"].max()
    for said in re.findall(rf"the most valid segments \({NUMBER}\)", told):
        assert float(said) == pytest.approx(table["validity"].max(), abs=0.005)
    for share, segments, largest in re.findall(
        rf"{NUMBER}% are unassigned, the largest of {NUMBER} segments? holds {NUMBER}%", told
    ):
        assert float(share) == pytest.approx(100.0 * row["unassigned_share"], abs=0.06)
        assert int(segments) == row["segments"]
        assert float(largest) == pytest.approx(100.0 * row["largest_share"], abs=0.51)
    for segments, agreement in re.findall(rf"{NUMBER} segments of a fair size, agreeing by at least {NUMBER}", told):
        found = [one for one in plateaus_of(table) if one.first <= table.index.get_loc(advice.radius) <= one.last]
        assert [one.segments for one in found] == [int(segments)]
        assert 0.0 <= found[0].agreement - float(agreement) < 0.01
    for segments, radii in re.findall(rf"{NUMBER} segments of a fair size, over {NUMBER} radii", told):
        assert any((one.segments, one.radii) == (int(segments), int(radii)) for one in plateaus_of(table))


def test_what_the_advice_on_the_radius_says_is_true_of_its_table() -> None:
    seen = set()
    for seed in range(300):
        rng = np.random.default_rng(seed)
        table = _radius_table(rng)
        knee = Knee(float(rng.choice(table.index)), 0.5, float(rng.uniform(0.0, 1.0))) if rng.random() < 0.8 else None
        advice = advise_radius(table, knee, int(rng.integers(1, 6)), 4)
        _true_of_radius(advice, table)
        seen |= set(
            re.findall(r"most valid of the table|most valid of the \d+|most valid segments|hardly changes", str(advice))
        )
    assert len({re.sub(r"\d+", "n", one) for one in seen}) == 4


def _customers(rng: np.random.Generator) -> gauger.FeatureSet:
    groups, features = int(rng.integers(1, 5)), int(rng.integers(1, 4))
    centres = rng.uniform(-6.0, 6.0, size=(groups, features))
    values = centres[rng.integers(0, groups, 90)] + rng.normal(size=(90, features))
    return features_of(np.round(values, 1) if rng.random() < 0.3 else values)


CRITERIA = {
    "the silhouette": "silhouette",
    "prediction strength": "prediction_strength",
    "stability": "stability",
    "the gap": "gap",
    "Caliński-Harabasz": "calinski_harabasz",
    "Davies-Bouldin": "davies_bouldin",
    "the elbow": "elbow",
}


def _true_of_counts(study: gauger.CountStudy) -> None:
    table, advice = study.table, study.advice
    told = " ".join([*advice.reasons, *(f"{count}: {why}." for count, why in advice.alternatives.items())])
    apart = table["silhouette"].dropna()
    for said in re.findall(rf"[Tt]he silhouette is {NUMBER},", told):
        assert float(said) == pytest.approx(apart[advice.count], abs=0.006)
    for said in re.findall(rf"the highest silhouette is {NUMBER},", told):
        assert float(said) == pytest.approx(apart.max(), abs=0.006)
    for count, said in re.findall(rf"{NUMBER}: the highest silhouette \({NUMBER}\)", told):
        assert float(said) == pytest.approx(apart.max(), abs=0.006)
        assert apart[int(count)] == apart.max()
    for share in re.findall(rf"the smallest holds {NUMBER}% of", told):
        assert float(share) == pytest.approx(100.0 * table.loc[advice.count, "smallest_share"], abs=0.06)
    picks = advice.picks
    assert picks["silhouette"] == apart.idxmax()
    assert picks["calinski_harabasz"] == table["calinski_harabasz"].idxmax()
    assert picks["davies_bouldin"] == table["davies_bouldin"].idxmin()
    for names, count in re.findall(rf"((?:[Tt]he |[A-Z]|[a-z])[^.;:]*?) says? {NUMBER}", told):
        for written, name in CRITERIA.items():
            if written.lower() in names.lower() and name in picks:
                assert picks[name] == int(count), (names, count, picks)


@pytest.mark.parametrize("part", [0, pytest.param(1, marks=pytest.mark.slow)])
def test_what_the_advice_on_the_count_says_is_true_of_its_table(part: int) -> None:
    for seed in range(12) if part == 0 else range(12, 300):
        rng = np.random.default_rng([38, seed])
        study = gauger.study_counts(_customers(rng), counts=range(1, 6), starts=2, references=3, resamples=3)
        _true_of_counts(study)
