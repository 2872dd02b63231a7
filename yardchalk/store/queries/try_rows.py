"""Tries."""

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one


def ask_try(connection: Connection[Row], photo_id: int, sheet: str, spec: str, key: str, again: bool) -> Row:
    """The try of this key on a photo, made if it was never asked. One that waits without a job is to be queued.

    With `again` one that failed waits anew.
    """
    connection.execute(
        "INSERT INTO tries (photo_id, sheet, spec, key) VALUES (%s, %s, %s, %s) ON CONFLICT (photo_id, key) DO NOTHING",
        (photo_id, sheet, spec, key),
    )
    if again:
        connection.execute(
            "UPDATE tries SET state = 'waiting', job_id = NULL, error = NULL WHERE photo_id = %s AND key = %s AND state = 'failed'",
            (photo_id, key),
        )
    row = one(connection, "SELECT * FROM tries WHERE photo_id = %s AND key = %s FOR UPDATE", photo_id, key)
    assert row is not None
    return row


def set_try_job(connection: Connection[Row], try_id: int, job_id: int) -> None:
    connection.execute("UPDATE tries SET job_id = %s WHERE id = %s", (job_id, try_id))


def begin_try(connection: Connection[Row], try_id: int) -> Row | None:
    """What is to be tried; None if it is done."""
    return one(
        connection,
        """UPDATE tries t SET state = 'running' FROM photos p JOIN lots l ON l.id = p.lot_id LEFT JOIN photos e ON e.id = l.empty_photo
           WHERE t.id = %s AND t.photo_id = p.id AND t.state IN ('waiting', 'running')
           RETURNING t.id, t.sheet, t.spec, p.id AS photo_id, p.lot_id, p.digest, p.name, e.digest AS empty""",
        try_id,
    )


def finish_try(connection: Connection[Row], try_id: int, done: Row) -> None:
    connection.execute(
        """UPDATE tries SET state = 'done', verdict = %s, findings = %s, figures = %s, preview = %s, took_ms = %s, error = NULL
           WHERE id = %s""",
        (done["verdict"], Jsonb(done["findings"]), Jsonb(done["figures"]), done["preview"], done["took_ms"], try_id),
    )


def fail_try(connection: Connection[Row], try_id: int, error: str) -> None:
    connection.execute("UPDATE tries SET state = 'failed', error = %s WHERE id = %s", (error, try_id))


def lost_tries(connection: Connection[Row]) -> list[Row]:
    """Tries that wait for a job which is over or gone; none of the last ten seconds."""
    return every(
        connection,
        """SELECT t.id FROM tries t LEFT JOIN procrastinate_jobs j ON j.id = t.job_id
           WHERE t.state IN ('waiting', 'running') AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND t.at < now() - interval '10 seconds' FOR UPDATE OF t SKIP LOCKED""",
    )
