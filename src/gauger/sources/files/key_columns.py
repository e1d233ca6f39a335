"""Keys of customers in blocks: how all of them are written, and how results write them."""

import pyarrow as pa
import pyarrow.compute as pc

from gauger.columns import KeyForm, decimals_as_numbers
from gauger.errors import KeyColumnError
from gauger.sources.files.file_parts import BlockPart, is_delimited
from gauger.tables import ReadingRules, typed_columns


def form_of_block(key: str, block: pa.Table, rules: ReadingRules, part: BlockPart) -> KeyForm:
    """How the keys of a block are written; those of a text file count as what they would be if it were read at once."""
    as_text = is_delimited(part)
    stored = typed_columns(block.select([key]), rules)[key] if as_text else block[key]
    keys = decimals_as_numbers(stored)
    if pa.types.is_floating(keys.type):
        return KeyForm.of_numbers(keys.cast(pa.float64()).to_numpy(), as_text=as_text)
    return KeyForm(words=not pa.types.is_integer(keys.type), as_text=as_text, types=frozenset([str(keys.type)]))


def form_of_keys(key: str, rules: ReadingRules, part: BlockPart) -> KeyForm:
    """How the keys of a part are written; all are looked at only where each may be whole or not."""
    found = KeyForm()
    for block in part.blocks([key], rules):
        found += form_of_block(key, block, rules, part)
        if found.words or not (found.as_text or found.decimals):
            break
    return found


def as_results_have(keys: pa.ChunkedArray, form: KeyForm) -> pa.ChunkedArray:
    """Keys as results have them, whatever stores them: text, dates, and numbers that are whole as whole numbers."""
    if pa.types.is_dictionary(keys.type):
        keys = keys.cast(keys.type.value_type)
    if pa.types.is_large_string(keys.type):
        keys = keys.cast(pa.string())
    keys = decimals_as_numbers(keys)
    if not form.become_whole:
        return keys
    if pa.types.is_string(keys.type) and pc.any(pc.match_substring(keys, ".")).as_py():
        keys = keys.cast(pa.float64())
    try:
        return keys.cast(pa.int64())
    except pa.ArrowInvalid as error:
        raise KeyColumnError(
            "the key is stored as whole numbers of different types, and one is too large for all of them to become one "
            f"type ({error}). Export the key as text in every part."
        ) from None
