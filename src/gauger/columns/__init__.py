"""What a table holds: its key, the facts and the role of each column, and what a study would stumble over."""

from gauger.algorithms import report_through
from gauger.columns.any_table import AnyTable, is_table, whole_table
from gauger.columns.arrow import (
    decimals_as_numbers,
    in_their_order,
    stacked,
    to_pandas,
    without_odd_columns,
    without_views,
)
from gauger.columns.checking import (
    checked_keys,
    checked_table,
    keys_as_text,
    refuse_bad_key,
    refuse_bad_names,
    refuse_missing_key,
    refuse_reserved_key,
)
from gauger.columns.customer_rows import CustomerRows
from gauger.columns.facts import LONG_TAIL, MOST_EXACT, NEARLY_ALL, SENTINELS, ColumnFacts, Values
from gauger.columns.grouped_settings import as_one_value, refuse_no_whole_number
from gauger.columns.key_forms import KeyForm, about_whole_keys
from gauger.columns.looking import TableLook, look
from gauger.columns.open_table import OpenTable
from gauger.columns.ordered_levels import levels_in_order
from gauger.columns.quality_checks import (
    about_codes,
    about_constants,
    about_future,
    about_gaps,
    about_near_constants,
    about_repeated_keys,
    about_single_levels,
    about_stand_ins,
    about_tails,
)
from gauger.columns.roles import (
    MOST_LEVELS,
    NumberTraits,
    are_flags,
    guess_role,
    is_identifier,
    is_ordinal_code,
    named_like_a_key,
    numbers_name_rows,
    role_of,
)
from gauger.errors import SettingError
from gauger.progress import task

__all__ = [
    "LONG_TAIL",
    "MOST_EXACT",
    "MOST_LEVELS",
    "NEARLY_ALL",
    "SENTINELS",
    "AnyTable",
    "ColumnFacts",
    "CustomerRows",
    "KeyForm",
    "NumberTraits",
    "OpenTable",
    "TableLook",
    "Values",
    "about_codes",
    "about_constants",
    "about_future",
    "about_gaps",
    "about_near_constants",
    "about_repeated_keys",
    "about_single_levels",
    "about_stand_ins",
    "about_tails",
    "about_whole_keys",
    "are_flags",
    "as_one_value",
    "checked_keys",
    "checked_table",
    "decimals_as_numbers",
    "guess_role",
    "in_their_order",
    "is_identifier",
    "is_ordinal_code",
    "is_table",
    "keys_as_text",
    "levels_in_order",
    "look",
    "named_like_a_key",
    "numbers_name_rows",
    "refuse_bad_key",
    "refuse_bad_names",
    "refuse_missing_key",
    "refuse_no_whole_number",
    "refuse_reserved_key",
    "role_of",
    "stacked",
    "to_pandas",
    "whole_table",
    "without_odd_columns",
    "without_views",
]

report_through(task, SettingError)
