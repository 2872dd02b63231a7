"""Deliveries and their files."""

from typing import Literal

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one

DeliveredOf = Literal["all", "found", "unaccepted"]


def add_delivery(connection: Connection[Row], lot_id: int, sheet: str, spec: str, folder: str, verdicts: list[str]) -> int:
    row = one(
        connection,
        """INSERT INTO deliveries (lot_id, lot_name, sheet, spec, folder, verdicts, state)
           SELECT id, name, %s, %s, %s, %s, 'waiting' FROM lots WHERE id = %s RETURNING id""",
        sheet,
        spec,
        folder,
        verdicts,
        lot_id,
    )
    assert row is not None
    return int(row["id"])


def folder_taken(connection: Connection[Row], folder: str) -> bool:
    """Whether a delivery has this folder; nobody else takes one until the transaction ends."""
    connection.execute("SELECT pg_advisory_xact_lock(hashtext('delivery folders'))")
    return one(connection, "SELECT id FROM deliveries WHERE folder = %s", folder) is not None


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
    return every(
        connection,
        """SELECT d.id FROM deliveries d LEFT JOIN procrastinate_jobs j ON j.id = d.job_id
           WHERE d.state IN ('waiting', 'writing') AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')
             AND d.created_at < now() - interval '10 seconds' FOR UPDATE OF d SKIP LOCKED""",
    )


def add_delivery_file(connection: Connection[Row], delivery_id: int, file: Row) -> None:
    """A file of a delivery; without a result (digest None) with what that hangs on."""
    connection.execute(
        """INSERT INTO delivery_files
             (delivery_id, photo_id, name, source, source_digest, digest, preview, see_through, bytes, verdict, findings, mends,
              sheet, sheet_version, named, marks, empty)
           VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)""",
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
            None if file["marks"] is None else Jsonb(file["marks"]),
            file["empty"],
        ),
    )


def set_made(connection: Connection[Row], file_id: int, made: Row) -> None:
    """A file's result, that was computed for the delivery."""
    connection.execute(
        """UPDATE delivery_files SET digest = %s, preview = %s, bytes = %s, verdict = %s, findings = %s, mends = %s WHERE id = %s""",
        (made["digest"], made["preview"], made["bytes"], made["verdict"], Jsonb(made["findings"]), Jsonb(made["mends"]), file_id),
    )


def leave_out(connection: Connection[Row], file_id: int, why: str) -> None:
    connection.execute("UPDATE delivery_files SET left_out = %s WHERE id = %s", (why, file_id))


def take_in_again(connection: Connection[Row], delivery_id: int) -> None:
    """Have what was left out of a delivery computed anew."""
    connection.execute("UPDATE delivery_files SET left_out = NULL WHERE delivery_id = %s", (delivery_id,))


def ask_answers(connection: Connection[Row], delivery_id: int) -> int:
    """Ask the listing desk of every file that it has not accepted; how many."""
    return connection.execute(
        """UPDATE delivery_files SET answer = 'asked', reasons = '[]'
           WHERE delivery_id = %s AND left_out IS NULL AND answer IS DISTINCT FROM 'accepted'""",
        (delivery_id,),
    ).rowcount


def set_answer(connection: Connection[Row], file_id: int, answer: str, reasons: list[str]) -> None:
    connection.execute("UPDATE delivery_files SET answer = %s, reasons = %s WHERE id = %s", (answer, Jsonb(reasons), file_id))


def unanswered_deliveries(connection: Connection[Row]) -> list[int]:
    """Deliveries whose files wait for an answer without a job that asks for it."""
    rows = every(
        connection,
        """SELECT DISTINCT f.delivery_id FROM delivery_files f JOIN deliveries d ON d.id = f.delivery_id
           LEFT JOIN procrastinate_jobs j ON j.id = d.job_id
           WHERE f.answer = 'asked' AND coalesce(j.status::text, 'gone') NOT IN ('todo', 'doing')""",
    )
    return [int(row["delivery_id"]) for row in rows]


def deliveries(connection: Connection[Row]) -> list[Row]:
    return every(
        connection,
        """SELECT d.id, l.id AS lot_id, d.lot_name, d.sheet, d.spec, d.folder, d.created_at, d.state, d.error,
                  count(f.id) FILTER (WHERE f.left_out IS NULL) AS files, count(f.digest) AS made, count(f.left_out) AS left_out,
                  coalesce(sum(f.bytes), 0)::bigint AS bytes, count(f.answer) AS sent,
                  count(*) FILTER (WHERE f.answer = 'asked') AS asked, count(*) FILTER (WHERE f.answer = 'accepted') AS accepted
           FROM deliveries d LEFT JOIN lots l ON l.id = d.lot_id AND l.removed_at IS NULL
                LEFT JOIN delivery_files f ON f.delivery_id = d.id
           GROUP BY d.id, l.id ORDER BY d.id DESC LIMIT 200""",
    )


def delivery(connection: Connection[Row], delivery_id: int) -> Row | None:
    return one(connection, "SELECT * FROM deliveries WHERE id = %s", delivery_id)


def some_delivery_files(connection: Connection[Row], delivery_id: int, which: DeliveredOf, limit: int) -> list[Row]:
    """The first of a delivery's files: of all, of those with more than notes, or of those that the listing desk has not accepted."""
    return every(
        connection,
        """SELECT f.*, l.id AS lot_id FROM delivery_files f
                LEFT JOIN photos p ON p.id = f.photo_id LEFT JOIN lots l ON l.id = p.lot_id AND l.removed_at IS NULL
           WHERE f.delivery_id = %s AND CASE %s
             WHEN 'found' THEN f.left_out IS NOT NULL
               OR EXISTS (SELECT FROM jsonb_array_elements(f.findings) found WHERE found->>'severity' <> 'note')
             WHEN 'unaccepted' THEN f.answer <> 'accepted' ELSE true END
           ORDER BY f.id LIMIT %s""",
        delivery_id,
        which,
        limit,
    )


def delivery_file(connection: Connection[Row], delivery_id: int, file_id: int) -> Row | None:
    return one(connection, "SELECT * FROM delivery_files WHERE delivery_id = %s AND id = %s", delivery_id, file_id)


def delivery_files(connection: Connection[Row], delivery_id: int) -> list[Row]:
    return every(connection, "SELECT * FROM delivery_files WHERE delivery_id = %s ORDER BY id", delivery_id)
