"""Which connections and queries a user has approved: those that were typed, and those that were trusted once.

A plan that came from somebody else may name a server or a query. Neither is used before this user has approved it: by
typing it, by trusting the plan, or for scheduled jobs by GAUGER_TRUST_PLANS=1.
"""

import hashlib
import json
import os
import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote, urlsplit

from gauger.errors import UnapprovedError
from gauger.tables.databases import without_password
from gauger.tables.url_variables import sent_url
from gauger.tables.user_state import recall, remember

TRUST_VARIABLE = "GAUGER_TRUST_PLANS"
"""The environment variable that approves whatever plans name, when it is 1."""

_APPROVED = "approved"
_EMBEDDED = ("sqlite", "duckdb")
_USUAL_PORTS: dict[str, int] = {"postgresql": 5432, "mysql": 3306, "mariadb": 3306, "mssql": 1433, "oracle": 1521}
"""The port that a URL without one means, by the kind of database: those registered with IANA."""
_PASSWORD_FROM = re.compile(r"://[^/@]*:\$\{(\w+)\}@")

_PASSWORD = re.compile(r"(://[^:/@]*):.*@", re.DOTALL)
_SECRET_SETTING = re.compile(r"(?<=[?&])[^=&]*(?:pass|pwd|secret|token)[^=&]*=[^&]*&?", re.IGNORECASE)

_here: set[str] = set()
"""What was approved in this process, for users whose state folder cannot be written."""
_trusting: ContextVar[bool] = ContextVar("gauger_trusting_plans", default=False)


@dataclass(frozen=True)
class Connection:
    """A use of a database that a plan names in its part `named`: a table is read, a query is run, or a table is
    written."""

    url: str
    query: str | None = None
    writes: bool = False
    named: str = ""

    def facts(self) -> list[str]:
        """What has to be approved: reading a table of a file needs nothing, for it is a local file like any other."""
        place = place_of_database(self.url)
        embedded = place["kind"] in _EMBEDDED
        found = [_digest(place)] if self.writes or not embedded else []
        return [*found, *([] if self.query is None else [_digest({**place, "query": self.query})])]

    def told(self) -> str:
        """What the user is asked to approve, with variables unexpanded and no password."""
        part = f" (in [{self.named}])" if self.named else ""
        lines = [f"database {without_password(self.url)}{part}{', to write a table there' if self.writes else ''}"]
        password = _PASSWORD_FROM.search(self.url)
        if password is not None:
            lines.append(f"  password: from the environment variable {password[1]}")
        if self.query is not None:
            lines.append(f"  query: {self.query}")
        return "\n".join(lines)


def place_of_database(url: str) -> dict[str, str]:
    """The kind, host, port, database and user that a URL comes to, in one form."""
    sent = sent_url(_PASSWORD.sub(r"\1@", _SECRET_SETTING.sub("", url))).text
    scheme, _, rest = sent.partition("://")
    kind = scheme.partition("+")[0].lower()
    kind = "postgresql" if kind == "postgres" else kind
    if kind in _EMBEDDED:
        file = unquote(rest.removeprefix("/").partition("?")[0])
        return {"kind": kind, "host": "", "port": "", "database": str(Path(file).resolve()), "user": ""}
    try:
        parts = urlsplit(sent)
        port = str(parts.port or _USUAL_PORTS.get(kind) or "")
        host, user = (parts.hostname or "").lower(), unquote(parts.username or "")
    except ValueError:  # a text that is not a URL is approved as it is
        return {"kind": kind, "host": without_password(sent), "port": "", "database": "", "user": ""}
    settings = "&".join(sorted(one for one in parts.query.split("&") if re.match(r"(?i)(host|port|user|dbname)", one)))
    return {"kind": kind, "host": f"{host}?{settings}", "port": port, "database": parts.path, "user": user}


def approve(connection: Connection) -> None:
    """Remember what the user has typed, or trusts. Jobs that trust every plan remember nothing."""
    _keep(connection, connection.facts())


class PlanUrl(str):
    """A URL as a plan has it, which nobody has typed: to use it approves nothing."""

    __slots__ = ()


def approve_typed(url: str, query: str | None = None) -> None:
    """Remember a connection, and perhaps a query, that the user typed: tables may be written there, too."""
    if isinstance(url, PlanUrl):
        return
    approve(Connection(url, query, writes=True))


def approve_query(url: str, query: str) -> None:
    """Remember a query that the user typed, whoever has named the database."""
    _keep(Connection(url, query), [_digest({**place_of_database(url), "query": query})])


def _keep(connection: Connection, facts: Iterable[str]) -> None:
    if trusts_every_plan():
        return
    for fact in facts:
        if fact not in _here:
            _here.add(fact)
            if recall(_APPROVED, fact) is None:
                remember(_APPROVED, fact, {"url": without_password(connection.url), "query": connection.query})


def refuse_unapproved(connections: Iterable[Connection]) -> None:
    """Raise UnapprovedError for what a plan names and this user has never approved."""
    if trusts_every_plan():
        return
    unknown = [one for one in connections if not all(map(_is_known, one.facts()))]
    if _trusting.get():
        for one in unknown:
            approve(one)
    elif unknown:
        raise UnapprovedError.naming([one.told() for one in unknown])


def trusts_every_plan() -> bool:
    """Whether the environment approves whatever plans name."""
    return os.environ.get(TRUST_VARIABLE) == "1"


@contextmanager
def trusting_plans() -> Iterator[None]:
    """Approve and remember what plans name inside the block."""
    token = _trusting.set(True)
    try:
        yield
    finally:
        _trusting.reset(token)


def _is_known(fact: str) -> bool:
    return fact in _here or recall(_APPROVED, fact) is not None


def _digest(fact: dict[str, str]) -> str:
    return hashlib.sha256(json.dumps(fact, sort_keys=True).encode()).hexdigest()
