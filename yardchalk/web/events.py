"""Live events: what the database announces, to every open page."""

import asyncio
import contextlib
import json
import logging
from collections.abc import AsyncIterator

import psycopg

from yardchalk.studio.context import EVENTS

log = logging.getLogger("yardchalk.web")


class LiveEvents:
    """One listening connection; every page has a queue of its own.

    When the connection is lost it is made again, and the pages are told to look at everything anew, since something
    may have been missed.
    """

    def __init__(self, url: str) -> None:
        self._url = url
        self._pages: set[asyncio.Queue[dict[str, int | None]]] = set()

    async def listen(self) -> None:
        """Runs until cancelled."""
        while True:
            with contextlib.suppress(psycopg.Error):
                connection = await psycopg.AsyncConnection.connect(self._url, autocommit=True, connect_timeout=5)
                async with connection:
                    await connection.execute(f"LISTEN {EVENTS}".encode())
                    self._tell({"lot": None, "photo": None})
                    async for notice in connection.notifies():
                        self._tell(json.loads(notice.payload))
            log.warning("lost the database's events; connecting again")
            await asyncio.sleep(1)

    def _tell(self, event: dict[str, int | None]) -> None:
        for page in self._pages:
            if page.qsize() < 1000:
                page.put_nowait(event)

    async def follow(self) -> AsyncIterator[dict[str, int | None]]:
        """Events for one page, from now on."""
        page: asyncio.Queue[dict[str, int | None]] = asyncio.Queue()
        self._pages.add(page)
        try:
            while True:
                yield await page.get()
        finally:
            self._pages.discard(page)
