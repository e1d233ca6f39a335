"""Read and write open formats, and look at a table before anything is done with it."""

from gauger.tables.databases import without_password
from gauger.tables.looking import TableLook, look
from gauger.tables.reading import read_table
from gauger.tables.writing import Results, result_folder, write_table

__all__ = ["Results", "TableLook", "look", "read_table", "result_folder", "without_password", "write_table"]
