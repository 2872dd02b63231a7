"""Mend and Colour at the bench: what mends touched, dust, strokes that push, and what Colour does to the product."""

from typing import Any

from fastapi import APIRouter, Request

from yardchalk.core.errors import BadSettings
from yardchalk.core.mend_settings import PushMend
from yardchalk.core.settings import Marks
from yardchalk.core.stages.mend.pushing import push_stroke
from yardchalk.studio import history, reading
from yardchalk.studio.asking import ColourAsked, DustAsked, MendsAsked
from yardchalk.web.common import ERRORS, TheMarks, TheRenderers, TheStudio
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
def post_push(studio: TheStudio, given: TheMarks, photo_id: int, wanted: PushWanted) -> Any:
    """A push with one stroke more. Tiles under the marks that come of it may be asked for along with this."""
    photo = reading.photo_row(studio, photo_id)
    entries = wanted.marks.mend.entries
    at = len(entries) if wanted.at is None else wanted.at
    before = entries[at] if at < len(entries) else None
    if wanted.at is not None and not isinstance(before, PushMend):
        raise BadSettings(f"has no push as mend {at + 1}", where=photo["name"], remedy="Begin one")
    size = (photo["facts"]["width"], photo["facts"]["height"])
    made = push_stroke(before if isinstance(before, PushMend) else None, size, wanted.tool, wanted.points, wanted.size, wanted.strength)
    given.keep(wanted.key, wanted.marks.with_mends((*entries[:at], made, *entries[at + 1 :])))
    return made


@router.post("/photos/{photo_id}/colour", response_model=ColourReport)
async def post_colour(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """What Colour in these marks does to the product."""
    return await answered(renderers, ColourAsked(await subject_under(studio, photo_id, marks)), request)


@router.post("/photos/{photo_id}/same-colour", response_model=Copied)
def post_same_colour(studio: TheStudio, photo_id: int) -> Any:
    """Copy the photo's own Colour to all other photos of its lot."""
    return {"copied": history.copy_colour(studio, photo_id)}
