"""Deliveries: list, manifest, ZIP."""

import mimetypes
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import APIRouter, Query
from fastapi.responses import FileResponse, Response, StreamingResponse

from yardchalk.core.errors import NotThere
from yardchalk.studio import reading
from yardchalk.studio.delivering import folder_of, retry, zip_delivery
from yardchalk.studio.reading import DeliveredOf
from yardchalk.studio.sending import ask_sending
from yardchalk.web.common import ERRORS, FOR_EVER, TheStudio
from yardchalk.web.models import Count, DeliveredFile, DeliveryOut

router = APIRouter(prefix="/api/deliveries", responses=ERRORS)


@router.get("", response_model=list[DeliveryOut])
def get_deliveries(studio: TheStudio) -> Any:
    return reading.deliveries(studio)


@router.get("/{delivery_id}/files", response_model=list[DeliveredFile])
def get_files(studio: TheStudio, delivery_id: int, which: DeliveredOf = "all", limit: Annotated[int, Query(ge=1, le=20_000)] = 100) -> Any:
    """The first of a delivery's files: of all, of those with more than notes, or of those sent to the listing desk and not accepted."""
    return reading.delivery_files(studio, delivery_id, which, limit)


@router.get("/{delivery_id}/files/{file_id}", response_class=Response)
def get_file(studio: TheStudio, delivery_id: int, file_id: int) -> Any:
    """One file as it was delivered, under its name."""
    name, data = reading.delivered_file(studio, delivery_id, file_id)
    media = mimetypes.guess_type(name)[0] or "application/octet-stream"
    return Response(data, media_type=media, headers=FOR_EVER | {"Content-Disposition": f"inline; filename*=utf-8''{quote(name)}"})


@router.post("/{delivery_id}/retry", status_code=204)
def post_retry(studio: TheStudio, delivery_id: int) -> None:
    """Write a failed delivery again."""
    retry(studio, delivery_id)


@router.post("/{delivery_id}/send", response_model=Count)
def post_send(studio: TheStudio, delivery_id: int) -> Any:
    """Send the files that the listing desk has not accepted yet to it."""
    return Count(count=ask_sending(studio, delivery_id))


@router.get("/{delivery_id}/manifest.{kind}", response_class=FileResponse)
def get_manifest(studio: TheStudio, delivery_id: int, kind: Literal["csv", "json"]) -> Any:
    row = reading.delivery(studio, delivery_id)
    path = folder_of(studio, row) / f"manifest.{kind}"
    if not path.is_file():
        raise NotThere("was moved or removed from disk", where=row["folder"], remedy="Deliver the lot again")
    return FileResponse(path, filename=f"{row['folder']}-manifest.{kind}")


@router.get("/{delivery_id}.zip", response_class=StreamingResponse)
def get_zip(studio: TheStudio, delivery_id: int) -> Any:
    row = reading.delivery(studio, delivery_id)
    headers = {"Content-Disposition": f'attachment; filename="{row["folder"]}.zip"'}
    return StreamingResponse(zip_delivery(studio, row), media_type="application/zip", headers=headers)
