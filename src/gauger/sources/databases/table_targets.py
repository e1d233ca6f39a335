"""Where segments are written in a database, and what says so there."""

import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field

from gauger.models import SegmentModel
from gauger.sources.databases.table_replacing import refuse_other_study
from gauger.tables import Mark, Session, TableName, mark_and_words, new_name, put_mark, sql_text

CENTRES = "_centres"
"""What the table of centres has behind the name of that of segments."""


@dataclass(frozen=True)
class TableTarget:
    """Where segments are written: the table as it was typed, whether one that Gauger made may be replaced, and the
    token that tells this write from every other."""

    into: str
    replace: bool = False
    token: str = field(default_factory=lambda: secrets.token_hex(16))

    @property
    def segments(self) -> TableName:
        """The table of who is in which segment."""
        return new_name(self.into)

    @property
    def centres(self) -> TableName:
        """The table of centres."""
        return self.segments.beside(CENTRES)

    @property
    def tables(self) -> tuple[TableName, TableName]:
        """All that are made."""
        return self.segments, self.centres


def rename_segments(session: Session, target: TableTarget, model: SegmentModel, names: Mapping[int, str]) -> None:
    """Give a study's segments other names in its tables; raises DatabaseError where these are another study's."""
    for table in target.tables:
        refuse_other_study(session, table, model)
    cases = " ".join(f"WHEN {number} THEN {sql_text(name)}" for number, name in names.items())
    for table in target.tables:
        known = mark_and_words(session, table)
        put_mark(session, table, "" if known is None else known[1], Mark(model.identity, target.token))
        session.rows(f"UPDATE {table.sql} SET segment_name = CASE segment {cases} ELSE segment_name END")
