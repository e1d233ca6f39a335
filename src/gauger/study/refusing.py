"""Remarks that a plan does not accept, as errors."""

from collections.abc import Iterable

from gauger.errors import RefusedRemarkError
from gauger.remarks import Remark
from gauger.study.plan_parts import Plan


def refuse_remarks(plan: Plan, remarks: Iterable[Remark]) -> None:
    """Raise RefusedRemarkError for the remarks that a plan refuses by their code."""
    refused = [remark for remark in remarks if remark.code in plan.remarks.refuse]
    if refused:
        told = " ".join(f"{remark.text} [{remark.code}]" for remark in refused)
        raise RefusedRemarkError(f"the plan refuses {', '.join(sorted({one.code for one in refused}))}: {told}")
