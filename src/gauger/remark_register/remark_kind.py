"""One kind of remark."""

from dataclasses import dataclass


@dataclass(frozen=True)
class RemarkKind:
    """One kind of remark: its code, what it is about, what it says, and what to do about it."""

    code: str
    about: str
    says: str
    to_do: str
