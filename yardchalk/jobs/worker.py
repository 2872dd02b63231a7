"""A worker process: `python -m yardchalk.jobs.worker`. Addresses come from the environment (see host.settings)."""

import asyncio
import contextlib
import logging
import os
import socket
from collections.abc import Callable

import procrastinate
from procrastinate.jobs import Status

from yardchalk.host.settings import Place
from yardchalk.jobs.queue import ANYWHERE, AT_HOME, DELIVER_TASK, QUIET_S, RUN_TASK, SEND_TASK, TRY_TASK, RunQueue
from yardchalk.studio.context import Studio
from yardchalk.studio.delivering import ask_lost_deliveries, write_delivery
from yardchalk.studio.folder_run import one_core
from yardchalk.studio.running import ask_lost, give_up_run, let_go, run_photo
from yardchalk.studio.sending import send_delivery
from yardchalk.studio.trying import ask_lost_tries, give_up_try, run_try

HEARTBEAT_S = 2.0
STALLED_S = 8.0
# So many workers may die at a job before it is taken for the cause: a photo too large for the memory would end them all, for ever.
_DEATHS = 3
_GIVEN_UP: dict[str, Callable[..., None]] = {RUN_TASK: give_up_run, TRY_TASK: give_up_try}

log = logging.getLogger("yardchalk.jobs")


def run(context: procrastinate.JobContext, photo_id: int, key: str) -> None:
    """Run one photo. Idempotent: the key says what result is asked, and a result that is there is left alone."""
    studio: Studio = context.additional_context["studio"]
    run_photo(studio, photo_id, key)


def try_sheet(context: procrastinate.JobContext, try_id: int) -> None:
    """Try a run sheet on a photo."""
    run_try(context.additional_context["studio"], try_id)


def deliver(context: procrastinate.JobContext, delivery_id: int) -> None:
    """Write a delivery."""
    write_delivery(context.additional_context["studio"], delivery_id)


def send(context: procrastinate.JobContext, delivery_id: int) -> None:
    """Send a delivery to the listing desk."""
    send_delivery(context.additional_context["studio"], delivery_id)


def worker_app(url: str) -> procrastinate.App:
    """The app that a worker process runs."""
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=url, min_size=1, max_size=4),
        worker_defaults={"update_heartbeat_interval": HEARTBEAT_S, "stalled_worker_timeout": STALLED_S},
    )
    app.task(name=RUN_TASK, queue=ANYWHERE, pass_context=True)(run)
    app.task(name=TRY_TASK, queue=ANYWHERE, pass_context=True)(try_sheet)
    app.task(name=DELIVER_TASK, queue=AT_HOME, pass_context=True)(deliver)
    app.task(name=SEND_TASK, queue=AT_HOME, pass_context=True)(send)
    return app


async def retry_stalled(app: procrastinate.App, studio: Studio) -> None:
    """Give the jobs of workers that died back to the queue; but not what one worker after the other died of."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
        give_up = _GIVEN_UP.get(job.task_name)
        if give_up is not None and job.attempts + 1 >= _DEATHS:
            log.warning("job %s was left by %d dead workers; given up", job.id, _DEATHS)
            await asyncio.to_thread(give_up, studio, **job.task_kwargs)
            await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
        else:
            log.warning("job %s was left by a dead worker; queued again", job.id)
            await app.job_manager.retry_job(job)


async def work() -> None:
    place = Place.from_environment()
    one_core()
    # A person at the bench comes first.
    with contextlib.suppress(OSError):
        os.nice(15)
    queue = RunQueue(place.database_url)
    queue.open()
    studio = Studio.opened(place.database_url, place.files_url, place.deliveries, queue, connections=2, desk_url=place.desk_url)
    app = worker_app(place.database_url)
    async with app.open_async():
        watch = asyncio.create_task(_take_up(app, studio))
        try:
            await app.run_worker_async(
                queues=list(place.queues),
                concurrency=1,
                name=f"worker-{socket.gethostname()}-{os.getpid()}",
                additional_context={"studio": studio},
                # What is queued wakes it at once; what was to wait is looked for.
                fetch_job_polling_interval=QUIET_S / 2,
            )
        finally:
            watch.cancel()
            studio.close()
            queue.close()


async def _take_up(app: procrastinate.App, studio: Studio) -> None:
    while True:
        await asyncio.sleep(2)
        with contextlib.suppress(Exception):  # the database may be restarting; the next round tries again
            await retry_stalled(app, studio)
            await asyncio.to_thread(_ask_again, studio)


def _ask_again(studio: Studio) -> None:
    """Whatever waits for something that will not come by itself."""
    ask_lost(studio)
    ask_lost_tries(studio)
    ask_lost_deliveries(studio)
    let_go(studio)


if __name__ == "__main__":
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(message)s")
    asyncio.run(work())
