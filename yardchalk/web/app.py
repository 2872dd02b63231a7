"""The application: routers, live events, the page, and what lives as long as the server."""

import asyncio
import contextlib
import os
import re
from collections.abc import AsyncIterator
from pathlib import Path

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse
from fastapi.sse import EventSourceResponse, ServerSentEvent
from fastapi.staticfiles import StaticFiles

from yardchalk.core.errors import YardError
from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue
from yardchalk.studio.context import Studio
from yardchalk.web import cards, clearing, deliveries, edging, intake, judging, lots, mending, photos, shelf
from yardchalk.web.common import GivenMarks, answer_error, answer_fault, answer_invalid, answer_unkept
from yardchalk.web.events import LiveEvents
from yardchalk.web.guard import Guard
from yardchalk.web.renderers import Renderers


def create_app(place: Place | None = None) -> FastAPI:
    """The application on a place; without one it only knows its schema."""

    @contextlib.asynccontextmanager
    async def living(app: FastAPI) -> AsyncIterator[None]:
        assert place is not None
        queue = RunQueue(place.database_url)
        queue.open()
        app.state.studio = Studio.opened(
            place.database_url, place.files_url, place.deliveries, queue, desk_url=place.desk_url, capture_url=place.capture_url
        )
        app.state.renderers = Renderers(place.files_url, min(2, os.cpu_count() or 1), warm=place.warm)
        app.state.events = LiveEvents(place.database_url)
        app.state.subjects = {}
        app.state.marks = GivenMarks()
        listening = asyncio.create_task(app.state.events.listen())
        try:
            yield
        finally:
            listening.cancel()
            app.state.renderers.close()
            app.state.studio.close()
            queue.close()

    app = FastAPI(title="Yard Chalk", version="1", lifespan=living, docs_url=None, redoc_url=None)
    app.add_middleware(Guard)
    app.add_exception_handler(YardError, answer_error)
    app.add_exception_handler(RequestValidationError, answer_invalid)
    app.add_exception_handler(psycopg.DataError, answer_unkept)
    app.add_exception_handler(UnicodeEncodeError, answer_unkept)
    app.add_exception_handler(Exception, answer_fault)
    for router in (
        lots.router,
        photos.router,
        clearing.router,
        edging.router,
        mending.router,
        judging.router,
        deliveries.router,
        shelf.router,
        cards.router,
        intake.router,
    ):
        app.include_router(router)

    @app.get("/api/health")
    def get_health() -> dict[str, int]:
        return {"pid": os.getpid()}

    @app.get("/api/events", response_class=EventSourceResponse)
    async def get_events(request: Request) -> AsyncIterator[ServerSentEvent]:
        """What changed: {"lot": number or null for everything, "photo": number or null}."""
        events: LiveEvents = request.app.state.events
        yield ServerSentEvent(data={"lot": None, "photo": None}, retry=1000)
        async for event in events.follow():
            yield ServerSentEvent(data=event)

    if place is not None and (place.page / "index.html").is_file():
        _add_page(app, place.page)
    return app


def _add_page(app: FastAPI, page: Path) -> None:
    app.mount("/assets", StaticFiles(directory=page / "assets"))

    @app.get("/{path:path}", include_in_schema=False)
    def get_page(path: str) -> FileResponse:
        """The page, under every address that it knows; what it does not know it says itself."""
        headers = {"Cache-Control": "no-cache"}
        if lot := re.fullmatch(r"lots/(\d{1,9})", path):
            # The line-up's tiles are on their way while the page's code is still being read.
            headers["Link"] = f"</api/lots/{lot[1]}/lineup?limit=200>; rel=preload; as=fetch; crossorigin"
        return FileResponse(page / "index.html", headers=headers)
