"""The register of remarks: each code that a caution of ours has, what it says, and what to do about it."""

from gauger.remark_register.about_data import ABOUT_DATA
from gauger.remark_register.about_results import ABOUT_RESULTS
from gauger.remark_register.remark_kind import RemarkKind

__all__ = ["REMARKS", "REMARK_CODES", "RemarkKind"]

REMARKS = {kind.code: kind for kind in (*ABOUT_DATA, *ABOUT_RESULTS)}
"""Every kind of remark by its code, in the order in which a study meets them."""

REMARK_CODES = tuple(sorted(REMARKS))
"""Every code, such as a plan may refuse."""
