"""Photos at the bench: facts, marks, graph, tiles."""

import hashlib
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.concurrency import run_in_threadpool

from yardchalk.core.cards import Card
from yardchalk.core.checks import Finding
from yardchalk.core.errors import NotThere
from yardchalk.core.mending import Bench, offer_mend
from yardchalk.core.settings import FrameMarks, Marks, parse
from yardchalk.core.stages.frame import level_along
from yardchalk.core.views import View
from yardchalk.studio import history, reading
from yardchalk.studio.asking import Asked, FrameAsked, GraphAsked, PixelAsked, SampleAsked, Subject, TileAsked
from yardchalk.studio.found import ENGINE
from yardchalk.studio.running import hold, let_go
from yardchalk.studio.viewing import MOST_STEPS, STEP, steps_to_one_tile
from yardchalk.web.common import ERRORS, FOR_EVER, TheMarks, TheRenderers, TheStudio
from yardchalk.web.models import FrameOffers, Level, LiftGraph, MarksKey, NewSnapshot, PhotoDetail, PixelOut, SameLight, SampleOut
from yardchalk.web.renderers import Renderers

router = APIRouter(prefix="/api", responses=ERRORS)


def _mark(row: reading.Row) -> str:
    """Changes whenever the same address would have to show something else: with photo, frame, run sheet, engine and the sizes there are."""
    shown = ENGINE, STEP, row["digest"], row["empty"], reading.frame_of(row), reading.sheet_of(row).model_dump_json()
    return hashlib.sha256(repr(shown).encode()).hexdigest()[:16]


@router.put("/photos/{photo_id}/hold", status_code=204)
def put_hold(studio: TheStudio, photo_id: int) -> None:
    """Somebody works on it at the bench: runs of the lot are put off. It is said again every minute, or it ends."""
    hold(studio, photo_id)


@router.delete("/photos/{photo_id}/hold", status_code=204)
def delete_hold(studio: TheStudio, photo_id: int) -> None:
    """It is free again; what was put off is run."""
    let_go(studio, photo_id)


@router.get("/photos/{photo_id}", response_model=PhotoDetail)
def get_photo(studio: TheStudio, photo_id: int) -> Any:
    row = reading.photo(studio, photo_id)
    sheet, frame, bench = reading.sheet_of(row), reading.frame_of(row), reading.bench_of(row)
    framing = bench.framing
    longest = max(framing.whole_width, framing.whole_height)
    return {
        **row,
        "findings": [_with_mend(Finding.model_validate(found), bench) for found in row["findings"]],
        **{name: getattr(framing, name) for name in ("width", "height", "whole_width", "whole_height")},
        "crop": frame.crop if frame else None,
        "to_frame": framing.to_frame.tolist(),
        "longest": framing.longest,
        # Its pictures may be large, and are not needed to draw the canvas.
        "listing": reading.spec_of(row).model_copy(update={"picture": None, "added": ()}),
        "sheet_regions": sheet.clear.regions,
        "clear_on": sheet.clear.on,
        "lift_on": sheet.lift.on,
        "tile_base": f"/api/photos/{photo_id}/tiles/{_mark(row)}",
        "steps": steps_to_one_tile(longest),
    }


def _with_mend(finding: Finding, bench: Bench) -> dict[str, Any]:
    return {**finding.model_dump(), "mend": None if finding.allowed else offer_mend(finding, bench)}


@router.put("/photos/{photo_id}/marks", response_model=PhotoDetail)
def put_marks(studio: TheStudio, photo_id: int, marks: Marks, what: Annotated[str, Query(min_length=1, max_length=80)]) -> Any:
    """Other marks, as a step that can be undone; `what` says what was done, for a person."""
    history.set_marks(studio, photo_id, marks, what)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/undo", response_model=PhotoDetail)
def post_undo(studio: TheStudio, photo_id: int) -> Any:
    history.undo(studio, photo_id)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/redo", response_model=PhotoDetail)
def post_redo(studio: TheStudio, photo_id: int) -> Any:
    history.redo(studio, photo_id)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/snapshots", response_model=PhotoDetail, status_code=201)
def post_snapshot(studio: TheStudio, photo_id: int, snapshot: NewSnapshot) -> Any:
    """Keep the marks in force under a name."""
    history.keep_snapshot(studio, photo_id, snapshot.name)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/snapshots/{snapshot_id}/restore", response_model=PhotoDetail)
def post_restore(studio: TheStudio, photo_id: int, snapshot_id: int) -> Any:
    history.restore_snapshot(studio, photo_id, snapshot_id)
    return get_photo(studio, photo_id)


@router.delete("/photos/{photo_id}/snapshots/{snapshot_id}", response_model=PhotoDetail)
def delete_snapshot(studio: TheStudio, photo_id: int, snapshot_id: int) -> Any:
    history.remove_snapshot(studio, photo_id, snapshot_id)
    return get_photo(studio, photo_id)


@router.post("/photos/{photo_id}/same-light", response_model=SameLight)
def post_same_light(studio: TheStudio, photo_id: int, tolerance: Annotated[float, Query(ge=0, le=30)] = history.SAME_LIGHT) -> Any:
    """Copy the photo's balance to the photos of its lot whose backdrop shows the same light, within a tolerance in ΔE00."""
    return vars(history.copy_balance(studio, photo_id, tolerance))


async def subject_of(studio: TheStudio, photo_id: int) -> Subject:
    """A photo as it stands, for the render processes."""
    return subject_from(await run_in_threadpool(reading.photo_row, studio, photo_id))


def subject_from(row: reading.Row) -> Subject:
    """The same, of a photo's row."""
    marks, found = Marks.model_validate(row["marks"]), reading.frame_of(row)
    return Subject(row["digest"], row["name"], reading.sheet_of(row), marks, row["empty"], found)


async def subject_under(studio: TheStudio, photo_id: int, marks: Marks) -> Subject:
    """The photo under the marks given, but in its own frame, which places are drawn in."""
    return under(await subject_of(studio, photo_id), marks)


def under(subject: Subject, marks: Marks) -> Subject:
    """The same, of a photo as it stands."""
    return replace(subject, marks=marks.model_copy(update={"frame": subject.marks.frame}))


async def answered(renderers: Renderers, asked: Asked, request: Request) -> Any:
    return await renderers.answer(asked, request) or Response(status_code=499)


@router.get("/photos/{photo_id}/lift", response_model=LiftGraph)
async def get_lift(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int) -> Any:
    """What was measured of the photo's backdrop, light and tones."""
    return await renderers.answer(GraphAsked(await subject_of(studio, photo_id)), request) or Response(status_code=499)


@router.get("/photos/{photo_id}/frame", response_model=FrameOffers)
async def get_frame(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int) -> Any:
    """What is offered for the photo's frame: for the photo turned and straightened as it is, but not cropped."""
    subject = await subject_of(studio, photo_id)
    frame = subject.marks.frame
    uncropped = Marks(frame=frame.model_copy(update={"crop": None}) if frame else FrameMarks())
    return await renderers.answer(FrameAsked(replace(subject, marks=uncropped)), request) or Response(status_code=499)


@router.get("/level", response_model=Level)
def get_level(dx: float, dy: float) -> Any:
    """The turn that makes a line drawn over so many px across and down level or upright, whichever is nearer."""
    return {"angle": level_along(dx, dy)}


@router.get("/photos/{photo_id}/sample", response_model=SampleOut)
async def get_sample(
    studio: TheStudio,
    renderers: TheRenderers,
    request: Request,
    photo_id: int,
    x: int,
    y: int,
    width: Annotated[int, Query(ge=1)],
    height: Annotated[int, Query(ge=1)],
) -> Any:
    """What a place of the photo, in its px, says of the light, if it should be neutral; or of white and black."""
    return await renderers.answer(SampleAsked(await subject_of(studio, photo_id), (x, y, width, height)), request) or Response(
        status_code=499
    )


@router.get("/photos/{photo_id}/pixel", response_model=PixelOut)
async def get_pixel(
    studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, x: int, y: int, card: Card = "white"
) -> Any:
    """One pixel before and after: levels of R, G, B, and how far from white, ΔE00."""
    return await renderers.answer(PixelAsked(await subject_of(studio, photo_id), x, y, card), request) or Response(status_code=499)


@router.put("/marks/{key}", status_code=204)
async def put_marks_key(given: TheMarks, key: MarksKey, marks: Marks) -> None:
    """Have a key stand for long marks in the address of a tile."""
    given.keep(key, marks)


@router.get("/photos/{photo_id}/tiles/{mark}/{view}/{card}/{marks}/{steps}/{column}-{row}", response_class=Response)
async def get_tile(
    studio: TheStudio,
    renderers: TheRenderers,
    given: TheMarks,
    request: Request,
    photo_id: int,
    mark: str,
    view: View,
    card: Card,
    marks: Annotated[str, Path(max_length=600, description="the marks to show it under, as JSON; or ~ and the key of longer ones")],
    steps: Annotated[int, Path(ge=0, le=MOST_STEPS)],
    column: Annotated[int, Path(ge=0, le=400)],
    row: Annotated[int, Path(ge=0, le=400)],
    level: Annotated[int, Query(ge=200, le=255, description="of the white check")] = 255,
) -> Any:
    """One tile. Its address names all that it hangs on, so it can be kept for ever."""
    key = (photo_id, mark)
    subjects: dict[tuple[int, str], Subject] = request.app.state.subjects
    if key not in subjects:
        photo = await run_in_threadpool(reading.photo_row, studio, photo_id)
        if _mark(photo) != mark:
            raise NotThere("has another run sheet or frame by now", where=photo["name"], remedy="Load the page again")
        if len(subjects) > 500:
            subjects.clear()
        subjects[key] = replace(subject_from(photo), marks=Marks())
    subject = subjects[key]
    if marks.startswith("~"):
        subject = replace(subject, marks=await given.found(marks[1:], subject.name))
    elif marks != "{}":
        subject = replace(subject, marks=parse(Marks, marks, subject.name))
    answer = await renderers.answer(TileAsked(subject, view, card, steps, column, row, level), request)
    if answer is None:
        return Response(status_code=499)
    data, media = answer
    return Response(data, media_type=media, headers=FOR_EVER)


@router.get("/pictures/{digest}", response_class=Response)
def get_picture(studio: TheStudio, digest: Annotated[str, Path(pattern="^[0-9a-f]{64}$")]) -> Any:
    """A stored preview."""
    return Response(reading.stored(studio, digest), media_type="image/webp", headers=FOR_EVER)
