"""Lots."""

from datetime import date

from psycopg import Connection

from yardchalk.store.queries.rows import Row, every, one

_VERDICTS = """
    count(p.id) AS photos,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'ready') AS ready,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'look') AS look,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'fix') AS fix,
    count(*) FILTER (WHERE p.state = 'failed') AS failed,
    count(*) FILTER (WHERE p.state IN ('waiting', 'running')) AS waiting,
    count(*) FILTER (WHERE p.state = 'idle') AS idle,
    count(*) FILTER (WHERE p.state = 'done' AND p.delivered) AS delivered,
    count(*) FILTER (WHERE p.state = 'done' AND p.engine IS DISTINCT FROM %s) AS outdated
"""


def add_lot(connection: Connection[Row], name: str, sheet: str, spec: str, folder: str | None = None) -> int:
    row = one(connection, "INSERT INTO lots (name, sheet, spec, folder) VALUES (%s, %s, %s, %s) RETURNING id", name, sheet, spec, folder)
    assert row is not None
    return int(row["id"])


def lots(connection: Connection[Row], engine: str) -> list[Row]:
    """All lots that were not removed, with counts; `outdated` are results of another engine."""
    return every(
        connection,
        f"""SELECT l.*, {_VERDICTS},
                   (SELECT count(*) FROM refusals r WHERE r.lot_id = l.id AND r.kind = 'refused') AS refused,
                   ARRAY(SELECT coalesce(f.preview, f.as_shot) FROM photos f
                         WHERE f.lot_id = l.id AND coalesce(f.preview, f.as_shot) IS NOT NULL ORDER BY f.id LIMIT 5) AS fan
            FROM lots l LEFT JOIN photos p ON p.lot_id = l.id WHERE l.removed_at IS NULL GROUP BY l.id ORDER BY l.id DESC""",
        engine,
    )


def lot(connection: Connection[Row], lot_id: int, engine: str = "") -> Row | None:
    return one(
        connection,
        f"""SELECT l.*, {_VERDICTS}, (SELECT count(*) FROM refusals r WHERE r.lot_id = l.id AND r.kind = 'refused') AS refused
            FROM lots l LEFT JOIN photos p ON p.lot_id = l.id WHERE l.id = %s AND l.removed_at IS NULL GROUP BY l.id""",
        engine,
        lot_id,
    )


def set_empty(connection: Connection[Row], lot_id: int, photo_id: int | None) -> None:
    connection.execute("UPDATE lots SET empty_photo = %s WHERE id = %s", (photo_id, lot_id))


def empty_digest(connection: Connection[Row], lot_id: int) -> str | None:
    """Content of the photo that shows the lot's empty set, if one was chosen."""
    row = one(connection, "SELECT p.digest FROM lots l JOIN photos p ON p.id = l.empty_photo WHERE l.id = %s", lot_id)
    return None if row is None else str(row["digest"])


def lot_of_folder(connection: Connection[Row], folder: str) -> Row | None:
    """The lot that a folder's photos go into; one that is only called so, if there is none yet. From now on it is that one."""
    return one(
        connection,
        """UPDATE lots SET folder = %s WHERE id = (
             SELECT id FROM lots WHERE (folder = %s OR folder IS NULL AND name = %s) AND removed_at IS NULL
             ORDER BY folder IS NULL, id LIMIT 1)
           RETURNING *""",
        folder,
        folder,
        folder,
    )


def rename_lot(connection: Connection[Row], lot_id: int, name: str) -> bool:
    return connection.execute("UPDATE lots SET name = %s WHERE id = %s AND removed_at IS NULL", (name, lot_id)).rowcount == 1


def set_due(connection: Connection[Row], lot_id: int, due: date | None) -> bool:
    return connection.execute("UPDATE lots SET due = %s WHERE id = %s AND removed_at IS NULL", (due, lot_id)).rowcount == 1


def set_removed(connection: Connection[Row], lot_id: int, removed: bool) -> bool:
    """Put a lot away, or take it back; whether it was not so before."""
    done = connection.execute(
        "UPDATE lots SET removed_at = CASE WHEN %s THEN now() END WHERE id = %s AND (removed_at IS NULL) = %s", (removed, lot_id, removed)
    )
    return done.rowcount == 1


def removed_lots(connection: Connection[Row], kept_days: int) -> list[Row]:
    """The lots that were put away, the last first, with the time until which they are kept."""
    return every(
        connection,
        """SELECT l.id, l.name, l.removed_at + make_interval(days => %s) AS kept_until, count(p.id) AS photos
           FROM lots l LEFT JOIN photos p ON p.lot_id = l.id WHERE l.removed_at IS NOT NULL
           GROUP BY l.id ORDER BY l.removed_at DESC""",
        kept_days,
    )


def forget_lots(connection: Connection[Row], kept_days: int) -> int:
    """Delete the lots that were put away longer ago; how many."""
    return connection.execute("DELETE FROM lots WHERE removed_at < now() - make_interval(days => %s)", (kept_days,)).rowcount


def set_lot(connection: Connection[Row], lot_id: int, sheet: str, spec: str) -> None:
    connection.execute("UPDATE lots SET sheet = %s, spec = %s WHERE id = %s", (sheet, spec, lot_id))
