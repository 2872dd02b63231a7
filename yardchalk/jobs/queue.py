"""How the studio asks the queue for work. What the work is stands in `worker`, so that asking loads no engine."""

from typing import Any

import procrastinate
from psycopg import Connection

RUN_TASK = "yard:run"
QUIET_S = 1
_URGENT = 10


class RunQueue:
    """The studio's side of the queue: asks inside the caller's transaction, so no photo waits without a job."""

    def __init__(self, url: str) -> None:
        self.app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))

    def open(self) -> None:
        self.app.open()

    def close(self) -> None:
        self.app.close()

    def ask_run(self, connection: Connection[Any], photo_id: int, key: str, *, urgent: bool) -> int:
        task = self.app.configure_task(
            RUN_TASK,
            queue="run",
            priority=_URGENT if urgent else 0,
            # What a person has just changed they may be changing still: the bench has the processor until they pause.
            schedule_in={"seconds": QUIET_S} if urgent else None,
            connection=connection,
        )
        return task.defer(photo_id=photo_id, key=key)

    def cancel(self, job_id: int) -> bool:
        return bool(self.app.job_manager.cancel_job_by_id(job_id))


def apply_schema(url: str) -> None:
    """Create the queue's own tables, if they are not there."""
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
    with app.open():
        there = app.connector.get_sync_connector().execute_query_one("SELECT to_regclass('procrastinate_jobs') IS NOT NULL AS there")
        if not there["there"]:
            app.schema_manager.apply_schema()
