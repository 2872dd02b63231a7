"""What a render process answers about the edge: figures by stretch of the outline, and what each clean-up changed."""

from dataclasses import replace
from typing import Any

import numpy as np

from yardchalk.core.checks.ragged_edge import fault
from yardchalk.core.render import Render
from yardchalk.core.render.edge import SEE_THROUGH
from yardchalk.core.stages.edge.finish import shaped
from yardchalk.core.stages.edge.solve import usual_width
from yardchalk.core.stages.edge.stretches import Stretch

_PLAIN = {"smooth": 0.0, "grow": 0.0, "feather": 0.0, "black": 0.0, "white": 1.0, "density": 0.0}
_STEPS = {"smooth": ("smooth",), "grow": ("grow",), "feather": ("feather",), "levels": ("black", "white"), "density": ("density",)}


def report_on_edge(render: Render, fringe_limit: float) -> dict[str, Any]:
    """Settings in force, stretches, and changes; lengths and areas in px of the original."""
    scale = render.analysis_scale
    stretches = render.stretches
    length = sum(stretch.length for stretch in stretches)
    solution = render.solution

    def mean(name: str) -> float:
        return round(sum(getattr(stretch, name) * stretch.length for stretch in stretches) / length, 3) if length else 0.0

    def wrong(stretch: Stretch) -> str | None:
        return fault(stretch, scale, solution.crisp) or (f"fringe {stretch.fringe:.1f} ΔE" if stretch.fringe > fringe_limit else None)

    usual = usual_width(solution.spread, looked=bool((solution.doubt[:, 4] >= 0).any()))
    return {
        "settings": render.edge,
        "sheet": render.sheet.edge,
        "usual": {"width": round(usual / scale, 1), "see_through": SEE_THROUGH},
        "given": render.given_alpha,
        "drawn": solution.drawn,
        "only_ink": render.only_ink,
        "stretches": [{**stretch.model_dump(), "fault": wrong(stretch)} for stretch in stretches],
        "length": round(length),
        "fringe_before": mean("fringe_before"),
        "fringe": mean("fringe"),
        "fringe_limit": fringe_limit,
        "width": mean("width"),
        "told": mean("told"),
        "looked": mean("looked"),
        "spread": round(solution.spread / scale, 2),
        "changes": _changes(render, scale),
    }


def _changes(render: Render, scale: float) -> dict[str, dict[str, float]]:
    """Of each clean-up by itself: how many pieces it changed, where it works by pieces, and the area."""
    tidy = render.tidying
    area = 1 / scale**2
    out: dict[str, dict[str, float]] = {
        "specks": {"count": tidy.specks, "area": round(tidy.specks_area * area)},
        "holes": {"count": tidy.holes, "area": round(tidy.holes_area * area)},
    }
    finish = render.finish(scale)
    for step, parts in _STEPS.items():
        alone = replace(finish, **{name: value for name, value in _PLAIN.items() if name not in parts})
        changed = 0.0
        if not alone.plain:
            before, thin = render.before_shaping()
            changed = float(np.abs(shaped(before, alone, thin) - before).sum()) * area
        out[step] = {"count": 0, "area": round(changed)}
    return out
