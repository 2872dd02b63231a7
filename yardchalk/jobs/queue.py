"""The queue's tasks, and how the studio asks for them."""

import logging
from typing import Any

import procrastinate
from psycopg import Connection

from yardchalk.studio.context import Studio
from yardchalk.studio.running import run_photo

HEARTBEAT_S = 2.0
STALLED_S = 8.0
_URGENT = 10

_RUN = "yard:run"

log = logging.getLogger("yardchalk.jobs")


def run(context: procrastinate.JobContext, photo_id: int, key: str) -> None:
    """Run one photo. Idempotent: the key says what result is asked, and a result that is there is left alone."""
    studio: Studio = context.additional_context["studio"]
    run_photo(studio, photo_id, key)


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
            _RUN,
            queue="run",
            priority=_URGENT if urgent else 0,
            connection=connection,
        )
        return task.defer(photo_id=photo_id, key=key)

    def cancel(self, job_id: int) -> bool:
        return bool(self.app.job_manager.cancel_job_by_id(job_id))


def worker_app(url: str) -> procrastinate.App:
    """The app that a worker process runs."""
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=url, min_size=1, max_size=4),
        worker_defaults={"update_heartbeat_interval": HEARTBEAT_S, "stalled_worker_timeout": STALLED_S},
    )
    app.task(name=_RUN, queue="run", pass_context=True)(run)
    return app


def apply_schema(url: str) -> None:
    """Create the queue's own tables, if they are not there."""
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=url))
    with app.open():
        there = app.connector.get_sync_connector().execute_query_one("SELECT to_regclass('procrastinate_jobs') IS NOT NULL AS there")
        if not there["there"]:
            app.schema_manager.apply_schema()


async def retry_stalled(app: procrastinate.App) -> int:
    """Give the jobs of workers that died back to the queue; how many."""
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S))
    for job in stalled:
        log.warning("job %s was left by a dead worker; queued again", job.id)
        await app.job_manager.retry_job(job)
    return len(stalled)
