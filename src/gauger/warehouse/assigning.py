"""Find the segment of a table's customers by a model, inside the database."""

from dataclasses import dataclass
from secrets import token_hex

import pandas as pd

from gauger.models import WHYS, LearnedModel, SegmentModel, about_left_out, gates_of
from gauger.readable import Readable
from gauger.remarks import Remark
from gauger.segmentation import UNASSIGNED_NAME
from gauger.tables import Mark, Session, approve_typed, new_name, transaction
from gauger.warehouse.customers import Customers
from gauger.warehouse.relations import relation_of
from gauger.warehouse.replacing import refuse_taken
from gauger.warehouse.survey import refuse_bad_keys
from gauger.warehouse.writing import say_what_it_is, write_assignments
from gauger.wording import Noun


@dataclass(frozen=True, repr=False, eq=False)
class DatabaseAssignments(Readable):
    """What `assign_in_database` did.

    Attributes
    ----------
    into : str
        The table that was made.
    customers : pandas.DataFrame
        How many customers are in each segment; 0 is unassigned.
    remarks : tuple of Remark
        The cautions.

    See Also
    --------
    assign_in_database : Makes one.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(70) AS t(i)")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     model = gauger.segment_in_database(url, table="base", into="segments", key="who", count=2).model
    ...     gauger.assign_in_database(model, url, table="base", into="again").customers["customers"].tolist()
    [42, 28]
    """

    into: str
    customers: pd.DataFrame
    remarks: tuple[Remark, ...] = ()

    def headline(self) -> str:
        return f"{int(self.customers['customers'].sum()):,} customers assigned, in table {self.into}"

    def overview(self) -> pd.DataFrame:
        return self.customers


def customers_for(session: Session, table: str, model: LearnedModel) -> Customers:
    """The customers of a table as a model reads them; raises for columns that it lacks or that hold no numbers."""
    relation = relation_of(session, table)
    relation.refuse_lacking([model.key, *(one.column for one in model.features)])
    measures = tuple(one.name for one in model.features if one.indicator is None)
    relation.refuse_no_numbers(measures)
    indicators = {one.name: one.indicator for one in model.features if one.indicator is not None}
    found = Customers(session, relation, model.key, measures, indicators)
    found = Customers(session, relation, model.key, measures, indicators, (), frozenset(found.floats()))
    refuse_bad_keys(found)
    return found


def assign_in_database(
    model: SegmentModel,
    url: str,
    *,
    table: str,
    into: str,
    gate: float | str | None = None,
    replace: bool = False,
) -> DatabaseAssignments:
    """Find the segment of every customer of a table by a model, inside the database, and write it into another table.

    Parameters
    ----------
    model : SegmentModel
        What was learned, in memory or in a database.
    url, table : str
        The database and the table or view with a row a customer, as for `segment_in_database`.
    into : str
        The table that is made: the key, segment (0 for none), segment_name, distance, and why a customer is in none.
    gate : "learned" or float, optional
        How far from its segment a customer may be; by default any distance.
    replace : bool
        Whether a table that is there may be replaced.

    Returns
    -------
    DatabaseAssignments
        How many customers are in each segment, and the remarks.

    Raises
    ------
    DatabaseError, UnknownTableError, UnknownColumnError, KeyColumnError, ColumnValuesError
        As `segment_in_database` does.
    SettingError
        For a model of another kind than centres or bands.

    Examples
    --------
    >>> import duckdb, gauger, tempfile
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     shop = duckdb.connect(f"{folder}/shop.duckdb")
    ...     _ = shop.sql("CREATE TABLE base AS SELECT i AS who, (i % 5) ** 2 AS visits FROM range(70) AS t(i)")
    ...     shop.close()
    ...     url = f"duckdb:///{folder}/shop.duckdb"
    ...     model = gauger.segment_in_database(url, table="base", into="segments", key="who", count=2).model
    ...     done = gauger.assign_in_database(model, url, table="base", into="again", gate="learned")
    >>> done.into, done.customers["customers"].tolist()
    ('again', [42, 28])
    """
    approve_typed(url)
    name = new_name(into)
    with transaction(url) as session:
        refuse_taken(session, [name], [relation_of(session, table)], replace=replace)
        customers = customers_for(session, table, model)
        write_assignments(customers, model, name, gates=gates_of(model, gate), left_out=False)
        noun = Noun.of_key(model.key)
        told = f"{noun.many} of {customers.relation.name.typed} by the {model.headline()}, {model.made_at}."
        say_what_it_is(session, {name: f"Gauger {model.made_by}: {told}"}, Mark(model.identity, token_hex(16)))
        rows = session.rows(f"SELECT segment, why, COUNT(*) FROM {name.sql} GROUP BY segment, why")
    reasons = pd.Series(0, index=range(len(WHYS)))
    sizes = dict.fromkeys([one.number for one in model.segments], 0)
    outside = 0
    for segment, why, count in rows:
        reasons[WHYS.index(why)] += int(count)
        if segment:
            sizes[int(segment)] += int(count)
        else:
            outside += int(count)
    named = [(number, model.segment_names[number], size) for number, size in sizes.items()]
    named += [(0, UNASSIGNED_NAME, outside)] if outside else []
    table_of = pd.DataFrame(named, columns=["segment", "name", "customers"]).set_index("segment")
    everyone = int(reasons.sum())
    return DatabaseAssignments(into, table_of, tuple(about_left_out(reasons.to_numpy(), everyone)))
