"""Clear at the bench: what regions come to, what tolerances reach, maps, gaps, ways along edges, kept regions.

What is asked of a region comes with the request, so that one that is still being changed is answered without being kept.
"""

from typing import Any

from fastapi import APIRouter, Request, Response

from yardchalk.core.clear_settings import ContrastRegion, OutlineRegion, SpreadRegion
from yardchalk.core.settings import Marks
from yardchalk.core.stages.clear.outline import from_svg, to_svg
from yardchalk.studio import kept, reading
from yardchalk.studio.asking import GapsAsked, ReachAsked, RegionsAsked, TraceAsked, VariantsAsked, WayAsked
from yardchalk.web.common import ERRORS, TheRenderers, TheStudio
from yardchalk.web.models import ClearReport, Gaps, KeptOut, NewKept, Outlines, Points, SpreadOfferOut, Svg, SvgIn, Variants, WayWanted
from yardchalk.web.photos import answered, subject_of, subject_under

router = APIRouter(prefix="/api", responses=ERRORS)


@router.post("/photos/{photo_id}/clear", response_model=ClearReport)
async def post_clear(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """What the regions in these marks come to, one by one and together."""
    return await answered(renderers, RegionsAsked(await subject_under(studio, photo_id, marks)), request)


@router.post(
    "/photos/{photo_id}/clear/reach-map",
    response_class=Response,
    responses={200: {"content": {"application/octet-stream": {}}, "description": "uint8, row by row; size in Width and Height"}},
)
async def post_reach_map(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, region: SpreadRegion) -> Any:
    """The least tolerance, in quarters, that reaches each pixel of the analysis picture; 255 is never."""
    answer = await renderers.answer(ReachAsked(await subject_of(studio, photo_id), region, measured=False), request)
    if answer is None:
        return Response(status_code=499)
    data, width, height = answer
    headers = {"Content-Encoding": "deflate", "Width": str(width), "Height": str(height)}
    return Response(data, media_type="application/octet-stream", headers=headers)


@router.post("/photos/{photo_id}/clear/spread-offer", response_model=SpreadOfferOut)
async def post_spread_offer(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, region: SpreadRegion) -> Any:
    """Area against tolerance, its plateaus and leaks, and the tolerance offered."""
    return await answered(renderers, ReachAsked(await subject_of(studio, photo_id), region, measured=True), request)


@router.post("/photos/{photo_id}/clear/variants", response_model=Variants)
async def post_variants(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, region: ContrastRegion) -> Any:
    """The contrast maps that best tell product from backdrop, best first."""
    return await answered(renderers, VariantsAsked(await subject_of(studio, photo_id), region), request)


@router.post("/photos/{photo_id}/clear/gaps", response_model=Gaps)
async def post_gaps(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks) -> Any:
    """Places inside what these marks keep where backdrop may show."""
    return await answered(renderers, GapsAsked(await subject_under(studio, photo_id, marks)), request)


@router.post("/photos/{photo_id}/clear/way", response_model=Points)
async def post_way(studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, wanted: WayWanted) -> Any:
    """The way along the strongest edges between two places."""
    subject = await subject_of(studio, photo_id)
    return await answered(renderers, WayAsked(subject, wanted.start, wanted.end, wanted.reach), request)


@router.post("/photos/{photo_id}/clear/trace", response_model=Outlines)
async def post_trace(
    studio: TheStudio, renderers: TheRenderers, request: Request, photo_id: int, marks: Marks, number: int | None = None
) -> Any:
    """What one region, counted from 0, or all together leave as product, as outlines."""
    return await answered(renderers, TraceAsked(await subject_under(studio, photo_id, marks), number), request)


@router.post("/photos/{photo_id}/clear/svg", response_model=Svg)
def post_svg(studio: TheStudio, photo_id: int, region: OutlineRegion) -> Any:
    """Outlines as an SVG document in px of the upright photo."""
    row = reading.photo_row(studio, photo_id)
    return {"svg": to_svg(region, row["facts"]["width"], row["facts"]["height"])}


@router.post("/photos/{photo_id}/clear/from-svg", response_model=Outlines)
def post_from_svg(studio: TheStudio, photo_id: int, given: SvgIn) -> Any:
    """Outlines from SVG path data."""
    row = reading.photo_row(studio, photo_id)
    return {"paths": from_svg(given.d, row["facts"]["width"], row["facts"]["height"])}


@router.get("/kept-regions", response_model=list[KeptOut])
def get_kept(studio: TheStudio) -> Any:
    return kept.kept_regions(studio)


@router.post("/kept-regions", response_model=list[KeptOut], status_code=201)
def post_kept(studio: TheStudio, new: NewKept) -> Any:
    """Keep a region under a name for other photos; one of that name is replaced."""
    kept.keep_region(studio, new.name, new.region)
    return kept.kept_regions(studio)


@router.delete("/kept-regions/{kept_id}", response_model=list[KeptOut])
def delete_kept(studio: TheStudio, kept_id: int) -> Any:
    kept.forget_region(studio, kept_id)
    return kept.kept_regions(studio)
