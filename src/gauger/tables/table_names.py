"""Names of tables, as people type them and as SQL has them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from gauger.errors import SettingError
from gauger.tables.sql_words import sql_name


@dataclass(frozen=True)
class TableName:
    """A table's name, perhaps with its schema."""

    schema: str | None
    name: str

    @property
    def sql(self) -> str:
        """The name as SQL."""
        parts = (self.schema, self.name) if self.schema else (self.name,)
        return ".".join(map(sql_name, parts))

    @property
    def typed(self) -> str:
        """The name as it may be typed."""
        return self.name if self.schema is None else f"{self.schema}.{self.name}"

    def beside(self, ending: str) -> "TableName":
        """Another table in the same schema, called alike."""
        return TableName(self.schema, f"{self.name}{ending}")


def names_of(typed: str) -> Iterator[TableName]:
    """What a typed name may mean: the parts between points, quoted or not; or all of it as one name."""
    if not typed or "\x00" in typed:
        raise SettingError(f"{typed!r} is not a valid table name.")
    if '"' in typed:
        parts = [part.replace('""', '"') for part in _quoted_parts(typed)]
        yield TableName(".".join(parts[:-1]) or None, parts[-1])
        return
    schema, _, name = typed.rpartition(".")
    if schema and name:
        yield TableName(schema, name)
    yield TableName(None, typed)


def _quoted_parts(typed: str) -> list[str]:
    found = re.findall(r'"((?:[^"]|"")*)"|([^".]+)', typed)
    parts = [quoted or plain for quoted, plain in found]
    if not 1 <= len(parts) <= 2 or ".".join(parts).replace('"', "") != typed.replace('"', ""):
        raise SettingError(f"{typed!r} is not a valid table name: write schema.table, with quotes around either.")
    return parts


def new_name(typed: str) -> TableName:
    """The name of a table that is to be made."""
    return next(names_of(typed))
