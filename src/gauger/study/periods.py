"""Whether two studies count events over periods of the same length."""

from collections.abc import Iterator
from datetime import datetime

from gauger.remarks import Remark
from gauger.study.plan_parts import Plan

_ALIKE = 0.1
"""Periods whose lengths differ by no more than this share are as good as equal, such as two quarters: chosen by us."""


def about_periods(before: Plan | None, after: Plan | None) -> Iterator[Remark]:
    """A remark where the events of two studies were counted over periods of different length."""
    first, second = _days(before), _days(after)
    if first is None or second is None or abs(first - second) <= _ALIKE * max(first, second):
        return
    yield Remark(
        "periods-differ",
        f"the earlier study counts events over {first:,} days, the later one over {second:,}: counts and totals differ "
        "for that reason alone, and so does recency. Count both over the same length (window=, --window; or since= and "
        "as_of=), then compare.",
    )


def _days(plan: Plan | None) -> int | None:
    """How many days the events of a study cover; None where it has none, or was never made."""
    if plan is None or plan.events is None or plan.events.period is None:
        return None
    first, last = (datetime.fromisoformat(one) for one in plan.events.period)
    return (last.date() - first.date()).days
