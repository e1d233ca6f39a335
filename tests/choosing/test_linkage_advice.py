"""What is advised of linkages whose figures are given."""

import pandas as pd
import pytest

from gauger.choosing.linkage_studies import CAUTION, _advise

NAMES = ["average", "complete", "single", "ward"]


def _table(**changed: list[float]) -> pd.DataFrame:
    plain = {
        "cophenetic_correlation": [0.7, 0.6, 0.7, 0.65],
        "largest_share": [0.4, 0.4, 0.4, 0.4],
        "small": [0, 0, 0, 0],
        "inversions": [0, 0, 0, 0],
        "agreement": [0.8, 0.9, 0.7, 0.8],
    }
    return pd.DataFrame({**plain, **changed}, index=NAMES)


def test_the_best_agrees_with_the_others_and_half_counts_how_it_tells_the_distances() -> None:
    best, reasons = _advise(_table(), 3)
    assert best == "complete"  # 0.9 + 0.3, before 0.8 + 0.35
    assert reasons[0] == (
        "At 3 segments complete linkage makes none too small and puts 40% into the largest; it agrees with the others "
        "by 0.90 on average (adjusted Rand), and its heights tell the distances with r = 0.60."
    )
    assert reasons[1] == "Average linkage tells the distances best (r = 0.70)."
    assert reasons[2:] == (CAUTION,)
    assert _advise(_table(cophenetic_correlation=[0.7, 0.49, 0.7, 0.65]), 3)[0] == "average"


@pytest.mark.parametrize(("fidelity", "said"), [(0.63, True), (0.61, False)])
def test_a_linkage_that_tells_distances_better_by_two_hundredths_is_named(fidelity: float, said: bool) -> None:
    _, reasons = _advise(_table(cophenetic_correlation=[fidelity, 0.6, 0.5, 0.5]), 3)
    assert any("tells the distances best" in one for one in reasons) is said


@pytest.mark.parametrize(("share", "chained"), [(0.91, True), (0.9, False)])
def test_beyond_nine_tenths_in_one_segment_a_linkage_chains(share: float, chained: bool) -> None:
    best, reasons = _advise(_table(largest_share=[0.4, share, share, 0.4]), 3)
    assert best == ("average" if chained else "complete")
    said = "Complete (91%) and single (91%) put nearly everyone into one segment: a chain."
    assert (said in reasons) is chained


def test_small_segments_and_inversions_make_a_linkage_unusable_unless_it_chains_anyway() -> None:
    best, reasons = _advise(_table(small=[0, 2, 1, 0], largest_share=[0.4, 0.4, 0.95, 0.4]), 3)
    assert best == "average"
    assert "Complete spends segments on a few customers that lie apart." in reasons
    assert "Single (95%) puts nearly everyone into one segment: a chain." in reasons
    best, reasons = _advise(_table(inversions=[1, 3, 0, 0]), 3)
    assert best == "ward"
    assert "Average and complete have merges below earlier ones, which cannot be cut by height." in reasons


def test_where_none_will_do_the_most_even_one_comes_nearest() -> None:
    best, reasons = _advise(_table(small=[1, 1, 1, 1], largest_share=[0.5, 0.6, 0.3, 0.7]), 4)
    assert best == "single"
    assert reasons[0] == ("No linkage gives 4 segments of a fair size; single comes nearest, with 30% in the largest.")
