"""The steps that a photo's marks went through, and its snapshots."""

from typing import Any

from psycopg import Connection
from psycopg.types.json import Jsonb

from yardchalk.store.queries.rows import Row, every, one


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
    row = one(
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
    row = one(
        connection,
        """SELECT (SELECT s.what FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step) AS undo,
                  (SELECT s.what FROM marks_steps s WHERE s.photo_id = p.id AND s.step = p.marks_step + 1) AS redo
           FROM photos p WHERE p.id = %s""",
        photo_id,
    )
    assert row is not None
    return row


def snapshots(connection: Connection[Row], photo_id: int) -> list[Row]:
    return every(connection, "SELECT id, name, marks, at FROM snapshots WHERE photo_id = %s ORDER BY id", photo_id)


def add_snapshot(connection: Connection[Row], photo_id: int, name: str) -> None:
    """Keep the marks in force under a name; one of that name is replaced."""
    connection.execute(
        """INSERT INTO snapshots (photo_id, name, marks) SELECT id, %s, marks FROM photos WHERE id = %s
           ON CONFLICT (photo_id, name) DO UPDATE SET marks = EXCLUDED.marks, at = now()""",
        (name, photo_id),
    )


def remove_snapshot(connection: Connection[Row], photo_id: int, snapshot_id: int) -> bool:
    return one(connection, "DELETE FROM snapshots WHERE photo_id = %s AND id = %s RETURNING id", photo_id, snapshot_id) is not None
