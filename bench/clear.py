"""The ways to say what is backdrop, each by a script of touches, boxes and strokes kept with the photos; and how long they take."""

import json
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from bench.quality import photos, unit
from bench.table import show
from yardchalk.core.clear_settings import (
    AnyRegion,
    AutomaticRegion,
    BoxRegion,
    BrushStroke,
    ClearMarks,
    ContrastRegion,
    FamilyRegion,
    InkRegion,
    OutlineRegion,
    SpreadRegion,
    StrokesRegion,
)
from yardchalk.core.render import Decisions, Render
from yardchalk.core.settings import Marks, load_sheet
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.clear.contrast import rank_variants
from yardchalk.core.stages.clear.outline import traced
from yardchalk.core.stages.clear.spread import offer_tolerance, reach_map
from yardchalk.core.views import view

SCRIPT = Path(__file__).with_name("clear.json")
_SAMPLE = 0.02  # width of the sampling brush, share of the longer side
_STROKES = 3
_PRINTS = ("PW-1060", "PW-1061")
AUTOMATIC = AutomaticRegion(kind="automatic")
# ms; of a box and its strokes, to the picture.
_LIMITS = {
    "reach map": 80,
    "box": 1500,
    "first stroke in a box": 200,
    "next stroke in a box": 200,
    "best contrast map": 2000,
    "stroke to picture": 200,
}


def _spread(render: Render, script: dict[str, Any], _: np.ndarray) -> AnyRegion:
    touched = SpreadRegion(kind="spread", points=tuple(script["touches"]))
    return touched.model_copy(update={"tolerance": offer_tolerance(touched, render.ground).best or touched.tolerance})


def _family(render: Render, script: dict[str, Any], _: np.ndarray) -> AnyRegion:
    return FamilyRegion(kind="family", samples=tuple(Stroke(size=_SAMPLE, points=tuple(line)) for line in script["samples"]))


def _box(render: Render, script: dict[str, Any], _: np.ndarray) -> AnyRegion:
    return BoxRegion(kind="box", loop=tuple(script["box"]))


def _box_mended(render: Render, script: dict[str, Any], truth: np.ndarray) -> BoxRegion:
    """With strokes as somebody paints them: each time in the middle of the largest place that is wrong."""
    h, w = render.ground.shape
    product = cv2.resize(truth, (w, h), interpolation=cv2.INTER_AREA) > 0.5
    region = BoxRegion(kind="box", loop=tuple(script["box"]))
    for _ in range(_STROKES):
        # The product has the outer flank of its border with it.
        found = cv2.erode(_under(render, region).outcome.product.view(np.uint8), np.ones((5, 5), np.uint8)) > 0
        depths = {adds: cv2.distanceTransform(wrong.view(np.uint8), cv2.DIST_L2, 5) for adds, wrong in _wrong(product, found)}
        adds, depth = max(depths.items(), key=lambda each: float(each[1].max()))
        y, x = np.unravel_index(int(depth.argmax()), depth.shape)
        size = min(_SAMPLE, 1.6 * float(depth.max()) / max(h, w))
        stroke = Stroke(size=size, adds=adds, points=((float(x) / w, float(y) / h),))
        region = region.model_copy(update={"strokes": (*region.strokes, stroke)})
    return region


def _wrong(product: np.ndarray, found: np.ndarray) -> tuple[tuple[bool, np.ndarray], ...]:
    return (True, product & ~found), (False, found & ~product)


def _outline(render: Render, script: dict[str, Any], truth: np.ndarray) -> AnyRegion:
    """As somebody would draw it who sees the truth: its border, at the size of the analysis picture."""
    h, w = render.ground.shape
    small = cv2.resize(truth, (w, h), interpolation=cv2.INTER_AREA) > 0.5
    return OutlineRegion(kind="outline", paths=tuple(traced(small, render.ground.plot)))


def _contrast(render: Render, script: dict[str, Any], _: np.ndarray) -> AnyRegion:
    return ContrastRegion(kind="contrast", map=rank_variants(render.ground)[0].map)


def _ink(render: Render, script: dict[str, Any], _: np.ndarray) -> AnyRegion:
    return InkRegion(kind="ink")


WAYS: dict[str, Callable[[Render, dict[str, Any], np.ndarray], AnyRegion]] = {
    "automatic": lambda *_: AUTOMATIC,
    "spread, best plateau": _spread,
    "colour family": _family,
    "box, no strokes": _box,
    "box, three strokes": _box_mended,
    "outline of truth": _outline,
    "contrast map, best": _contrast,
    "ink": _ink,
}


def run() -> dict[str, float]:
    """Quality by way and photo, then times on the analysis picture."""
    cv2.setNumThreads(1)
    script = json.loads(SCRIPT.read_text())
    rows: list[list[str]] = []
    by_way: dict[str, list[tuple[float, float, float]]] = {name: [] for name in WAYS}
    times: dict[str, list[float]] = {name: [] for name in _LIMITS}
    for path, truth_path in photos("demo"):
        data, truth = path.read_bytes(), unit(truth_path)
        plain = Render(data, path.stem, load_sheet("transparent"))
        row = [path.stem]
        for name, way in WAYS.items():
            if name == "ink" and not path.stem.startswith(_PRINTS):
                row.append("")
                continue
            region = way(plain, script[path.stem], truth)
            alpha = _alpha(_under(plain, region))
            both = ((alpha > 0.5) & (truth > 0.5)).sum() / max(((alpha > 0.5) | (truth > 0.5)).sum(), 1)
            found = float(both), 1e3 * float(((alpha - truth) ** 2).mean()), 100 * float(((alpha > 0.5) != (truth > 0.5)).mean())
            by_way[name].append(found)
            row.append("{:.3f} {:6.2f} {:5.2f}".format(*found))
        rows.append(row)
        _time(plain, script[path.stem], truth, times)
    rows.append(["median", *("{:.3f} {:6.2f} {:5.2f}".format(*np.median(by_way[name], axis=0)) for name in WAYS)])
    show("Ways to clear: IoU, alpha MSE (e-3), wrong pixels (%)", ["photo", *WAYS], rows)
    show(
        "Times on the analysis picture, ms",
        ["what", "median", "worst", "must"],
        [[name, f"{statistics.median(each):.0f}", f"{max(each):.0f}", str(_LIMITS[name])] for name, each in times.items()],
    )
    medians = {name: np.median(found, axis=0) for name, found in by_way.items()}
    return {f"clear: {name}, median IoU": float(found[0]) for name, found in medians.items()}


def _under(plain: Render, *regions: AnyRegion) -> Render:
    marks = Marks(clear=ClearMarks(regions=regions))
    return Render(plain.data, plain.name, plain.sheet, marks, cache=plain.cache)


def _alpha(render: Render) -> np.ndarray:
    return render.cut(1.0, render.whole(1.0)).alpha


def _time(plain: Render, script: dict[str, Any], truth: np.ndarray, times: dict[str, list[float]]) -> None:
    ground = plain.ground
    touched = SpreadRegion(kind="spread", points=tuple(script["touches"]))
    times["reach map"].append(_ms(lambda: reach_map(touched, ground)))
    mended = _box_mended(plain, script, truth)
    # Opened as at the bench, and nothing of the box known yet.
    opened = Render(plain.data, plain.name, plain.sheet)
    decided = _decided(opened, None)
    for count, name in enumerate(("box", "first stroke in a box", "next stroke in a box")):
        drawn = _under(opened, mended.model_copy(update={"strokes": mended.strokes[:count]}))
        began = time.perf_counter()
        decided = _decided(drawn, decided)
        view(drawn, "removed", 0.5, drawn.whole(0.5))
        times[name].append(1000 * (time.perf_counter() - began))
    times["best contrast map"].append(_ms(lambda: rank_variants(ground)))
    # One stroke more on a list of three: what the bench does from letting go to the tiles of the fitted view.
    scale = 0.5
    before = [_chalk(0.1 + 0.1 * k) for k in range(3)]
    for count in (3, 4):
        drawn = _under(plain, AUTOMATIC, StrokesRegion(kind="strokes", strokes=(*before, _chalk(0.8))[:count]))
        spent = _ms(lambda drawn=drawn: view(drawn, "removed", scale, drawn.whole(scale)))  # type: ignore[misc]
    times["stroke to picture"].append(spent)


def _decided(drawn: Render, before: Decisions | None) -> Decisions:
    """As the bench has it decided, after what was decided before."""
    if before is not None:
        drawn.start_from(before)
    decided = replace(drawn.decisions, solution=drawn.solution)
    drawn.adopt(decided)
    return decided


def _chalk(x: float) -> BrushStroke:
    return BrushStroke(keeps=True, size=0.03, softness=0.3, points=tuple((x, 0.1 + 0.02 * k, 1.0) for k in range(20)))


def _ms(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return 1000 * (time.perf_counter() - began)
