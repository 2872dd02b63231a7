"""Mend and Colour at the bench: what mends touched, dust, strokes that push, and what Colour does to the product."""

from typing import Any

from fastapi import APIRouter, Request

from yardchalk.core.mend_settings import PushMend
from yardchalk.core.settings import Marks
from yardchalk.core.stages.mend.pushing import push_stroke
from yardchalk.studio import history, reading
from yardchalk.studio.asking import ColourAsked, DustAsked, MendsAsked
from yardchalk.web.common import ERRORS, TheRenderers, TheStudio
from yardchalk.web.models import ColourReport, Copied, Dust, MendReport, PushWanted
from yardchalk.web.photos import answered, subject_under

router = APIRouter(prefix="/api", responses=ERRORS)


@router.post("/photos/{photo_id}/mends", response_model=MendReport)
async def post_mends(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """What share of the product each mend in these marks touches."""
    return await answered(renderers, MendsAsked(await subject_under(studio, photo_id, marks)), request)


@router.post("/photos/{photo_id}/dust", response_model=Dust)
async def post_dust(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """Specks on the backdrop and on the product that these marks leave, each with the mend that takes it away."""
    return await answered(renderers, DustAsked(await subject_under(studio, photo_id, marks)), request)


@router.post("/photos/{photo_id}/push", response_model=PushMend)
def post_push(studio: TheStudio, photo_id: int, wanted: PushWanted) -> Any:
    """A push with one stroke more; without one so far, it begins."""
    facts = reading.photo_row(studio, photo_id)["facts"]
    size = (facts["width"], facts["height"])
    return push_stroke(wanted.mend, size, wanted.tool, wanted.points, wanted.size, wanted.strength)


@router.post("/photos/{photo_id}/colour", response_model=ColourReport)
async def post_colour(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """What Colour in these marks does to the product."""
    return await answered(renderers, ColourAsked(await subject_under(studio, photo_id, marks)), request)


@router.post("/photos/{photo_id}/same-colour", response_model=Copied)
def post_same_colour(studio: TheStudio, photo_id: int) -> Any:
    """Copy the photo's own Colour to all other photos of its lot."""
    return {"copied": history.copy_colour(studio, photo_id)}
