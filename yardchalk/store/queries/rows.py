"""What all queries share: rows, and telling the listeners."""

from typing import Any

from psycopg import Connection

Row = dict[str, Any]
EVENTS = "yard_events"


def one(connection: Connection[Row], sql: str, *values: Any) -> Row | None:
    return connection.execute(sql, values).fetchone()


def every(connection: Connection[Row], sql: str, *values: Any) -> list[Row]:
    return connection.execute(sql, values).fetchall()


def notify(connection: Connection[Row], payload: str) -> None:
    """Tell the listeners, once the transaction is committed."""
    connection.execute("SELECT pg_notify(%s, %s)", (EVENTS, payload))
