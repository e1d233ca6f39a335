"""What a table holds: its key, the facts and the role of each column, and what a study would stumble over."""

from gauger.columns.checking import (
    checked_table,
    keys_as_text,
    refuse_bad_key,
    refuse_bad_names,
    refuse_missing_key,
    refuse_reserved_key,
)
from gauger.columns.facts import LONG_TAIL, NEARLY_ALL, ColumnFacts, Values
from gauger.columns.looking import TableLook, look
from gauger.columns.ordered_levels import levels_in_order
from gauger.columns.roles import MOST_LEVELS, guess_role, is_identifier, is_ordinal_code, named_like_a_key

__all__ = [
    "LONG_TAIL",
    "MOST_LEVELS",
    "NEARLY_ALL",
    "ColumnFacts",
    "TableLook",
    "Values",
    "checked_table",
    "guess_role",
    "is_identifier",
    "is_ordinal_code",
    "keys_as_text",
    "levels_in_order",
    "look",
    "named_like_a_key",
    "refuse_bad_key",
    "refuse_bad_names",
    "refuse_missing_key",
    "refuse_reserved_key",
]
