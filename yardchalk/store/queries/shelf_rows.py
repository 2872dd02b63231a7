"""The shelf: sheets and specs in versions, and regions kept for other photos."""

from typing import Any

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one


def kept_regions(connection: Connection[Row]) -> list[Row]:
    return every(connection, "SELECT id, name, region FROM kept_regions ORDER BY name")


def keep_region(connection: Connection[Row], name: str, region: Row) -> None:
    connection.execute(
        "INSERT INTO kept_regions (name, region) VALUES (%s, %s) ON CONFLICT (name) DO UPDATE SET region = excluded.region, at = now()",
        (name, Jsonb(region)),
    )


def forget_region(connection: Connection[Row], kept_id: int) -> None:
    connection.execute("DELETE FROM kept_regions WHERE id = %s", (kept_id,))


def shelf(connection: Connection[Row], kind: str) -> list[Row]:
    return every(connection, "SELECT * FROM shelf WHERE kind = %s ORDER BY name, version", kind)


def shelved(connection: Connection[Row], kind: str, name: str, version: int) -> Row | None:
    return one(connection, "SELECT * FROM shelf WHERE kind = %s AND name = %s AND version = %s", kind, name, version)


def newest_shelved(connection: Connection[Row], kind: str, name: str) -> Row | None:
    """The newest version of a name; nobody else adds one until the transaction ends."""
    connection.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", (f"shelf {kind} {name}",))
    return one(connection, "SELECT * FROM shelf WHERE kind = %s AND name = %s ORDER BY version DESC LIMIT 1", kind, name)


def shelve(connection: Connection[Row], kind: str, name: str, version: int, content: Any, note: str, origin: str) -> None:
    connection.execute(
        "INSERT INTO shelf (kind, name, version, content, note, origin) VALUES (%s, %s, %s, %s, %s, %s)",
        (kind, name, version, Jsonb(content), note, origin),
    )


def unshelve(connection: Connection[Row], kind: str, name: str, version: int) -> bool:
    sql = "DELETE FROM shelf WHERE kind = %s AND name = %s AND version = %s RETURNING name"
    return one(connection, sql, kind, name, version) is not None


def shelf_in_use(connection: Connection[Row], kind: str) -> dict[str, int]:
    """How many lots, or photos with a run sheet of their own, name a reference."""
    sql = (
        """SELECT ref, count(*) AS uses FROM (SELECT sheet AS ref FROM lots
           UNION ALL SELECT sheet FROM photos WHERE sheet IS NOT NULL) AS named GROUP BY ref"""
        if kind == "sheet"
        else "SELECT spec AS ref, count(*) AS uses FROM lots GROUP BY spec"
    )
    return {str(row["ref"]): int(row["uses"]) for row in every(connection, sql)}
