"""All SQL of the application, as functions on a connection. Parameters are always bound."""

from typing import Any, Literal

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
    count(*) FILTER (WHERE p.state = 'idle') AS idle,
    count(*) FILTER (WHERE p.state = 'done' AND p.delivered) AS delivered,
    count(*) FILTER (WHERE p.state = 'done' AND p.engine IS DISTINCT FROM %s) AS outdated
"""


def _one(connection: Connection[Row], sql: str, *values: Any) -> Row | None:
    return connection.execute(sql, values).fetchone()


def _all(connection: Connection[Row], sql: str, *values: Any) -> list[Row]:
    return connection.execute(sql, values).fetchall()


def announce(connection: Connection[Row], payload: str) -> None:
    """Tell the listeners, once the transaction is committed."""
    connection.execute("SELECT pg_notify(%s, %s)", (EVENTS, payload))


# Lots ---------------------------------------------------------------------------------------------------------------


def add_lot(connection: Connection[Row], name: str, sheet: str, spec: str, folder: str | None = None) -> int:
    row = _one(connection, "INSERT INTO lots (name, sheet, spec, folder) VALUES (%s, %s, %s, %s) RETURNING id", name, sheet, spec, folder)
    assert row is not None
    return int(row["id"])


def lots(connection: Connection[Row], engine: str) -> list[Row]:
    """All lots that were not removed, with counts; `outdated` are results of another engine."""
    return _all(
        connection,
        f"""SELECT l.*, {_VERDICTS},
                   (SELECT count(*) FROM refusals r WHERE r.lot_id = l.id AND r.kind = 'refused') AS refused,
                   ARRAY(SELECT coalesce(f.preview, f.as_shot) FROM photos f
                         WHERE f.lot_id = l.id AND coalesce(f.preview, f.as_shot) IS NOT NULL ORDER BY f.id LIMIT 5) AS fan
            FROM lots l LEFT JOIN photos p ON p.lot_id = l.id WHERE l.removed_at IS NULL GROUP BY l.id ORDER BY l.id DESC""",
        engine,
    )


def lot(connection: Connection[Row], lot_id: int, engine: str = "") -> Row | None:
    return _one(
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
    row = _one(connection, "SELECT p.digest FROM lots l JOIN photos p ON p.id = l.empty_photo WHERE l.id = %s", lot_id)
    return None if row is None else str(row["digest"])


def lot_of_folder(connection: Connection[Row], folder: str) -> Row | None:
    """The lot that a folder's photos go into; one that is only called so, if there is none yet. From now on it is that one."""
    return _one(
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


def set_removed(connection: Connection[Row], lot_id: int, removed: bool) -> bool:
    """Put a lot away, or take it back; whether it was not so before."""
    done = connection.execute(
        "UPDATE lots SET removed_at = CASE WHEN %s THEN now() END WHERE id = %s AND (removed_at IS NULL) = %s", (removed, lot_id, removed)
    )
    return done.rowcount == 1


def removed_lots(connection: Connection[Row], kept_days: int) -> list[Row]:
    """The lots that were put away, the last first, with the time until which they are kept."""
    return _all(
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


# Photos -------------------------------------------------------------------------------------------------------------


def add_photo(
    connection: Connection[Row], lot_id: int, name: str, digest: str, size: int, facts: Any, source: str, as_shot: str
) -> int | None:
    """The new photo's id, or None if the lot holds the same content already."""
    row = _one(
        connection,
        """INSERT INTO photos (lot_id, name, digest, bytes, facts, source, as_shot) VALUES (%s, %s, %s, %s, %s, %s, %s)
           ON CONFLICT (lot_id, digest) DO NOTHING RETURNING id""",
        lot_id,
        name,
        digest,
        size,
        Jsonb(facts),
        source,
        as_shot,
    )
    return None if row is None else int(row["id"])


def photo_of_content(connection: Connection[Row], lot_id: int, digest: str) -> Row | None:
    return _one(connection, "SELECT * FROM photos WHERE lot_id = %s AND digest = %s", lot_id, digest)


def is_held(connection: Connection[Row], digest: str) -> bool:
    """Whether any lot holds the content, also one that was put away."""
    return _one(connection, "SELECT id FROM photos WHERE digest = %s LIMIT 1", digest) is not None


def lots_with_content(connection: Connection[Row], lot_id: int, digest: str) -> list[str]:
    """Names of other lots that hold the same content."""
    rows = _all(
        connection,
        """SELECT DISTINCT l.name FROM photos p JOIN lots l ON l.id = p.lot_id
           WHERE p.digest = %s AND p.lot_id <> %s AND l.removed_at IS NULL ORDER BY l.name""",
        digest,
        lot_id,
    )
    return [str(row["name"]) for row in rows]


def photos(connection: Connection[Row], lot_id: int, only: list[int] | None = None) -> list[Row]:
    """The photos of a lot, or those named of them."""
    return _all(
        connection,
        """SELECT *, coalesce(held_until > now(), false) AS held
           FROM photos WHERE lot_id = %s AND (%s::bigint[] IS NULL OR id = ANY(%s)) ORDER BY id""",
        lot_id,
        only,
        only,
    )


# Those to fix first, then to look at, ready, failed, waiting; within these, those farthest off a limit; those alike by name.
_WORST_FIRST = "ORDER BY p.rank, -p.worst, p.name, p.id"


def order(connection: Connection[Row], lot_id: int) -> list[Row]:
    """The lot's photos in the order of the line-up, with just what a small tile shows."""
    return _all(
        connection,
        f"""SELECT p.id, p.name, coalesce(p.preview, p.as_shot) AS preview, p.verdict, p.state
           FROM photos p WHERE p.lot_id = %s {_WORST_FIRST}""",
        lot_id,
    )


def lineup(connection: Connection[Row], lot_id: int, *, after: int | None, limit: int, only: list[int] | None) -> str:
    """A page of the lot's photos, or those named, with just what a tile shows, as JSON.

    `found` is check, severity, message, figure and place of what is neither a note nor allowed; `after` is the last photo of the page
    before. Written out by the database: for 5,000 photos, four times as fast as by way of objects.
    """
    row = _one(
        connection,
        f"""SELECT coalesce(json_agg(tile), '[]')::text AS tiles FROM (
           SELECT p.id, p.name, p.state, p.verdict, p.preview, p.error, p.result_width, p.result_height, p.rank, p.worst, p.sheet,
                  CASE WHEN p.preview IS NULL OR p.figures->'product of the photo (%%)' = '0' THEN p.as_shot END AS as_shot,
                  (p.facts->>'width')::int AS width, (p.facts->>'height')::int AS height, p.marks <> '{{}}' AS own_marks,
                  p.state = 'done' AND p.delivered AS delivered,
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
                  e.id AS empty_id, e.name AS empty_name, s.content AS sheet_content,
                  c.content AS spec_content
           FROM photos p JOIN lots l ON l.id = p.lot_id LEFT JOIN photos e ON e.id = l.empty_photo
           LEFT JOIN shelf s ON s.kind = 'sheet' AND s.name || '@' || s.version = coalesce(p.sheet, l.sheet)
           LEFT JOIN shelf c ON c.kind = 'spec' AND c.name || '@' || c.version = l.spec WHERE p.id = %s""",
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


def ask(connection: Connection[Row], photo_id: int, key: str, job_id: int | None, turn: int | None = None) -> None:
    connection.execute(
        """UPDATE photos SET state = 'waiting', asked_key = %s, job_id = %s, turn = %s, put_off = false, error = NULL, updated_at = now()
           WHERE id = %s""",
        (key, job_id, turn, photo_id),
    )


def next_turn(connection: Connection[Row], lot_id: int) -> int:
    """The next place in the queue for a photo of a lot: behind the lot's own, and not before the one whose turn it is."""
    row = _one(
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
    return _all(
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
    return _all(
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
    row = _one(
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
    row = _one(
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
        """SELECT p.id, p.lot_id, p.asked_key FROM photos p JOIN lots l ON l.id = p.lot_id LEFT JOIN procrastinate_jobs j ON j.id = p.job_id
           WHERE p.state IN ('waiting', 'running') AND NOT (l.paused AND p.job_id IS NULL)
             AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND p.updated_at < now() - interval '10 seconds' FOR UPDATE OF p SKIP LOCKED""",
    )


def remove_photo(connection: Connection[Row], lot_id: int, photo_id: int) -> None:
    connection.execute("DELETE FROM photos WHERE id = %s AND lot_id = %s", (photo_id, lot_id))


def refuse(connection: Connection[Row], lot_id: int, name: str, reason: str, source: str, kind: str = "refused") -> None:
    connection.execute(
        "INSERT INTO refusals (lot_id, name, reason, source, kind) VALUES (%s, %s, %s, %s, %s)", (lot_id, name, reason, source, kind)
    )


def refusals(connection: Connection[Row], lot_id: int) -> list[Row]:
    return _all(
        connection, "SELECT name, reason, at FROM refusals WHERE lot_id = %s AND kind = 'refused' ORDER BY id DESC LIMIT 200", lot_id
    )


def arrivals(connection: Connection[Row], limit: int) -> list[Row]:
    """What came in last, over all lots, and what did not and why: newest first."""
    return _all(
        connection,
        """SELECT * FROM (
             (SELECT 'taken' AS kind, p.name, '' AS reason, p.source, p.at, p.lot_id, l.name AS lot_name, p.id AS photo_id,
                     p.facts->>'format' AS format, (p.facts->>'width')::int AS width, (p.facts->>'height')::int AS height,
                     (p.facts->>'dpi')::float AS dpi, p.facts->>'profile' AS profile, (p.facts->>'frames')::int AS frames, p.bytes
              FROM photos p JOIN lots l ON l.id = p.lot_id WHERE l.removed_at IS NULL ORDER BY p.at DESC, p.id DESC LIMIT %s)
             UNION ALL
             (SELECT r.kind, r.name, r.reason, r.source, r.at, r.lot_id, l.name, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL
              FROM refusals r JOIN lots l ON l.id = r.lot_id WHERE l.removed_at IS NULL ORDER BY r.id DESC LIMIT %s)
           ) AS both_kinds ORDER BY at DESC, photo_id DESC NULLS LAST LIMIT %s""",
        limit,
        limit,
        limit,
    )


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
           JOIN allowances a ON a.photo_id = p.id OR (a.scope = 'lot' AND a.lot_id = l.id)
             OR (a.scope = 'spec' AND split_part(a.spec, '@', 1) = split_part(l.spec, '@', 1))
           WHERE p.id = ANY(%s) ORDER BY a.id""",
        photo_ids,
    )


def allowances_of_lot(connection: Connection[Row], lot_id: int) -> list[Row]:
    return _all(
        connection,
        """SELECT a.id, a.scope, a.check_name AS check, a.reason, a.at, a.photo_id, p.name AS photo_name,
                  (SELECT count(*) FROM photos q, jsonb_array_elements(q.findings) f
                   WHERE q.lot_id = l.id AND (f->'allowed'->>'id')::bigint = a.id) AS serves
           FROM lots l JOIN allowances a ON a.lot_id = l.id
             OR (a.scope = 'spec' AND split_part(a.spec, '@', 1) = split_part(l.spec, '@', 1))
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
    return [int(row["id"]) for row in _all(connection, "SELECT id FROM lots WHERE split_part(spec, '@', 1) = split_part(%s, '@', 1)", spec)]


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


# The shelf -----------------------------------------------------------------------------------------------------------


def shelf(connection: Connection[Row], kind: str) -> list[Row]:
    return _all(connection, "SELECT * FROM shelf WHERE kind = %s ORDER BY name, version", kind)


def shelved(connection: Connection[Row], kind: str, name: str, version: int) -> Row | None:
    return _one(connection, "SELECT * FROM shelf WHERE kind = %s AND name = %s AND version = %s", kind, name, version)


def newest_shelved(connection: Connection[Row], kind: str, name: str) -> Row | None:
    """The newest version of a name; nobody else adds one until the transaction ends."""
    connection.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", (f"shelf {kind} {name}",))
    return _one(connection, "SELECT * FROM shelf WHERE kind = %s AND name = %s ORDER BY version DESC LIMIT 1", kind, name)


def shelve(connection: Connection[Row], kind: str, name: str, version: int, content: Any, note: str, origin: str) -> None:
    connection.execute(
        "INSERT INTO shelf (kind, name, version, content, note, origin) VALUES (%s, %s, %s, %s, %s, %s)",
        (kind, name, version, Jsonb(content), note, origin),
    )


def unshelve(connection: Connection[Row], kind: str, name: str, version: int) -> bool:
    sql = "DELETE FROM shelf WHERE kind = %s AND name = %s AND version = %s RETURNING name"
    return _one(connection, sql, kind, name, version) is not None


def shelf_in_use(connection: Connection[Row], kind: str) -> dict[str, int]:
    """How many lots, or photos with a run sheet of their own, name a reference."""
    sql = (
        """SELECT ref, count(*) AS uses FROM (SELECT sheet AS ref FROM lots
           UNION ALL SELECT sheet FROM photos WHERE sheet IS NOT NULL) AS named GROUP BY ref"""
        if kind == "sheet"
        else "SELECT spec AS ref, count(*) AS uses FROM lots GROUP BY spec"
    )
    return {str(row["ref"]): int(row["uses"]) for row in _all(connection, sql)}


# Tries ---------------------------------------------------------------------------------------------------------------


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
    row = _one(connection, "SELECT * FROM tries WHERE photo_id = %s AND key = %s FOR UPDATE", photo_id, key)
    assert row is not None
    return row


def set_try_job(connection: Connection[Row], try_id: int, job_id: int) -> None:
    connection.execute("UPDATE tries SET job_id = %s WHERE id = %s", (job_id, try_id))


def begin_try(connection: Connection[Row], try_id: int) -> Row | None:
    """What is to be tried; None if it is done."""
    return _one(
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
    return _all(
        connection,
        """SELECT t.id FROM tries t LEFT JOIN procrastinate_jobs j ON j.id = t.job_id
           WHERE t.state IN ('waiting', 'running') AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND t.at < now() - interval '10 seconds' FOR UPDATE OF t SKIP LOCKED""",
    )


# Deliveries ----------------------------------------------------------------------------------------------------------


def add_delivery(connection: Connection[Row], lot_id: int, sheet: str, spec: str, folder: str) -> int:
    row = _one(
        connection,
        """INSERT INTO deliveries (lot_id, lot_name, sheet, spec, folder, state)
           SELECT id, name, %s, %s, %s, 'waiting' FROM lots WHERE id = %s RETURNING id""",
        sheet,
        spec,
        folder,
        lot_id,
    )
    assert row is not None
    return int(row["id"])


def folder_taken(connection: Connection[Row], folder: str) -> bool:
    """Whether a delivery has this folder; nobody else takes one until the transaction ends."""
    connection.execute("SELECT pg_advisory_xact_lock(hashtext('delivery folders'))")
    return _one(connection, "SELECT id FROM deliveries WHERE folder = %s", folder) is not None


def set_delivery(connection: Connection[Row], delivery_id: int, state: str, error: str | None = None) -> None:
    connection.execute("UPDATE deliveries SET state = %s, error = %s WHERE id = %s", (state, error, delivery_id))


def set_delivered(connection: Connection[Row], delivery_id: int) -> None:
    """Note of the photos whose results a delivery holds that they are delivered; not of those that have an other one by now."""
    connection.execute(
        "UPDATE photos p SET delivered = true FROM delivery_files f WHERE f.delivery_id = %s AND f.photo_id = p.id AND f.digest = p.result",
        (delivery_id,),
    )


def set_delivery_job(connection: Connection[Row], delivery_id: int, job_id: int) -> None:
    connection.execute("UPDATE deliveries SET job_id = %s WHERE id = %s", (job_id, delivery_id))


def lost_deliveries(connection: Connection[Row]) -> list[Row]:
    """Deliveries that wait for a job which is over or gone; none of the last ten seconds."""
    return _all(
        connection,
        """SELECT d.id FROM deliveries d LEFT JOIN procrastinate_jobs j ON j.id = d.job_id
           WHERE d.state IN ('waiting', 'writing') AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND d.created_at < now() - interval '10 seconds' FOR UPDATE OF d SKIP LOCKED""",
    )


def add_delivery_file(connection: Connection[Row], delivery_id: int, file: Row) -> None:
    connection.execute(
        """INSERT INTO delivery_files
             (delivery_id, photo_id, name, source, source_digest, digest, preview, see_through, bytes, verdict, findings, mends,
              sheet, sheet_version, named)
           VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)""",
        (
            delivery_id,
            file["photo_id"],
            file["name"],
            file["source"],
            file["source_digest"],
            file["digest"],
            file["preview"],
            file["see_through"],
            file["bytes"],
            file["verdict"],
            Jsonb(file["findings"]),
            Jsonb(file["mends"]),
            file["sheet"],
            file["sheet_version"],
            file["named"],
        ),
    )


def ask_answers(connection: Connection[Row], delivery_id: int) -> int:
    """Ask the listing desk of every file that it has not accepted; how many."""
    return connection.execute(
        "UPDATE delivery_files SET answer = 'asked', reasons = '[]' WHERE delivery_id = %s AND answer IS DISTINCT FROM 'accepted'",
        (delivery_id,),
    ).rowcount


def set_answer(connection: Connection[Row], file_id: int, answer: str, reasons: list[str]) -> None:
    connection.execute("UPDATE delivery_files SET answer = %s, reasons = %s WHERE id = %s", (answer, Jsonb(reasons), file_id))


def unanswered_deliveries(connection: Connection[Row]) -> list[int]:
    """Deliveries whose files wait for an answer without a job that asks for it."""
    rows = _all(
        connection,
        """SELECT DISTINCT f.delivery_id FROM delivery_files f JOIN deliveries d ON d.id = f.delivery_id
           LEFT JOIN procrastinate_jobs j ON j.id = d.job_id
           WHERE f.answer = 'asked' AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')""",
    )
    return [int(row["delivery_id"]) for row in rows]


def digests_in_use(connection: Connection[Row]) -> set[str]:
    """Of all stored files that something names."""
    rows = _all(
        connection,
        """SELECT digest FROM photos UNION SELECT as_shot FROM photos UNION SELECT preview FROM photos UNION SELECT result FROM photos
           UNION SELECT preview FROM tries UNION SELECT digest FROM delivery_files UNION SELECT preview FROM delivery_files""",
    )
    return {str(row["digest"]) for row in rows if row["digest"]}


def deliveries(connection: Connection[Row]) -> list[Row]:
    return _all(
        connection,
        """SELECT d.id, l.id AS lot_id, d.lot_name, d.sheet, d.spec, d.folder, d.created_at, d.state, d.error,
                  count(f.id) AS files, coalesce(sum(f.bytes), 0)::bigint AS bytes, count(f.answer) AS sent,
                  count(*) FILTER (WHERE f.answer = 'asked') AS asked, count(*) FILTER (WHERE f.answer = 'accepted') AS accepted
           FROM deliveries d LEFT JOIN lots l ON l.id = d.lot_id AND l.removed_at IS NULL
                LEFT JOIN delivery_files f ON f.delivery_id = d.id
           GROUP BY d.id, l.id ORDER BY d.id DESC LIMIT 200""",
    )


def delivery(connection: Connection[Row], delivery_id: int) -> Row | None:
    return _one(connection, "SELECT * FROM deliveries WHERE id = %s", delivery_id)


DeliveredOf = Literal["all", "found", "unaccepted"]


def some_delivery_files(connection: Connection[Row], delivery_id: int, which: DeliveredOf, limit: int) -> list[Row]:
    """The first of a delivery's files: of all, of those with more than notes, or of those that the listing desk has not accepted."""
    return _all(
        connection,
        """SELECT f.*, l.id AS lot_id FROM delivery_files f
                LEFT JOIN photos p ON p.id = f.photo_id LEFT JOIN lots l ON l.id = p.lot_id AND l.removed_at IS NULL
           WHERE f.delivery_id = %s AND CASE %s
             WHEN 'found' THEN EXISTS (SELECT FROM jsonb_array_elements(f.findings) found WHERE found->>'severity' <> 'note')
             WHEN 'unaccepted' THEN f.answer <> 'accepted' ELSE true END
           ORDER BY f.id LIMIT %s""",
        delivery_id,
        which,
        limit,
    )


def delivery_file(connection: Connection[Row], delivery_id: int, file_id: int) -> Row | None:
    return _one(connection, "SELECT * FROM delivery_files WHERE delivery_id = %s AND id = %s", delivery_id, file_id)


def delivery_files(connection: Connection[Row], delivery_id: int) -> list[Row]:
    return _all(connection, "SELECT * FROM delivery_files WHERE delivery_id = %s ORDER BY id", delivery_id)
