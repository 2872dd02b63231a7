"""What a render process answers about regions: what they come to, what tolerances reach, maps, gaps, ways along edges."""

import base64
import zlib
from dataclasses import asdict
from typing import Any

import cv2
import numpy as np

from yardchalk.core.clear_settings import AutomaticRegion, ClearMarks, ContrastRegion, InkRegion
from yardchalk.core.codecs import encode_preview
from yardchalk.core.errors import YardError
from yardchalk.core.render import Render
from yardchalk.core.settings import Marks
from yardchalk.core.stages.clear.advice import LIMIT, advice, overlap_of_colours
from yardchalk.core.stages.clear.contrast import apply_map, rank_variants, separation_of, sources
from yardchalk.core.stages.clear.gaps import find_gaps
from yardchalk.core.stages.clear.one_ink import may_be_ink
from yardchalk.core.stages.clear.outline import nearest_edge, traced, way_along_edges
from yardchalk.core.stages.clear.region_list import goes_by_ink, ink_of
from yardchalk.core.stages.clear.spread import offer_tolerance, reach_map
from yardchalk.studio.asking import GapsAsked, ReachAsked, RegionsAsked, TraceAsked, VariantsAsked, WayAsked

_SMALL = 240  # px; long side of a variant's picture

Clearing = RegionsAsked | ReachAsked | VariantsAsked | GapsAsked | WayAsked | TraceAsked


def answer_of_clearing(render: Render, asked: Clearing) -> Any:
    """What was asked: a dict, or bytes for a reach map."""
    ground = render.ground
    if isinstance(asked, ReachAsked):
        if asked.measured:
            return asdict(offer_tolerance(asked.region, ground))
        reached = reach_map(asked.region, ground)
        return zlib.compress(reached.tobytes(), 1), ground.plot.width, ground.plot.height
    if isinstance(asked, VariantsAsked):
        return _variants(render, asked.region)
    if isinstance(asked, GapsAsked):
        return _gaps(render)
    if isinstance(asked, WayAsked):
        if asked.start is None:
            return {"points": [nearest_edge(ground, asked.end, asked.reach)]}
        return {"points": way_along_edges(ground, asked.start, asked.end)}
    if isinstance(asked, TraceAsked):
        return _traced(render, asked.number)
    return _report(render)


def _report(render: Render) -> dict[str, Any]:
    outcome, ground = render.outcome, render.ground
    backdrop = outcome.backdrop > 0.5
    overlap = overlap_of_colours(ground.pixels, ground.backdrop, backdrop).share
    alpha = render.cut(render.analysis_scale, render.whole(render.analysis_scale)).alpha
    regions: list[dict[str, Any]] = []
    for region, share, trouble in zip(render.regions, outcome.shares, outcome.troubles, strict=True):
        figures: dict[str, float] = {}
        if isinstance(region, InkRegion):
            figures["floor"], figures["full"] = render.ink_levels(region)
        if isinstance(region, AutomaticRegion) and goes_by_ink(region, render.one_ink):
            figures["floor"], figures["full"] = render.ink_levels(ink_of(region))
        if isinstance(region, ContrastRegion):
            figures["separation"] = separation_of(region.map, ground, region)
        regions.append({"share": share, "trouble": trouble, "figures": figures})
    return {
        "regions": regions,
        "removed": float(1 - alpha.mean()),
        "removed_px": float((1 - alpha.astype(np.float64)).sum() / render.analysis_scale**2),
        "overlap": overlap,
        "overlap_limit": LIMIT,
        # Of ink on paper much is nearly paper, and goes by density already.
        "advice": None if render.inked else advice(overlap, ground.backdrop.ring_share, _may_be_ink(render)),
        "width": ground.plot.width,
        "height": ground.plot.height,
    }


def _may_be_ink(render: Render) -> bool:
    return may_be_ink(render.evidence.features[render.clearing.product])


def _variants(render: Render, region: ContrastRegion) -> dict[str, Any]:
    ground = render.ground
    h, w = ground.shape
    s = min(1.0, _SMALL / max(h, w))
    size = (max(1, round(w * s)), max(1, round(h * s)))
    small = cv2.resize(ground.pixels, size, interpolation=cv2.INTER_AREA)
    given = sources(small, ground.backdrop.log_light(*size))
    out = []
    for variant in rank_variants(ground, region):
        grey = np.round(apply_map(variant.map, given) * 255).astype(np.uint8)
        picture = encode_preview(np.repeat(grey[..., None], 3, axis=2))
        out.append(
            {
                "map": variant.map.model_dump(),
                "separation": variant.separation,
                "picture": f"data:image/webp;base64,{base64.b64encode(picture).decode()}",
            }
        )
    return {"variants": out}


def _gaps(render: Render) -> dict[str, Any]:
    scale = render.analysis_scale
    # Of what is kept in the end: the flanks that the band takes away are no gaps.
    found = find_gaps(render.ground, render.cut(scale, render.whole(scale)).alpha <= 0.5)
    return {
        "gaps": [{"at": gap.at, "box": [round(v / scale) for v in gap.box], "share": gap.share, "likeness": gap.likeness} for gap in found]
    }


def _traced(render: Render, number: int | None) -> dict[str, Any]:
    if number is not None:
        if not 0 <= number < len(render.regions):
            raise YardError("is not in the list", where=f"Region {number + 1}", remedy="Load the photo again")
        alone = render.regions[number].model_copy(update={"on": True, "how": "add"})
        render = render.with_marks(Marks(frame=render.marks.frame, clear=ClearMarks(regions=(alone,))))
    # The border as it is solved, not the flank that it is looked for in.
    scale = render.analysis_scale
    outlines = traced(render.cut(scale, render.whole(scale)).alpha > 0.5, render.ground.plot)
    if not outlines:
        raise YardError("has no border to trace", where=render.name, remedy="Nothing is removed, or everything")
    return {"paths": [[knot.model_dump(exclude_none=True) for knot in path] for path in outlines]}
