"""Read and write open formats: files, databases, and folders of results that appear whole."""

from gauger.tables.arrow import to_pandas
from gauger.tables.blocks import FileBlocks
from gauger.tables.databases import connected, is_url, password_as, without_password
from gauger.tables.formats import write_file
from gauger.tables.formula_escaping import escaped_arrow
from gauger.tables.reading import read_table
from gauger.tables.type_inference import InferredKinds, as_typed, is_plain_number
from gauger.tables.whole_folders import whole_folder
from gauger.tables.writing import Results, recover_folder, result_folder, write_table

__all__ = [
    "FileBlocks",
    "InferredKinds",
    "Results",
    "as_typed",
    "connected",
    "escaped_arrow",
    "is_plain_number",
    "is_url",
    "password_as",
    "read_table",
    "recover_folder",
    "result_folder",
    "to_pandas",
    "whole_folder",
    "without_password",
    "write_file",
    "write_table",
]
