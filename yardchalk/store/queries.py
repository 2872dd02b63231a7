"""All SQL of the application, as functions on a connection. Parameters are always bound."""

from typing import Any

from psycopg import Connection
from psycopg.types.json import Jsonb

Row = dict[str, Any]
EVENTS = "yard_events"

_VERDICTS = """
    count(p.id) AS photos,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'ready') AS ready,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'look') AS look,
    count(*) FILTER (WHERE p.state = 'done' AND p.verdict = 'fix') AS fix,
    count(*) FILTER (WHERE p.state = 'failed') AS failed,
    count(*) FILTER (WHERE p.state IN ('waiting', 'running')) AS waiting,
    count(*) FILTER (WHERE p.state = 'idle') AS idle
"""


def _one(connection: Connection[Row], sql: str, *values: Any) -> Row | None:
    return connection.execute(sql, values).fetchone()


def _all(connection: Connection[Row], sql: str, *values: Any) -> list[Row]:
    return connection.execute(sql, values).fetchall()


def announce(connection: Connection[Row], payload: str) -> None:
    """Tell the listeners, once the transaction is committed."""
    connection.execute("SELECT pg_notify(%s, %s)", (EVENTS, payload))


# Lots ---------------------------------------------------------------------------------------------------------------


def add_lot(connection: Connection[Row], name: str, sheet: str, spec: str) -> int:
    row = _one(connection, "INSERT INTO lots (name, sheet, spec) VALUES (%s, %s, %s) RETURNING id", name, sheet, spec)
    assert row is not None
    return int(row["id"])


def lots(connection: Connection[Row]) -> list[Row]:
    return _all(
        connection,
        f"""SELECT l.*, {_VERDICTS},
                   (SELECT count(*) FROM refusals r WHERE r.lot_id = l.id) AS refused,
                   ARRAY(SELECT f.preview FROM photos f WHERE f.lot_id = l.id AND f.preview IS NOT NULL ORDER BY f.id LIMIT 5) AS fan
            FROM lots l LEFT JOIN photos p ON p.lot_id = l.id GROUP BY l.id ORDER BY l.id DESC""",
    )


def lot(connection: Connection[Row], lot_id: int) -> Row | None:
    return _one(
        connection,
        f"""SELECT l.*, {_VERDICTS}, (SELECT count(*) FROM refusals r WHERE r.lot_id = l.id) AS refused
            FROM lots l LEFT JOIN photos p ON p.lot_id = l.id WHERE l.id = %s GROUP BY l.id""",
        lot_id,
    )


def set_empty(connection: Connection[Row], lot_id: int, photo_id: int | None) -> None:
    connection.execute("UPDATE lots SET empty_photo = %s WHERE id = %s", (photo_id, lot_id))


def empty_digest(connection: Connection[Row], lot_id: int) -> str | None:
    """Content of the photo that shows the lot's empty set, if one was chosen."""
    row = _one(connection, "SELECT p.digest FROM lots l JOIN photos p ON p.id = l.empty_photo WHERE l.id = %s", lot_id)
    return None if row is None else str(row["digest"])


def lot_named(connection: Connection[Row], name: str) -> Row | None:
    return _one(connection, "SELECT * FROM lots WHERE name = %s ORDER BY id LIMIT 1", name)


def set_lot(connection: Connection[Row], lot_id: int, sheet: str, spec: str) -> None:
    connection.execute("UPDATE lots SET sheet = %s, spec = %s WHERE id = %s", (sheet, spec, lot_id))


# Photos -------------------------------------------------------------------------------------------------------------


def add_photo(connection: Connection[Row], lot_id: int, name: str, digest: str, size: int, facts: Any) -> int | None:
    """The new photo's id, or None if the lot holds the same content already."""
    row = _one(
        connection,
        """INSERT INTO photos (lot_id, name, digest, bytes, facts) VALUES (%s, %s, %s, %s, %s)
           ON CONFLICT (lot_id, digest) DO NOTHING RETURNING id""",
        lot_id,
        name,
        digest,
        size,
        Jsonb(facts),
    )
    return None if row is None else int(row["id"])


def photo_of_content(connection: Connection[Row], lot_id: int, digest: str) -> Row | None:
    return _one(connection, "SELECT * FROM photos WHERE lot_id = %s AND digest = %s", lot_id, digest)


def photos(connection: Connection[Row], lot_id: int, only: list[int] | None = None) -> list[Row]:
    """The photos of a lot, or those named of them."""
    return _all(
        connection,
        "SELECT * FROM photos WHERE lot_id = %s AND (%s::bigint[] IS NULL OR id = ANY(%s)) ORDER BY id",
        lot_id,
        only,
        only,
    )


# Those to fix first, then to look at, ready, failed, waiting; within these, those farthest off a limit; those alike by name.
_WORST_FIRST = "ORDER BY p.rank, -p.worst, p.name, p.id"


def order(connection: Connection[Row], lot_id: int) -> list[Row]:
    """The lot's photos in the order of the line-up, with just what a small tile shows."""
    return _all(connection, f"SELECT p.id, p.name, p.preview, p.verdict, p.state FROM photos p WHERE p.lot_id = %s {_WORST_FIRST}", lot_id)


def lineup(connection: Connection[Row], lot_id: int, *, after: int | None, limit: int, only: list[int] | None) -> str:
    """A page of the lot's photos, or those named, with just what a tile shows, as JSON.

    `found` is check, severity, message, figure and place of what is neither a note nor allowed; `after` is the last photo of the page
    before. Written out by the database: for 5,000 photos, four times as fast as by way of objects.
    """
    row = _one(
        connection,
        f"""SELECT coalesce(json_agg(tile), '[]')::text AS tiles FROM (
           SELECT p.id, p.name, p.state, p.verdict, p.preview, p.error, p.result_width, p.result_height, p.rank, p.worst, p.sheet,
                  (p.facts->>'width')::int AS width, (p.facts->>'height')::int AS height, p.marks <> '{{}}' AS own_marks,
                  (SELECT coalesce(jsonb_agg(jsonb_build_object('check', f->>'check', 'severity', f->>'severity',
                          'message', f->>'message',
                          'figure', f->'figure', 'unit', f->>'unit', 'place', f->'place'->'result') ORDER BY n), '[]')
                   FROM jsonb_array_elements(p.findings) WITH ORDINALITY AS e (f, n)
                   WHERE f->>'severity' <> 'note' AND coalesce(f->'allowed', 'null') = 'null') AS found,
                  (SELECT count(*) FROM jsonb_array_elements(p.findings) f WHERE coalesce(f->'allowed', 'null') <> 'null') AS allowed
           FROM photos p WHERE p.lot_id = %s AND (%s::bigint[] IS NULL OR p.id = ANY(%s))
                 AND (%s::bigint IS NULL OR (p.rank, -p.worst, p.name, p.id)
                      > (SELECT a.rank, -a.worst, a.name, a.id FROM photos a WHERE a.id = %s))
           {_WORST_FIRST} LIMIT %s) AS tile""",
        lot_id,
        only,
        only,
        after,
        after,
        limit,
    )
    assert row is not None
    return str(row["tiles"])


def pace(connection: Connection[Row], lot_id: int) -> Row:
    """Milliseconds that a photo of the lot took of late, and how many workers there are."""
    row = _one(
        connection,
        """SELECT (SELECT avg(took_ms) FROM (SELECT took_ms FROM photos WHERE lot_id = %s AND took_ms IS NOT NULL
                                             ORDER BY updated_at DESC LIMIT 20) AS late)::float AS took_ms,
                  (SELECT count(*) FROM procrastinate_workers) AS workers""",
        lot_id,
    )
    assert row is not None
    return row


def photo(connection: Connection[Row], photo_id: int) -> Row | None:
    return _one(
        connection,
        """SELECT p.*, coalesce(p.sheet, l.sheet) AS sheet, p.sheet AS own_sheet, l.spec, l.name AS lot_name, e.digest AS empty,
                  e.id AS empty_id, e.name AS empty_name
           FROM photos p JOIN lots l ON l.id = p.lot_id LEFT JOIN photos e ON e.id = l.empty_photo WHERE p.id = %s""",
        photo_id,
    )


def add_step(connection: Connection[Row], photo_id: int, marks: Any, what: str) -> None:
    """Put other marks in force, as the step after the one in force; what had been undone is gone."""
    connection.execute(
        "DELETE FROM marks_steps s USING photos p WHERE p.id = %s AND s.photo_id = p.id AND s.step > p.marks_step", (photo_id,)
    )
    connection.execute(
        "INSERT INTO marks_steps (photo_id, step, marks, what) SELECT id, marks_step + 1, %s, %s FROM photos WHERE id = %s",
        (Jsonb(marks), what, photo_id),
    )
    connection.execute(
        "UPDATE photos SET marks = %s, marks_step = marks_step + 1, updated_at = now() WHERE id = %s", (Jsonb(marks), photo_id)
    )


def go_to_step(connection: Connection[Row], photo_id: int, by: int) -> bool:
    """Put the marks of an earlier (-1) or later (1) step in force; False if there is none."""
    row = _one(
        connection,
        """UPDATE photos p SET marks_step = p.marks_step + %s, updated_at = now(),
                  marks = coalesce((SELECT s.marks FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step + %s), '{}')
           WHERE p.id = %s AND (p.marks_step + %s = 0
                 OR EXISTS (SELECT FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step + %s))
           RETURNING p.id""",
        by,
        by,
        photo_id,
        by,
        by,
    )
    return row is not None


def steps_beside(connection: Connection[Row], photo_id: int) -> Row:
    """What undo would take back, and what redo would do again; None each if there is nothing."""
    row = _one(
        connection,
        """SELECT (SELECT s.what FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step) AS undo,
                  (SELECT s.what FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step + 1) AS redo
           FROM photos p WHERE p.id = %s""",
        photo_id,
    )
    assert row is not None
    return row


def snapshots(connection: Connection[Row], photo_id: int) -> list[Row]:
    return _all(connection, "SELECT id, name, marks, at FROM snapshots WHERE photo_id = %s ORDER BY id", photo_id)


def add_snapshot(connection: Connection[Row], photo_id: int, name: str) -> None:
    """Keep the marks in force under a name; one of that name is replaced."""
    connection.execute(
        """INSERT INTO snapshots (photo_id, name, marks) SELECT id, %s, marks FROM photos WHERE id = %s
           ON CONFLICT (photo_id, name) DO UPDATE SET marks = EXCLUDED.marks, at = now()""",
        (name, photo_id),
    )


def remove_snapshot(connection: Connection[Row], photo_id: int, snapshot_id: int) -> bool:
    return _one(connection, "DELETE FROM snapshots WHERE photo_id = %s AND id = %s RETURNING id", photo_id, snapshot_id) is not None


def ask(connection: Connection[Row], photo_id: int, key: str, job_id: int) -> None:
    connection.execute(
        "UPDATE photos SET state = 'waiting', asked_key = %s, job_id = %s, error = NULL, updated_at = now() WHERE id = %s",
        (key, job_id, photo_id),
    )


def begin(connection: Connection[Row], photo_id: int, key: str) -> bool:
    """Whether the photo is to be computed under this key: it is what was asked last, and is not done yet."""
    row = _one(
        connection,
        """UPDATE photos SET state = 'running', updated_at = now()
           WHERE id = %s AND asked_key = %s AND done_key IS DISTINCT FROM asked_key AND state IN ('waiting', 'running')
           RETURNING id""",
        photo_id,
        key,
    )
    return row is not None


def finish(connection: Connection[Row], photo_id: int, key: str, done: Row) -> bool:
    """Keep a run's result, unless something else was asked meanwhile or it is there already."""
    row = _one(
        connection,
        """UPDATE photos SET state = 'done', done_key = %s, runs = runs + 1, checked = %s, figures = %s,
                  preview = %s, result = %s, result_suffix = %s, result_width = %s, result_height = %s, took_ms = %s,
                  error = NULL, updated_at = now()
           WHERE id = %s AND asked_key = %s AND done_key IS DISTINCT FROM %s RETURNING id""",
        key,
        Jsonb(done["findings"]),
        Jsonb(done["figures"]),
        done["preview"],
        done["result"],
        done["suffix"],
        done["width"],
        done["height"],
        done["took_ms"],
        photo_id,
        key,
        key,
    )
    return row is not None


def run_anew(connection: Connection[Row], lot_id: int, photo_ids: list[int]) -> None:
    """Forget that these photos are done, so that they are run again when they are asked."""
    connection.execute("UPDATE photos SET done_key = NULL WHERE lot_id = %s AND id = ANY(%s) AND state = 'done'", (lot_id, photo_ids))


def set_photo_sheet(connection: Connection[Row], lot_id: int, photo_ids: list[int], sheet: str | None) -> None:
    """Give photos a run sheet of their own; None takes it away."""
    connection.execute("UPDATE photos SET sheet = %s WHERE lot_id = %s AND id = ANY(%s)", (sheet, lot_id, photo_ids))


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
    return _all(connection, "SELECT id, job_id, done_key FROM photos WHERE lot_id = %s AND state = 'waiting' FOR UPDATE", lot_id)


def unask(connection: Connection[Row], photo_id: int) -> None:
    """Back to what it was before it was asked."""
    connection.execute(
        """UPDATE photos SET state = CASE WHEN done_key IS NULL THEN 'idle' ELSE 'done' END, asked_key = done_key,
                  updated_at = now() WHERE id = %s AND state = 'waiting'""",
        (photo_id,),
    )


def lost(connection: Connection[Row]) -> list[Row]:
    """Photos that wait for a job which is over or gone; none that changed in the last ten seconds."""
    return _all(
        connection,
        """SELECT p.id, p.lot_id, p.asked_key FROM photos p LEFT JOIN procrastinate_jobs j ON j.id = p.job_id
           WHERE p.state IN ('waiting', 'running') AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND p.updated_at < now() - interval '10 seconds' FOR UPDATE OF p SKIP LOCKED""",
    )


def remove_photo(connection: Connection[Row], lot_id: int, photo_id: int) -> None:
    connection.execute("DELETE FROM photos WHERE id = %s AND lot_id = %s", (photo_id, lot_id))


def refuse(connection: Connection[Row], lot_id: int, name: str, reason: str) -> None:
    connection.execute("INSERT INTO refusals (lot_id, name, reason) VALUES (%s, %s, %s)", (lot_id, name, reason))


def refusals(connection: Connection[Row], lot_id: int) -> list[Row]:
    return _all(connection, "SELECT name, reason, at FROM refusals WHERE lot_id = %s ORDER BY id DESC LIMIT 200", lot_id)


# Verdicts and what was let pass --------------------------------------------------------------------------------------


def checked(connection: Connection[Row], photo_ids: list[int]) -> list[Row]:
    """What verdicts of done photos are made of; held until the transaction ends."""
    return _all(
        connection,
        "SELECT id, checked, beside, findings, verdict FROM photos WHERE id = ANY(%s) AND done_key IS NOT NULL ORDER BY id FOR UPDATE",
        photo_ids,
    )


def set_verdict(connection: Connection[Row], photo_id: int, verdict: str, findings: list[Row], worst: float) -> None:
    connection.execute(
        "UPDATE photos SET verdict = %s, findings = %s, worst = %s, updated_at = now() WHERE id = %s",
        (verdict, Jsonb(findings), worst, photo_id),
    )


def hold_if_settled(connection: Connection[Row], lot_id: int) -> bool:
    """Whether no photo of the lot waits or runs; if so, nobody else judges the lot until the transaction ends."""
    connection.execute("SELECT id FROM lots WHERE id = %s FOR UPDATE", (lot_id,))
    return _one(connection, "SELECT id FROM photos WHERE lot_id = %s AND state IN ('waiting', 'running') LIMIT 1", lot_id) is None


def figures(connection: Connection[Row], lot_id: int) -> list[Row]:
    """Figures of the lot's done photos."""
    return _all(
        connection, "SELECT id, name, verdict, figures, beside FROM photos WHERE lot_id = %s AND done_key IS NOT NULL ORDER BY id", lot_id
    )


def set_beside(connection: Connection[Row], photo_id: int, findings: list[Row]) -> None:
    connection.execute("UPDATE photos SET beside = %s WHERE id = %s", (Jsonb(findings), photo_id))


def allowances_for(connection: Connection[Row], photo_ids: list[int]) -> list[Row]:
    """All that is let pass in each of these photos, `for_photo`: in itself, in its lot, by its lot's spec."""
    return _all(
        connection,
        """SELECT a.*, p.id AS for_photo FROM photos p JOIN lots l ON l.id = p.lot_id
           JOIN allowances a ON a.photo_id = p.id OR (a.scope = 'lot' AND a.lot_id = l.id) OR (a.scope = 'spec' AND a.spec = l.spec)
           WHERE p.id = ANY(%s) ORDER BY a.id""",
        photo_ids,
    )


def allowances_of_lot(connection: Connection[Row], lot_id: int) -> list[Row]:
    return _all(
        connection,
        """SELECT a.id, a.scope, a.check_name AS check, a.reason, a.at, a.photo_id, p.name AS photo_name,
                  (SELECT count(*) FROM photos q, jsonb_array_elements(q.findings) f
                   WHERE q.lot_id = l.id AND (f->'allowed'->>'id')::bigint = a.id) AS serves
           FROM lots l JOIN allowances a ON a.lot_id = l.id OR (a.scope = 'spec' AND a.spec = l.spec)
           LEFT JOIN photos p ON p.id = a.photo_id WHERE l.id = %s ORDER BY a.id DESC LIMIT 500""",
        lot_id,
    )


def add_allowance(connection: Connection[Row], photo: Row, finding: Row, excess: float, scope: str, reason: str) -> None:
    alone, everywhere = scope == "photo", scope == "spec"
    connection.execute(
        """INSERT INTO allowances (scope, photo_id, lot_id, spec, check_name, excess, place, reason)
           VALUES (%s, %s, %s, %s, %s, %s, %s, %s)""",
        (
            scope,
            photo["id"] if alone else None,
            None if everywhere else photo["lot_id"],
            photo["spec"] if everywhere else None,
            finding["check"],
            excess,
            Jsonb(finding["place"]) if alone and finding["place"] else None,
            reason,
        ),
    )


def remove_allowance(connection: Connection[Row], allowance_id: int) -> Row | None:
    return _one(connection, "DELETE FROM allowances WHERE id = %s RETURNING *", allowance_id)


def lots_with_spec(connection: Connection[Row], spec: str) -> list[int]:
    return [int(row["id"]) for row in _all(connection, "SELECT id FROM lots WHERE spec = %s", spec)]


# Regions kept for other photos ---------------------------------------------------------------------------------------


def kept_regions(connection: Connection[Row]) -> list[Row]:
    return _all(connection, "SELECT id, name, region FROM kept_regions ORDER BY name")


def keep_region(connection: Connection[Row], name: str, region: Row) -> None:
    connection.execute(
        "INSERT INTO kept_regions (name, region) VALUES (%s, %s) ON CONFLICT (name) DO UPDATE SET region = excluded.region, at = now()",
        (name, Jsonb(region)),
    )


def forget_region(connection: Connection[Row], kept_id: int) -> None:
    connection.execute("DELETE FROM kept_regions WHERE id = %s", (kept_id,))


# Deliveries ---------------------------------------------------------------------------------------------------------


def add_delivery(connection: Connection[Row], lot_id: int, sheet: str, spec: str, folder: str) -> int:
    row = _one(
        connection,
        "INSERT INTO deliveries (lot_id, sheet, spec, folder) VALUES (%s, %s, %s, %s) RETURNING id",
        lot_id,
        sheet,
        spec,
        folder,
    )
    assert row is not None
    return int(row["id"])


def add_delivery_file(connection: Connection[Row], delivery_id: int, file: Row) -> None:
    connection.execute(
        """INSERT INTO delivery_files (delivery_id, photo_id, name, source, source_digest, digest, bytes, verdict, findings)
           VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)""",
        (
            delivery_id,
            file["photo_id"],
            file["name"],
            file["source"],
            file["source_digest"],
            file["digest"],
            file["bytes"],
            file["verdict"],
            Jsonb(file["findings"]),
        ),
    )


def deliveries(connection: Connection[Row]) -> list[Row]:
    return _all(
        connection,
        """SELECT d.*, l.name AS lot_name, count(f.id) AS files, coalesce(sum(f.bytes), 0)::bigint AS bytes
           FROM deliveries d JOIN lots l ON l.id = d.lot_id LEFT JOIN delivery_files f ON f.delivery_id = d.id
           GROUP BY d.id, l.name ORDER BY d.id DESC LIMIT 200""",
    )


def delivery(connection: Connection[Row], delivery_id: int) -> Row | None:
    return _one(
        connection,
        "SELECT d.*, l.name AS lot_name FROM deliveries d JOIN lots l ON l.id = d.lot_id WHERE d.id = %s",
        delivery_id,
    )


def delivery_files(connection: Connection[Row], delivery_id: int) -> list[Row]:
    return _all(connection, "SELECT * FROM delivery_files WHERE delivery_id = %s ORDER BY id", delivery_id)
