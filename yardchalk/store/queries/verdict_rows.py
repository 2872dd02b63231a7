"""Verdicts, and the findings that were let pass."""

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one


def checked(connection: Connection[Row], photo_ids: list[int]) -> list[Row]:
    """What verdicts of done photos are made of; held until the transaction ends."""
    return every(
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
    return one(connection, "SELECT id FROM photos WHERE lot_id = %s AND state IN ('waiting', 'running') LIMIT 1", lot_id) is None


def figures(connection: Connection[Row], lot_id: int) -> list[Row]:
    """Figures of the lot's done photos."""
    return every(
        connection, "SELECT id, name, verdict, figures, beside FROM photos WHERE lot_id = %s AND done_key IS NOT NULL ORDER BY id", lot_id
    )


def set_beside(connection: Connection[Row], photo_id: int, findings: list[Row]) -> None:
    connection.execute("UPDATE photos SET beside = %s WHERE id = %s", (Jsonb(findings), photo_id))


def allowances_for(connection: Connection[Row], photo_ids: list[int], spec: str | None = None) -> list[Row]:
    """All that is let pass in each of these photos, `for_photo`: in itself, in its lot, by its lot's spec, or the one named."""
    return every(
        connection,
        """SELECT a.*, p.id AS for_photo FROM photos p JOIN lots l ON l.id = p.lot_id
           JOIN allowances a ON a.photo_id = p.id OR (a.scope = 'lot' AND a.lot_id = l.id)
             OR (a.scope = 'spec' AND split_part(a.spec, '@', 1) = split_part(coalesce(%s, l.spec), '@', 1))
           WHERE p.id = ANY(%s) ORDER BY a.id""",
        spec,
        photo_ids,
    )


def allowances_of_lot(connection: Connection[Row], lot_id: int) -> list[Row]:
    return every(
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
    return one(connection, "DELETE FROM allowances WHERE id = %s RETURNING *", allowance_id)


def lots_with_spec(connection: Connection[Row], spec: str) -> list[int]:
    return [
        int(row["id"]) for row in every(connection, "SELECT id FROM lots WHERE split_part(spec, '@', 1) = split_part(%s, '@', 1)", spec)
    ]
