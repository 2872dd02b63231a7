"""Photos at the bench: facts, marks, graph, tiles."""

import hashlib
import math
from typing import Annotated, Any

from fastapi import APIRouter, Path, Request, Response
from fastapi.concurrency import run_in_threadpool

from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.render import Card
from yardchalk.core.settings import Marks, RunSheet, load_sheet
from yardchalk.core.views import View
from yardchalk.studio import reading
from yardchalk.studio.running import ENGINE
from yardchalk.studio.viewing import TILE, GraphAsked, Subject, TileAsked
from yardchalk.web.common import ERRORS, FOR_EVER, TheRenderers, TheStudio
from yardchalk.web.models import LiftGraph, PhotoDetail

router = APIRouter(prefix="/api", responses=ERRORS)


def _mark(row: reading.Row, sheet: RunSheet) -> str:
    """Changes whenever the same address would have to show something else: with photo, run sheet and engine."""
    return hashlib.sha256(f"{ENGINE} {row['digest']} {sheet.model_dump_json()}".encode()).hexdigest()[:16]


@router.get("/photos/{photo_id}", response_model=PhotoDetail)
def get_photo(studio: TheStudio, photo_id: int) -> Any:
    row = reading.photo(studio, photo_id)
    sheet = load_sheet(row["sheet"])
    longest = max(row["facts"]["width"], row["facts"]["height"])
    return {
        **row,
        "lift_on": sheet.lift.on,
        "tile_base": f"/api/photos/{photo_id}/tiles/{_mark(row, sheet)}",
        "halvings": max(0, math.ceil(math.log2(longest / TILE))),
    }


@router.put("/photos/{photo_id}/marks", response_model=PhotoDetail)
def put_marks(studio: TheStudio, photo_id: int, marks: Marks) -> Any:
    row = reading.photo(studio, photo_id)
    if marks.white_point is not None and not load_sheet(row["sheet"]).lift.on:
        raise YardError("has no white point: the lot's run sheet leaves Lift out", where=row["name"], remedy="Choose another run sheet")
    reading.set_marks(studio, photo_id, marks)
    return get_photo(studio, photo_id)


@router.get("/photos/{photo_id}/lift", response_model=LiftGraph)
async def get_lift(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int) -> Any:
    row = await run_in_threadpool(reading.photo, studio, photo_id)
    subject = Subject(row["digest"], row["name"], load_sheet(row["sheet"]), Marks.model_validate(row["marks"]))
    return await renderers.answer(GraphAsked(subject), request) or Response(status_code=499)


@router.get("/photos/{photo_id}/tiles/{mark}/{view}/{card}/{white_point}/{halvings}/{column}-{row}", response_class=Response)
async def get_tile(
    studio: TheStudio,
    renderers: TheRenderers,
    request: Request,
    photo_id: int,
    mark: str,
    view: View,
    card: Card,
    white_point: Annotated[int, Path(ge=0, le=255, description="0: as the photo's own marks and the run sheet have it")],
    halvings: Annotated[int, Path(ge=0, le=12)],
    column: Annotated[int, Path(ge=0, le=400)],
    row: Annotated[int, Path(ge=0, le=400)],
) -> Any:
    """One tile. Its address names all that it hangs on, so it can be kept for ever."""
    key = (photo_id, mark)
    subjects: dict[tuple[int, str], Subject] = request.app.state.subjects
    if key not in subjects:
        photo = await run_in_threadpool(reading.photo, studio, photo_id)
        sheet = load_sheet(photo["sheet"])
        if _mark(photo, sheet) != mark:
            raise NotThere("has another run sheet by now", where=photo["name"], remedy="Load the page again")
        if len(subjects) > 500:
            subjects.clear()
        subjects[key] = Subject(photo["digest"], photo["name"], sheet, Marks())
    subject = subjects[key]
    if white_point:
        subject = Subject(subject.digest, subject.name, subject.sheet, Marks.model_validate({"white_point": max(128, white_point)}))
    answer = await renderers.answer(TileAsked(subject, view, card, halvings, column, row), request)
    if answer is None:
        return Response(status_code=499)
    data, media = answer
    return Response(data, media_type=media, headers=FOR_EVER)


@router.get("/pictures/{digest}", response_class=Response)
def get_picture(studio: TheStudio, digest: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> Any:
    """A stored preview."""
    return Response(reading.stored(studio, digest), media_type="image/webp", headers=FOR_EVER)
