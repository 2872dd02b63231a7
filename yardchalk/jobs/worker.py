"""A worker process: `python -m yardchalk.jobs.worker`. Addresses come from the environment (see host.settings)."""

import asyncio
import contextlib
import logging
import os

import procrastinate

from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue, retry_stalled, worker_app
from yardchalk.studio.context import Studio
from yardchalk.studio.folder_run import one_core
from yardchalk.studio.running import ask_lost


async def work() -> None:
    place = Place.from_environment()
    one_core()
    # A person at the bench comes first.
    with contextlib.suppress(OSError):
        os.nice(5)
    studio = Studio.opened(place.database_url, place.files_url, place.deliveries, RunQueue(place.database_url), connections=2)
    app = worker_app(place.database_url)
    async with app.open_async():
        watch = asyncio.create_task(_take_up(app, studio))
        try:
            await app.run_worker_async(queues=["run"], concurrency=1, name=f"worker-{os.getpid()}", additional_context={"studio": studio})
        finally:
            watch.cancel()
            studio.close()


async def _take_up(app: procrastinate.App, studio: Studio) -> None:
    while True:
        await asyncio.sleep(2)
        with contextlib.suppress(Exception):  # the database may be restarting; the next round tries again
            await retry_stalled(app)
            await asyncio.to_thread(ask_lost, studio)


if __name__ == "__main__":
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(message)s")
    asyncio.run(work())
