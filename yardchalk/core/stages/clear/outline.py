"""Outline: inside or outside of drawn curves; the way along the strongest edges; and outlines as SVG paths."""

from typing import Any

import cv2
import numpy as np
from shapely import MultiPolygon, Polygon
from svgelements import Arc, Close, CubicBezier, Path, QuadraticBezier

from yardchalk.core.clear_settings import MOST_KNOTS, MOST_OUTLINES, Knot, OutlineRegion, flattened
from yardchalk.core.colour import Float, Mask
from yardchalk.core.errors import YardError
from yardchalk.core.stages.clear.ground import Ground
from yardchalk.core.stages.plot import Plot

_STEPS_OF_NOISE = 30.0  # a step this high costs the way along it half of what even ground costs
_BEYOND = 40  # px round the straight way that the way along edges may take
_EXACT = 0.7  # px of the analysis picture that a line may lie off


def outline(region: OutlineRegion, plot: Plot) -> Float:
    """What of a picture lies on the backdrop's side of the outlines, 0..1, at any scale: float32 (h, w)."""
    inside = plot.filled([flattened(path) for path in region.paths])
    width = plot.length(region.softness)
    if width >= 1:
        far = cv2.distanceTransform((inside > 0.5).view(np.uint8), cv2.DIST_L2, 5)
        far -= cv2.distanceTransform((inside <= 0.5).view(np.uint8), cv2.DIST_L2, 5)
        inside = np.clip(far / np.float32(width) + np.float32(0.5), 0, 1)
    return inside if region.backdrop == "inside" else 1 - inside


def way_along_edges(ground: Ground, start: tuple[float, float], end: tuple[float, float]) -> list[tuple[float, float]]:
    """The cheapest way between two places of the upright photo, where a step of the picture is cheap; both ends included.

    A live-wire: Mortensen and Barrett, "Intelligent scissors for image composition", SIGGRAPH 1995, on the steps of the
    analysis picture.
    """
    # Here, not above: it takes long to load, and only who draws along edges waits for it.
    from skimage.graph import route_through_array

    ends = np.floor(ground.plot.places([start, end])).astype(int)
    h, w = ground.shape
    ends = np.clip(ends, 0, (w - 1, h - 1))
    low, high = np.maximum(ends.min(0) - _BEYOND, 0), np.minimum(ends.max(0) + _BEYOND + 1, (w, h))
    steps = ground.evidence.steps[low[1] : high[1], low[0] : high[0]]
    cost = 0.02 + 1 / (1 + (steps / _STEPS_OF_NOISE) ** 2)
    (x0, y0), (x1, y1) = ends - low
    route, _ = route_through_array(cost, (y0, x0), (y1, x1), fully_connected=True, geometric=True)
    line = np.array(route)[:, ::-1] + low
    points = cv2.approxPolyDP(line.astype(np.int32)[:, None], _EXACT, False)[:, 0]
    return [start, *ground.plot.shares(points[1:-1] + 0.5), end]


def nearest_edge(ground: Ground, at: tuple[float, float], reach: float) -> tuple[float, float]:
    """The strongest step within `reach` (share of the photo's longer side) of a place; the place itself if all is even."""
    (x, y), r = np.floor(ground.plot.places([at])[0]).astype(int), max(2, round(ground.plot.length(reach)))
    h, w = ground.shape
    rows, columns = slice(max(y - r, 0), min(y + r + 1, h)), slice(max(x - r, 0), min(x + r + 1, w))
    steps = ground.evidence.steps[rows, columns]
    if steps.size == 0 or float(steps.max()) < _STEPS_OF_NOISE / 2:
        return at
    j, i = np.unravel_index(int(steps.argmax()), steps.shape)
    return ground.plot.shares(np.array([[columns.start + i + 0.5, rows.start + j + 0.5]]))[0]


def traced(mask: Mask, plot: Plot) -> list[tuple[Knot, ...]]:
    """The borders of a mask (h, w) on the analysis picture as closed outlines; holes come as outlines of their own."""
    # Twice as large, so that what is one px wide has an inside.
    lines, _ = cv2.findContours(np.kron(mask.view(np.uint8), np.ones((2, 2), np.uint8)), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    out: list[tuple[Knot, ...]] = []
    for line in sorted(lines, key=cv2.contourArea, reverse=True):
        if len(line) < 4 or len(out) == MOST_OUTLINES:
            break
        # A border that touches itself falls into parts that do not.
        for part in _parts(Polygon((line[:, 0] + 0.5) / 2).buffer(0)):
            exact = _EXACT / 2
            simple = part.simplify(exact)
            while len(simple.exterior.coords) > MOST_KNOTS:
                exact *= 1.5
                simple = part.simplify(exact)
            if simple.area > 1 and simple.is_valid:
                out.append(tuple(Knot(at=place) for place in plot.shares(np.array(simple.exterior.coords)[:-1])))
    return out[:MOST_OUTLINES]


def _parts(shape: Polygon | MultiPolygon) -> list[Polygon]:
    return list(shape.geoms) if isinstance(shape, MultiPolygon) else [shape]


def to_svg(region: OutlineRegion, width: int, height: int) -> str:
    """The outlines as an SVG document of the upright photo's width and height, px; one path, holes by the even-odd rule."""
    parts = []
    for path in region.paths:
        (x, y) = path[0].at
        parts.append(f"M {x * width:.2f} {y * height:.2f}")
        for here, there in zip(path, (*path[1:], path[0]), strict=True):
            if here.after is None and there.before is None:
                parts.append(f"L {there.at[0] * width:.2f} {there.at[1] * height:.2f}")
            else:
                three = (here.after or here.at, there.before or there.at, there.at)
                parts.append("C " + " ".join(f"{px * width:.2f} {py * height:.2f}" for px, py in three))
        parts.append("Z")
    drawn = " ".join(parts)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" viewBox="0 0 {width} {height}">'
        f'<path fill-rule="evenodd" d="{drawn}"/></svg>\n'
    )


def from_svg(text: str, width: int, height: int) -> tuple[tuple[Knot, ...], ...]:
    """Outlines from SVG path data (`d`) in px of the upright photo; lines and curves of every kind; open ones are closed.

    Raises
    ------
    YardError
        It is no path data, or holds no outline, or more of them or of their points than a region.
    """
    # Each outline begins with a move or after a close. Counted before they are read, since reading takes long where they are many.
    if sum(map(text.count, "MmZz")) > 2 * MOST_OUTLINES:
        raise YardError(f"holds more than {MOST_OUTLINES} outlines", where="The SVG path", remedy="Leave the small ones out")
    try:
        pieces = [list(Path(piece)) for piece in Path(text).as_subpaths()]
    except (ValueError, IndexError, TypeError, AttributeError, KeyError):
        raise YardError("cannot be read", where="The SVG path", remedy='Give the d="..." of a path: M, L, C, Q, A, Z') from None
    outlines = [knots for piece in pieces if len(knots := _knots(piece, width, height)) >= 2]
    if not outlines:
        raise YardError("holds no closed line", where="The SVG path", remedy='Give the d="..." of a path: M, L, C, Q, A, Z')
    if (most := max(map(len, outlines))) > MOST_KNOTS:
        raise YardError(f"holds an outline of {most:,} points, more than {MOST_KNOTS}", where="The SVG path", remedy="Simplify it")
    return tuple(outlines)


def _knots(piece: list[Any], width: int, height: int) -> tuple[Knot, ...]:
    """The points of one line; `piece` holds the package's own segments, which it does not type."""

    def share(point: Any) -> tuple[float, float]:
        return round(float(point.x) / width, 6), round(float(point.y) / height, 6)

    knots: list[Knot] = []
    for step in (part for whole in piece for part in (whole.as_cubic_curves() if isinstance(whole, Arc) else (whole,))):
        if isinstance(step, Close):
            continue
        if isinstance(step, QuadraticBezier):
            step = CubicBezier(
                step.start, step.start + (step.control - step.start) * (2 / 3), step.end + (step.control - step.end) * (2 / 3), step.end
            )
        if isinstance(step, CubicBezier):
            knots[-1] = knots[-1].model_copy(update={"after": share(step.control1)})
            knots.append(Knot(at=share(step.end), before=share(step.control2)))
        else:
            knots.append(Knot(at=share(step.end)))
    # A line that ends where it began has that place once.
    if len(knots) > 2 and np.allclose(knots[0].at, knots[-1].at, atol=1e-5):
        knots[0] = knots[0].model_copy(update={"before": knots[-1].before})
        knots.pop()
    return tuple(knots)
