"""What a person says of findings: let pass, accepted, mended in many photos, taken back; and the islands of the white check."""

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request

from yardchalk.core.settings import Marks
from yardchalk.studio import judging, mending_alike
from yardchalk.studio.asking import IslandsAsked
from yardchalk.web.common import ERRORS, TheRenderers, TheStudio
from yardchalk.web.models import AllowAlike, AllowanceOut, AllowAsked, Count, Islands, MendAlike, MendedAlike, PhotoDetail, PhotosChosen
from yardchalk.web.photos import answered, get_photo, subject_under

router = APIRouter(prefix="/api", responses=ERRORS)


@router.post("/photos/{photo_id}/allow", response_model=PhotoDetail)
def post_allow(studio: TheStudio, photo_id: int, asked: AllowAsked) -> Any:
    """Let a finding pass, with a reason: here, for the like in the lot, or by the listing spec."""
    judging.allow_finding(studio, photo_id, asked.number, asked.message, asked.scope, asked.reason)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/accept", response_model=PhotoDetail)
def post_accept(studio: TheStudio, photo_id: int) -> Any:
    """Take a photo as it is, after a look at it."""
    judging.accept(studio, photo_id)
    return get_photo(studio, photo_id)


@router.delete("/allowances/{allowance_id}", status_code=204)
def delete_allowance(studio: TheStudio, allowance_id: int) -> None:
    """What it let pass counts again."""
    judging.withdraw(studio, allowance_id)


@router.get("/lots/{lot_id}/allowances", response_model=list[AllowanceOut])
def get_allowances(studio: TheStudio, lot_id: int) -> Any:
    return judging.allowances(studio, lot_id)


@router.post("/lots/{lot_id}/allow", response_model=Count)
def post_allow_alike(studio: TheStudio, lot_id: int, asked: AllowAlike) -> Any:
    """Let all findings of a check pass in the photos named."""
    return Count(count=judging.allow_alike(studio, lot_id, asked.photos, asked.check, asked.reason))


@router.post("/lots/{lot_id}/mend", response_model=MendedAlike)
def post_mend_alike(studio: TheStudio, lot_id: int, asked: MendAlike) -> Any:
    """Mend all findings of a check in the photos named, each by the mend that it offers; they are run and checked anew."""
    return asdict(mending_alike.mend_alike(studio, lot_id, asked.photos, asked.check))


@router.post("/lots/{lot_id}/mend/take-back", response_model=Count)
def post_take_back_alike(studio: TheStudio, lot_id: int, asked: PhotosChosen) -> Any:
    """Undo that in the photos named, but for those that were changed since."""
    return Count(count=mending_alike.take_back_alike(studio, lot_id, asked.photos))


@router.post("/photos/{photo_id}/islands", response_model=Islands)
async def post_islands(
    studio: TheStudio,
    renderers: TheRenderers,
    request: Request,
    photo_id: int,
    marks: Marks,
    level: Annotated[int, Query(ge=200, le=255)] = 255,
) -> Any:
    """What the white check shows under these marks: whatever does not reach the level."""
    return await answered(renderers, IslandsAsked(await subject_under(studio, photo_id, marks), level), request)
