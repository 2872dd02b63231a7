"""Lots: list, make, fill, run, and their line-up."""

import tempfile
from typing import IO, Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from fastapi.concurrency import run_in_threadpool

from yardchalk.core.checks import Verdict
from yardchalk.core.errors import YardError
from yardchalk.studio import lots, reading
from yardchalk.studio.delivering import deliver, plan
from yardchalk.studio.intake import IntakeReport, take_in
from yardchalk.studio.running import ask_runs, cancel_runs, go_on, pause
from yardchalk.web.common import ERRORS, TheStudio
from yardchalk.web.models import (
    Count,
    Created,
    DeliverAsked,
    Due,
    EmptySet,
    InForce,
    LineupTile,
    LotAsked,
    LotCard,
    LotDetail,
    Name,
    PhotosNamed,
    PlannedFile,
    RemovedLot,
    RowNumber,
    RunAsked,
    SheetAsked,
    StripOut,
)

router = APIRouter(prefix="/api", responses=ERRORS)
_ZIP_BYTES = 20_000_000_000


@router.get("/lots", response_model=list[LotCard])
def get_lots(studio: TheStudio) -> Any:
    return reading.lots(studio)


@router.post("/lots", response_model=Created, status_code=201)
def post_lot(studio: TheStudio, asked: LotAsked) -> Any:
    return Created(id=lots.add_lot(studio, asked.name, asked.sheet, asked.spec))


@router.get("/lots/{lot_id}", response_model=LotDetail)
def get_lot(studio: TheStudio, lot_id: int) -> Any:
    return reading.lot(studio, lot_id)


@router.put("/lots/{lot_id}", response_model=Count)
def put_lot(studio: TheStudio, lot_id: int, asked: InForce) -> Any:
    return Count(count=lots.set_lot(studio, lot_id, asked.sheet, asked.spec))


@router.put("/lots/{lot_id}/name", status_code=204)
def put_name(studio: TheStudio, lot_id: int, asked: Name) -> None:
    lots.rename_lot(studio, lot_id, asked.name)


@router.put("/lots/{lot_id}/due", status_code=204)
def put_due(studio: TheStudio, lot_id: int, asked: Due) -> None:
    lots.set_due(studio, lot_id, asked.due)


@router.delete("/lots/{lot_id}", status_code=204)
def delete_lot(studio: TheStudio, lot_id: int) -> None:
    """Put a lot away; it is kept for a while, to be taken back."""
    lots.remove_lot(studio, lot_id)


@router.get("/removed-lots", response_model=list[RemovedLot])
def get_removed_lots(studio: TheStudio) -> Any:
    return lots.removed_lots(studio)


@router.post("/removed-lots/{lot_id}/take-back", status_code=204)
def post_take_back(studio: TheStudio, lot_id: int) -> None:
    lots.take_back_lot(studio, lot_id)


@router.put("/lots/{lot_id}/empty-set", response_model=Count)
def put_empty_set(studio: TheStudio, lot_id: int, asked: EmptySet) -> Any:
    """Even the light of the lot's photos by that of the empty set; null goes back to the model of each photo."""
    return Count(count=lots.set_empty(studio, lot_id, asked.photo))


@router.get("/lots/{lot_id}/lineup", response_model=list[LineupTile])
def get_lineup(
    studio: TheStudio,
    lot_id: int,
    after: int | None = None,
    limit: Annotated[int, Query(ge=1, le=5000)] = 1000,
    photo: Annotated[list[RowNumber] | None, Query()] = None,
) -> Any:
    """A page of the line-up: what comes after a photo in its order; or just the photos named."""
    # It is JSON already; a test holds it to the model.
    return Response(reading.lineup(studio, lot_id, after=after, limit=limit, only=photo), media_type="application/json")


@router.get("/lots/{lot_id}/strips", response_model=list[StripOut])
def get_strips(studio: TheStudio, lot_id: int) -> Any:
    """Figures that the lot's photos are compared by; empty for lots of a few photos."""
    return reading.strips(studio, lot_id)


@router.put("/lots/{lot_id}/photo-sheet", response_model=Count)
def put_photo_sheet(studio: TheStudio, lot_id: int, asked: SheetAsked) -> Any:
    """Run some photos by another run sheet than the lot's."""
    return Count(count=reading.set_photo_sheet(studio, lot_id, asked.photos, asked.sheet))


@router.post("/lots/{lot_id}/files", response_model=IntakeReport)
async def post_file(studio: TheStudio, request: Request, lot_id: int, name: Annotated[str, Query(min_length=1, max_length=1000)]) -> Any:
    """One dropped file, a photo or a ZIP, as the body of the request; it is streamed to disk under the limits."""
    await run_in_threadpool(reading.lot, studio, lot_id)
    with tempfile.TemporaryFile() as file:
        try:
            await _receive(request, file, name, studio.limits.max_bytes)
        except OSError as error:
            raise YardError(
                f"cannot be received ({error.strerror})",
                where=name,
                remedy="Make room in the folder for temporary files, then add it again",
            ) from None
        report = await run_in_threadpool(take_in, studio, lot_id, name, file)
    await run_in_threadpool(ask_runs, studio, lot_id, only=report.added)
    return report


async def _receive(request: Request, file: IO[bytes], name: str, max_bytes: int) -> None:
    size = 0
    limit = max_bytes
    async for piece in request.stream():
        if size == 0 and piece[:4] == b"PK\x03\x04":
            limit = _ZIP_BYTES  # its entries are held to the limit one by one
        size += len(piece)
        if size > limit:
            # One byte over is enough for intake to refuse it by name; the rest is not kept.
            await run_in_threadpool(file.write, piece[: max(0, limit + 1 - (size - len(piece)))])
            async for _ in request.stream():
                pass
            break
        await run_in_threadpool(file.write, piece)
    if size == 0:
        await run_in_threadpool(file.write, b"")
    file.seek(0)


@router.post("/lots/{lot_id}/run", response_model=Count)
def post_run(studio: TheStudio, lot_id: int, asked: RunAsked) -> Any:
    """Run what is not done yet or failed; of the photos named, or of all."""
    return Count(count=ask_runs(studio, lot_id, only=asked.photos, anew=asked.anew, failed=asked.failed))


@router.post("/lots/{lot_id}/pause", response_model=Count)
def post_pause(studio: TheStudio, lot_id: int) -> Any:
    """Let what has not begun wait."""
    return Count(count=pause(studio, lot_id))


@router.post("/lots/{lot_id}/go-on", response_model=Count)
def post_go_on(studio: TheStudio, lot_id: int) -> Any:
    """Go on with a paused lot."""
    return Count(count=go_on(studio, lot_id))


@router.post("/lots/{lot_id}/cancel", response_model=Count)
def post_cancel(studio: TheStudio, lot_id: int) -> Any:
    """Take back what has not begun."""
    return Count(count=cancel_runs(studio, lot_id))


@router.post("/lots/{lot_id}/remove", status_code=204)
def post_remove(studio: TheStudio, lot_id: int, named: PhotosNamed) -> None:
    if not named.photos:
        raise YardError("No photo was named", remedy="Choose the photos to take out")
    reading.remove_photos(studio, lot_id, named.photos)


@router.get("/lots/{lot_id}/delivery-plan", response_model=list[PlannedFile])
def get_delivery_plan(
    studio: TheStudio, lot_id: int, verdict: Annotated[list[Verdict], Query()], new_only: bool = False, spec: str | None = None
) -> Any:
    """What a delivery of these verdicts would write, and under which names; if so asked, without what was delivered as it is."""
    return plan(studio, lot_id, frozenset(verdict), new_only, spec)


@router.post("/lots/{lot_id}/deliveries", response_model=Created, status_code=201)
def post_delivery(studio: TheStudio, lot_id: int, asked: DeliverAsked) -> Any:
    return Created(id=deliver(studio, lot_id, frozenset(asked.verdicts), asked.new_only, asked.spec))
