"""The printed statement in a real PostgreSQL gives the same behaviour as DuckDB does here."""

import numpy as np
import pandas as pd
import pytest
import sqlalchemy

import gauger

EVENTS = {
    "customer": "member_id",
    "when": "visited_on",
    "amount": "ticket_spend",
    "quantity": "seats",
    "category": "film_kind",
    "measures": "all",
}


def _agree(ours: pd.DataFrame, theirs: pd.DataFrame) -> None:
    theirs = theirs.set_index("member_id").loc[ours["member_id"]].reset_index()
    assert theirs.columns.tolist() == ours.columns.tolist()
    for name in ours.columns:
        if pd.api.types.is_numeric_dtype(ours[name]):
            np.testing.assert_allclose(
                theirs[name].astype(float), ours[name].astype(float), rtol=1e-9, atol=1e-9, err_msg=name
            )
        else:
            assert theirs[name].astype(str).tolist() == ours[name].astype(str).tolist()


@pytest.mark.slow
def test_postgres_and_duckdb_give_the_same_features(postgres: str, visits: pd.DataFrame, members: pd.DataFrame) -> None:
    ours = gauger.summarise_events(visits, **EVENTS, event_key="visit_id", customers=members)
    statement = gauger.events_sql(
        visits, dialect="postgres", table="visits", customers_table="members", **EVENTS, event_key="visit_id"
    )
    _agree(ours, gauger.read_table(postgres, query=statement))


@pytest.mark.slow
def test_behaviour_from_postgres_tables_is_the_behaviour_from_files(postgres: str, visits: pd.DataFrame) -> None:
    columns = {name: EVENTS[name] for name in ("customer", "when", "amount")}
    from_database = gauger.summarise_events(gauger.read_table(postgres, table="visits"), **columns)
    pd.testing.assert_frame_equal(from_database, gauger.summarise_events(visits, **columns), check_exact=True)


@pytest.mark.slow
def test_features_prepared_from_postgres_are_those_from_files_with_the_same_remarks(
    postgres: str, visits: pd.DataFrame
) -> None:
    columns = {name: EVENTS[name] for name in ("customer", "when", "amount", "quantity", "category")}
    prepared = [
        gauger.prepare(gauger.summarise_events(events, **columns), key="member_id", transform="signed_log")
        for events in (visits, gauger.read_table(postgres, table="visits"))
    ]
    np.testing.assert_array_equal(prepared[0].values, prepared[1].values)
    assert prepared[0].remarks == prepared[1].remarks != ()


def test_awkward_names_and_levels_are_quoted_for_postgres(postgres: str) -> None:
    events = pd.DataFrame(
        {
            'who "is"': ["a", "b", "b"],
            "at": pd.to_datetime(["2025-01-01 08:00", "2025-01-01 09:30", "2025-01-05 23:00"]),
            "of kind": ["it's", "it's", "a\\b"],
        }
    )
    engine = sqlalchemy.create_engine(postgres)
    events.to_sql("odd table", engine, index=False)
    engine.dispose()
    asked = {"customer": 'who "is"', "when": "at", "category": "of kind", "measures": "all", "category_noun": "kind"}
    ours = gauger.summarise_events(events, **asked)
    theirs = gauger.read_table(
        postgres, query=gauger.events_sql(events, dialect="postgres", table="odd table", **asked)
    )
    assert ours["share_morning"].tolist() == [1.0, 0.5]
    _agree(ours.rename(columns={'who "is"': "member_id"}), theirs.rename(columns={'who "is"': "member_id"}))
