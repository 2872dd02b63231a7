"""Intake: what came in and what did not, the watched folder, the capture station."""

from typing import Any

from fastapi import APIRouter

from yardchalk.studio import capturing, reading
from yardchalk.studio.intake import IntakeReport
from yardchalk.studio.running import ask_runs
from yardchalk.web.common import ERRORS, TheStudio
from yardchalk.web.models import Arrival, CaptureAsked, Station

router = APIRouter(prefix="/api", responses=ERRORS)


@router.get("/arrivals", response_model=list[Arrival])
def get_arrivals(studio: TheStudio) -> Any:
    """What came in last, what was in a lot already, and what was refused and why; newest first."""
    return reading.arrivals(studio)


@router.get("/capture", response_model=Station | None)
def get_capture(studio: TheStudio) -> Any:
    """What the capture station offers; null if none runs."""
    return capturing.station(studio)


@router.post("/lots/{lot_id}/capture", response_model=IntakeReport)
def post_capture(studio: TheStudio, lot_id: int, asked: CaptureAsked) -> Any:
    """A new frame or scan of a scene, into the lot."""
    reading.lot(studio, lot_id)
    report = capturing.capture(studio, lot_id, asked.scene, asked.device, asked.dpi)
    ask_runs(studio, lot_id, only=report.added)
    return report
