"""Files, or whatever else gives Arrow tables in blocks, as a place where customers live: on threads or on a cluster."""

from gauger.sources.files.block_place import BlockPlace
from gauger.sources.files.block_tables import BlockTable, FileTable
from gauger.sources.files.file_parts import BlockPart, is_too_large

__all__ = ["BlockPart", "BlockPlace", "BlockTable", "FileTable", "is_too_large"]
