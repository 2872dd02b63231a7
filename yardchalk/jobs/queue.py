"""How the studio asks the queue for work. What the work is stands in `worker`, so that asking loads no engine."""

from typing import Any

import procrastinate
from psycopg import Connection

RUN_TASK, TRY_TASK, DELIVER_TASK, SEND_TASK = "yard:run", "yard:try", "yard:deliver", "yard:send"
# What needs just database and file store, so that any machine can do it; and what needs the folder of deliveries.
ANYWHERE, AT_HOME = "run", "home"
QUIET_S = 2
_URGENT = 10
_TRIED = 5  # somebody looks at the grid, so before what runs in the background


class RunQueue:
    """The studio's side of the queue: asks inside the caller's transaction, so no photo waits without a job."""

    def __init__(self, url: str) -> None:
        self.app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))

    def open(self) -> None:
        self.app.open()

    def close(self) -> None:
        self.app.close()

    def ask_run(self, connection: Connection[Any], photo_id: int, key: str, *, turn: int | None) -> int:
        return self._ask(
            connection,
            RUN_TASK,
            ANYWHERE,
            _URGENT if turn is None else -turn,
            # What a person has just changed they may be changing still: the bench has the processor until they pause.
            QUIET_S if turn is None else None,
            photo_id=photo_id,
            key=key,
        )

    def ask_try(self, connection: Connection[Any], try_id: int) -> int:
        return self._ask(connection, TRY_TASK, ANYWHERE, _TRIED, try_id=try_id)

    def ask_delivery(self, connection: Connection[Any], delivery_id: int) -> int:
        return self._ask(connection, DELIVER_TASK, AT_HOME, 0, delivery_id=delivery_id)

    def ask_sending(self, connection: Connection[Any], delivery_id: int) -> int:
        return self._ask(connection, SEND_TASK, AT_HOME, 0, delivery_id=delivery_id)

    def _ask(self, connection: Connection[Any], task: str, queue: str, priority: int, wait_s: int | None = None, /, **what: Any) -> int:
        schedule_in = None if wait_s is None else {"seconds": wait_s}
        asked = self.app.configure_task(task, queue=queue, priority=priority, schedule_in=schedule_in, connection=connection)
        return asked.defer(**what)

    def cancel(self, job_id: int) -> bool:
        return bool(self.app.job_manager.cancel_job_by_id(job_id))


def apply_schema(url: str) -> None:
    """Create the queue's own tables, if they are not there."""
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
    with app.open():
        there = app.connector.get_sync_connector().execute_query_one("SELECT to_regclass('procrastinate_jobs') IS NOT NULL AS there")
        if not there["there"]:
            app.schema_manager.apply_schema()
