"""Read and write open formats: files, databases, and folders of results that appear whole."""

from gauger.tables.arrow import to_pandas
from gauger.tables.blocks import FileBlocks
from gauger.tables.databases import connected, is_url, without_password
from gauger.tables.formats import write_file
from gauger.tables.formula_escaping import arrow_made_harmless
from gauger.tables.reading import read_table
from gauger.tables.staging import publish_folder, refuse_link, stage_in
from gauger.tables.type_inference import ProvenKinds, as_typed, is_plain_number
from gauger.tables.writing import Results, result_folder, write_table

__all__ = [
    "FileBlocks",
    "ProvenKinds",
    "Results",
    "arrow_made_harmless",
    "as_typed",
    "connected",
    "is_plain_number",
    "is_url",
    "publish_folder",
    "read_table",
    "refuse_link",
    "result_folder",
    "stage_in",
    "to_pandas",
    "without_password",
    "write_file",
    "write_table",
]
