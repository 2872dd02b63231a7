"""What was asked of photos, what came of it, and what holds it up."""

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one


def pace(connection: Connection[Row], lot_id: int) -> Row:
    """Milliseconds that a photo of the lot took of late, and how many workers there are."""
    row = one(
        connection,
        """SELECT (SELECT avg(took_ms) FROM (SELECT took_ms FROM photos WHERE lot_id = %s AND took_ms IS NOT NULL
                                             ORDER BY updated_at DESC LIMIT 20) AS late)::float AS took_ms,
                  (SELECT count(*) FROM procrastinate_workers) AS workers""",
        lot_id,
    )
    assert row is not None
    return row


def ask(connection: Connection[Row], photo_id: int, key: str, job_id: int | None, turn: int | None = None) -> None:
    connection.execute(
        """UPDATE photos SET state = 'waiting', asked_key = %s, job_id = %s, turn = %s, put_off = false, error = NULL, updated_at = now()
           WHERE id = %s""",
        (key, job_id, turn, photo_id),
    )


def next_turn(connection: Connection[Row], lot_id: int) -> int:
    """The next place in the queue for a photo of a lot: behind the lot's own, and not before the one whose turn it is."""
    row = one(
        connection,
        """SELECT greatest(coalesce(max(turn) FILTER (WHERE lot_id = %s) + 1, 0), coalesce(min(turn), 0)) AS turn
           FROM photos WHERE state = 'waiting' AND job_id IS NOT NULL AND turn IS NOT NULL""",
        lot_id,
    )
    assert row is not None
    return int(row["turn"])


def set_paused(connection: Connection[Row], lot_id: int, paused: bool) -> None:
    connection.execute("UPDATE lots SET paused = %s WHERE id = %s", (paused, lot_id))


def without_job(connection: Connection[Row], lot_id: int) -> list[Row]:
    """Photos of a lot that wait without a job, since it is paused, in the order of their turns."""
    return every(
        connection,
        "SELECT id, asked_key FROM photos WHERE lot_id = %s AND state = 'waiting' AND job_id IS NULL ORDER BY turn, id FOR UPDATE",
        lot_id,
    )


def lose_job(connection: Connection[Row], photo_id: int) -> None:
    """It waits on, without a job."""
    connection.execute("UPDATE photos SET job_id = NULL, updated_at = now() WHERE id = %s", (photo_id,))


def hold(connection: Connection[Row], photo_id: int, seconds: float) -> None:
    connection.execute("UPDATE photos SET held_until = now() + make_interval(secs => %s) WHERE id = %s", (seconds, photo_id))


def put_off(connection: Connection[Row], photo_id: int) -> None:
    """What a run wants of a held photo is remembered."""
    connection.execute("UPDATE photos SET put_off = true WHERE id = %s", (photo_id,))


def let_go(connection: Connection[Row], photo_id: int | None) -> list[Row]:
    """End the hold on a photo, or all holds that ran out; those that a run was put off for."""
    return every(
        connection,
        """WITH held AS (SELECT id, put_off FROM photos
                         WHERE held_until IS NOT NULL AND (id = %s OR (%s::bigint IS NULL AND held_until < now()))
                         FOR UPDATE SKIP LOCKED)
           UPDATE photos p SET held_until = NULL, put_off = false FROM held WHERE p.id = held.id
           RETURNING p.id, p.lot_id, held.put_off""",
        photo_id,
        photo_id,
    )


def begin(connection: Connection[Row], photo_id: int, key: str) -> bool:
    """Whether the photo is to be computed under this key: it is what was asked last, and is not done yet."""
    row = one(
        connection,
        """UPDATE photos SET state = 'running', updated_at = now()
           WHERE id = %s AND asked_key = %s AND done_key IS DISTINCT FROM asked_key AND state IN ('waiting', 'running')
           RETURNING id""",
        photo_id,
        key,
    )
    return row is not None


def finish(connection: Connection[Row], photo_id: int, key: str, done: Row, engine: str) -> bool:
    """Keep a run's result, unless something else was asked meanwhile or it is there already."""
    row = one(
        connection,
        """UPDATE photos SET state = 'done', done_key = %s, runs = runs + 1, engine = %s, checked = %s, figures = %s,
                  mends = %s, preview = %s, result = %s, result_suffix = %s, result_width = %s, result_height = %s, took_ms = %s,
                  delivered = delivered AND result = %s, error = NULL, updated_at = now()
           WHERE id = %s AND asked_key = %s AND done_key IS DISTINCT FROM %s RETURNING id""",
        key,
        engine,
        Jsonb(done["findings"]),
        Jsonb(done["figures"]),
        Jsonb(done["mends"]),
        done["preview"],
        done["result"],
        done["suffix"],
        done["width"],
        done["height"],
        done["took_ms"],
        done["result"],
        photo_id,
        key,
        key,
    )
    return row is not None


def run_anew(connection: Connection[Row], lot_id: int, photo_ids: list[int]) -> None:
    """Forget that these photos are done, so that they are run again when they are asked."""
    connection.execute("UPDATE photos SET done_key = NULL WHERE lot_id = %s AND id = ANY(%s) AND state = 'done'", (lot_id, photo_ids))


def settle(connection: Connection[Row], photo_id: int, key: str) -> None:
    """A photo that was asked again for what it already holds is done."""
    connection.execute(
        "UPDATE photos SET state = 'done', updated_at = now() WHERE id = %s AND asked_key = %s AND done_key = %s",
        (photo_id, key, key),
    )


def fail(connection: Connection[Row], photo_id: int, key: str, error: str) -> None:
    connection.execute(
        "UPDATE photos SET state = 'failed', error = %s, updated_at = now() WHERE id = %s AND asked_key = %s",
        (error, photo_id, key),
    )


def waiting(connection: Connection[Row], lot_id: int) -> list[Row]:
    return every(connection, "SELECT id, job_id, done_key FROM photos WHERE lot_id = %s AND state = 'waiting' FOR UPDATE", lot_id)


def unask(connection: Connection[Row], photo_id: int) -> None:
    """Back to what it was before it was asked."""
    connection.execute(
        """UPDATE photos SET state = CASE WHEN done_key IS NULL THEN 'idle' ELSE 'done' END, asked_key = done_key,
                  updated_at = now() WHERE id = %s AND state = 'waiting'""",
        (photo_id,),
    )


def lost(connection: Connection[Row]) -> list[Row]:
    """Photos that wait for a job which is over or gone; none that changed in the last ten seconds."""
    return every(
        connection,
        """SELECT p.id, p.lot_id, p.asked_key FROM photos p JOIN lots l ON l.id = p.lot_id LEFT JOIN procrastinate_jobs j ON j.id = p.job_id
           WHERE p.state IN ('waiting', 'running') AND NOT (l.paused AND p.job_id IS NULL)
             AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND p.updated_at < now() - interval '10 seconds' FOR UPDATE OF p SKIP LOCKED""",
    )
