"""Edge at the bench: the outline in stretches, with figures, and what clean-up changed."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool

from yardchalk.core.settings import Marks
from yardchalk.studio import reading
from yardchalk.studio.asking import EdgeAsked
from yardchalk.web.common import ERRORS, TheRenderers, TheStudio
from yardchalk.web.models import EdgeReport
from yardchalk.web.photos import answered, subject_from, under

router = APIRouter(prefix="/api", responses=ERRORS)


@router.post("/photos/{photo_id}/edge", response_model=EdgeReport)
async def post_edge(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """What these marks come to along the outline."""
    row = await run_in_threadpool(reading.photo_row, studio, photo_id)
    asked = EdgeAsked(under(subject_from(row), marks), reading.spec_of(row).limits.fringe)
    return await answered(renderers, asked, request)
