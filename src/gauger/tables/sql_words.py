"""Names and values as SQL, quoted so that they are only names and values."""

from datetime import date, datetime


def sql_name(name: str) -> str:
    """A column's or table's name."""
    return '"' + name.replace('"', '""') + '"'


def sql_text(text: str) -> str:
    """A text value."""
    return "'" + text.replace("'", "''") + "'"


def sql_moment(moment: datetime) -> str:
    """A moment."""
    return f"CAST({sql_text(moment.isoformat(sep=' '))} AS TIMESTAMP)"


def sql_day(day: date) -> str:
    """A day."""
    return f"CAST({sql_text(day.isoformat())} AS DATE)"
