"""What the routers share: access to the studio, and how errors are answered."""

import asyncio
import json
import time
from collections import OrderedDict
from typing import Annotated

import psycopg
from fastapi import Depends, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse

from yardchalk.core.errors import BadSettings, NotThere, YardError
from yardchalk.core.settings import Marks, what_is_wrong
from yardchalk.studio.context import Studio
from yardchalk.web.models import Message
from yardchalk.web.renderers import Renderers

# For tiles and pictures, whose address changes with their content.
FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}
ERRORS: dict[int | str, dict[str, object]] = {404: {"model": Message}, 409: {"model": Message}, 422: {"model": Message}}


def _studio(request: Request) -> Studio:
    studio: Studio = request.app.state.studio
    return studio


def _renderers(request: Request) -> Renderers:
    renderers: Renderers = request.app.state.renderers
    return renderers


class GivenMarks:
    """Marks that are too long for the address of a tile, by a key that the page chose. It gives them again after a restart."""

    _MOST = 500
    _PATIENCE_S = 1.0

    def __init__(self) -> None:
        self._kept: OrderedDict[str, Marks] = OrderedDict()

    def keep(self, key: str, marks: Marks) -> None:
        """Keep marks under a key; a key never stands for other marks than before, since tiles under it are kept for ever."""
        if self._kept.setdefault(key, marks) != marks:
            raise YardError("stands for other marks already", where=f"The key {key}", remedy="Choose another")
        self._kept.move_to_end(key)
        while len(self._kept) > self._MOST:
            self._kept.popitem(last=False)

    async def found(self, key: str, name: str) -> Marks:
        """The marks. Tiles are asked for along with them, so they may be a moment away; NotThere if they do not come."""
        until = time.monotonic() + self._PATIENCE_S
        while key not in self._kept:
            if time.monotonic() > until:
                raise NotThere("has other settings by now", where=name, remedy="Load the page again")
            await asyncio.sleep(0.005)
        return self._kept[key]


def _given_marks(request: Request) -> GivenMarks:
    given: GivenMarks = request.app.state.marks
    return given


TheStudio = Annotated[Studio, Depends(_studio)]
TheRenderers = Annotated[Renderers, Depends(_renderers)]
TheMarks = Annotated[GivenMarks, Depends(_given_marks)]


def answer_error(_: Request, error: Exception) -> JSONResponse:
    """A YardError as a message that can be put before a person."""
    assert isinstance(error, YardError)
    status = 404 if isinstance(error, NotThere) else 422 if isinstance(error, BadSettings) else 409
    return _Said({"message": error.message}, status)


# PostgreSQL's code for a NUL in JSON; one in plain text psycopg refuses by itself, without a code.
_NO_CHARACTER = ("22P05", None)


def answer_unkept(request: Request, error: Exception) -> JSONResponse:
    """Of text that cannot be kept: PostgreSQL keeps no NUL, and half a surrogate pair is no character. All else is a fault of ours."""
    if isinstance(error, psycopg.DataError) and error.sqlstate not in _NO_CHARACTER:
        raise error
    where = f"{request.method} {request.url.path}"
    return _Said({"message": f"{where}: a text in it holds a character that cannot be kept. Type it anew instead of pasting it."}, 422)


def answer_invalid(_: Request, error: Exception) -> JSONResponse:
    """What does not fit the schema, as a message that can be put before a person."""
    assert isinstance(error, RequestValidationError)
    return _Said({"message": f"{what_is_wrong(error.errors()[0])}."}, 422)


class _Said(JSONResponse):
    """Whatever characters are quoted in it."""

    def render(self, content: object) -> bytes:
        return json.dumps(content).encode()


def answer_fault(request: Request, _: Exception) -> JSONResponse:
    """A fault of ours as a message; what it was is in the log, which Starlette writes it to."""
    where = f"{request.method} {request.url.path}"
    remedy = "Nothing is lost: try again, and if it stays so, .yard/service.log says what it was"
    # The server hangs up after a fault; this tells the other side not to ask anything more on this connection.
    return JSONResponse({"message": f"{where}: went wrong inside Yard Chalk. {remedy}."}, 500, {"Connection": "close"})
