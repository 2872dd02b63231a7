"""Run sheets and listing specs: the shelf, sheets by example, tries, and specs tried on a photo."""

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response

from yardchalk.studio import reading, shelf, trying
from yardchalk.studio.asking import PlacedAsked
from yardchalk.studio.shelf import Kind, Shelved
from yardchalk.web.common import ERRORS, TheRenderers, TheStudio
from yardchalk.web.models import (
    Departure,
    ExampleAsked,
    ExampleOut,
    FormatsOut,
    PlacedOut,
    Reference,
    ShelfText,
    SpecTried,
    TriedCell,
    TriesAsked,
    Words,
)
from yardchalk.web.photos import answered, subject_of

router = APIRouter(prefix="/api", responses=ERRORS)
Ref = Annotated[str, Path(pattern=r"^[a-z0-9][a-z0-9-]{0,40}(@\d{1,6})?$")]


@router.get("/shelf/{kind}", response_model=list[Shelved])
def get_shelf(studio: TheStudio, kind: Kind) -> Any:
    """Every version of every run sheet or listing spec, with what it does in words."""
    return shelf.listed(studio, kind)


@router.post("/shelf/{kind}", response_model=Reference, status_code=201)
def post_shelf(studio: TheStudio, kind: Kind, given: ShelfText) -> Any:
    """Keep settings, given as JSON, as the next version of their name."""
    return Reference(ref=shelf.taken_in(studio, kind, given.text, given.where, given.title))


@router.get("/shelf/{kind}/difference", response_model=Words)
def get_difference(studio: TheStudio, kind: Kind, before: str, after: str) -> Any:
    """How two versions differ, in words."""
    return Words(words=shelf.difference(studio, kind, before, after))


@router.get("/shelf/{kind}/{ref}.json", response_class=Response)
def get_file(studio: TheStudio, kind: Kind, ref: Ref) -> Response:
    """One version as a file."""
    held = next((one for one in shelf.listed(studio, kind) if one.ref == ref), None)
    if held is None:
        raise shelf.not_there(kind, ref)
    headers = {"Content-Disposition": f'attachment; filename="{held.name}-v{held.version}.json"'}
    return Response(shelf.as_file(held.content), media_type="application/json", headers=headers)


@router.delete("/shelf/{kind}/{ref}", status_code=204)
def delete_version(studio: TheStudio, kind: Kind, ref: Ref) -> None:
    shelf.forget(studio, kind, ref)


@router.post("/photos/{photo_id}/example", response_model=ExampleOut)
def post_example(studio: TheStudio, photo_id: int, asked: ExampleAsked) -> Any:
    """The run sheet that a worked photo is an example of; kept if that is asked."""
    sheet, carried = shelf.by_example(studio, photo_id, asked.title, asked.note)
    ref = None
    if asked.keep:
        ref = shelf.keep(studio, sheet, origin=f"by example: {reading.photo_row(studio, photo_id)['name']}")
    return {"ref": ref, "words": shelf.in_words(sheet), "carried": carried}


@router.get("/lots/{lot_id}/departures", response_model=list[Departure])
def get_departures(studio: TheStudio, lot_id: int) -> Any:
    """Photos with settings of their own, which a run of another sheet leaves as they are."""
    return reading.departures(studio, lot_id)


@router.get("/lots/{lot_id}/samples", response_model=list[int])
def get_samples(studio: TheStudio, lot_id: int, count: Annotated[int, Query(ge=1, le=8)] = 4) -> Any:
    """Photos that are unlike each other."""
    return trying.samples(studio, lot_id, count)


@router.post("/lots/{lot_id}/tries", response_model=list[TriedCell])
def post_tries(studio: TheStudio, lot_id: int, asked: TriesAsked) -> Any:
    """Run sheets on photos, side by side: each cell as far as it is known; the others are queued."""
    return trying.try_sheets(studio, lot_id, asked.sheets, asked.photos, again=asked.again)


@router.post("/photos/{photo_id}/placed", response_model=PlacedOut)
async def post_placed(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, asked: SpecTried) -> Any:
    """The result that a listing spec would give of a photo, checked. Nothing is kept."""
    return await answered(renderers, PlacedAsked(await subject_of(studio, photo_id), asked.spec), request)


@router.post("/photos/{photo_id}/losses", response_model=FormatsOut)
async def post_losses(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, asked: SpecTried) -> Any:
    """What each format would lose of this very picture, with figures and the place where it loses most."""
    return await answered(renderers, PlacedAsked(await subject_of(studio, photo_id), asked.spec, losses=True), request)
