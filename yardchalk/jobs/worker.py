"""A worker process: `python -m yardchalk.jobs.worker`. Addresses come from the environment (see host.settings)."""

import asyncio
import contextlib
import logging
import os

from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue, retry_stalled, worker_app
from yardchalk.store.database import open_pool
from yardchalk.store.files import FileStore
from yardchalk.studio.context import Studio
from yardchalk.studio.folder_run import one_core


async def work() -> None:
    place = Place.from_environment()
    one_core()
    # A person at the bench comes first.
    with contextlib.suppress(OSError):
        os.nice(5)
    pool = open_pool(place.database_url, 2)
    queue = RunQueue(place.database_url)
    studio = Studio(pool, FileStore(place.files_url), queue, place.deliveries)
    app = worker_app(place.database_url)
    async with app.open_async():
        watch = asyncio.create_task(_take_up(app))
        try:
            await app.run_worker_async(
                queues=["run"], concurrency=1, name=f"worker-{os.getpid()}", additional_context={"studio": studio}
            )
        finally:
            watch.cancel()
            pool.close()


async def _take_up(app: object) -> None:
    while True:
        await asyncio.sleep(2)
        with contextlib.suppress(Exception):  # the database may be restarting; the next round tries again
            await retry_stalled(app)  # type: ignore[arg-type]


if __name__ == "__main__":
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(name)s %(message)s")
    asyncio.run(work())
