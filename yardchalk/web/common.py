"""What the routers share: access to the studio, and how errors are answered."""

from typing import Annotated

from fastapi import Depends, Request
from fastapi.responses import JSONResponse

from yardchalk.core.errors import BadSettings, NotThere, YardError
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


TheStudio = Annotated[Studio, Depends(_studio)]
TheRenderers = Annotated[Renderers, Depends(_renderers)]


def answer_error(_: Request, error: Exception) -> JSONResponse:
    """A YardError as a message that can be put before a person."""
    assert isinstance(error, YardError)
    status = 404 if isinstance(error, NotThere) else 422 if isinstance(error, BadSettings) else 409
    return JSONResponse({"message": error.message}, status)
