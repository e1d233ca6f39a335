"""Read and write open formats: files, databases, and folders of results that appear whole."""

from gauger.tables.approvals import (
    Connection,
    PlanUrl,
    approve,
    approve_query,
    approve_typed,
    refuse_unapproved,
    trusting_plans,
    trusts_every_plan,
)
from gauger.tables.block_writing import BLOCK_ENDINGS, BlockWriter, join_pieces
from gauger.tables.blocks import FileBlocks, head_of_file, with_numbers
from gauger.tables.cells import column_of
from gauger.tables.column_hashes import Hashes, hashes_of
from gauger.tables.databases import PASSWORD_VARIABLE, connected, frame_of, is_url, password_as, without_password
from gauger.tables.folder_locks import locked
from gauger.tables.formats import write_file
from gauger.tables.many_files import Source, files_of, is_many_files
from gauger.tables.reading import READABLE, damage, read_table
from gauger.tables.sessions import Row, Session, can_be_sent, dialect_of, heeding_interrupts, transaction
from gauger.tables.sql_words import sql_day, sql_moment, sql_name, sql_text
from gauger.tables.staging import Standing, recover, standing_in
from gauger.tables.table_marks import Mark, mark_and_words, mark_of, mark_table, put_mark
from gauger.tables.table_names import TableName, names_of, new_name
from gauger.tables.text import kind_of_file
from gauger.tables.type_inference import InferredKinds, ReadingRules, is_plain_number, typed_columns
from gauger.tables.whole_folders import FolderResults, whole_folder
from gauger.tables.writing import Results, result_folder, write_table

__all__ = [
    "BLOCK_ENDINGS",
    "PASSWORD_VARIABLE",
    "READABLE",
    "BlockWriter",
    "Connection",
    "FileBlocks",
    "FolderResults",
    "Hashes",
    "InferredKinds",
    "Mark",
    "PlanUrl",
    "ReadingRules",
    "Results",
    "Row",
    "Session",
    "Source",
    "Standing",
    "TableName",
    "approve",
    "approve_query",
    "approve_typed",
    "can_be_sent",
    "column_of",
    "connected",
    "damage",
    "dialect_of",
    "files_of",
    "frame_of",
    "hashes_of",
    "head_of_file",
    "heeding_interrupts",
    "is_many_files",
    "is_plain_number",
    "is_url",
    "join_pieces",
    "kind_of_file",
    "locked",
    "mark_and_words",
    "mark_of",
    "mark_table",
    "names_of",
    "new_name",
    "password_as",
    "put_mark",
    "read_table",
    "recover",
    "refuse_unapproved",
    "result_folder",
    "sql_day",
    "sql_moment",
    "sql_name",
    "sql_text",
    "standing_in",
    "transaction",
    "trusting_plans",
    "trusts_every_plan",
    "typed_columns",
    "whole_folder",
    "with_numbers",
    "without_password",
    "write_file",
    "write_table",
]
