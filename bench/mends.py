"""Mend: how long each brush takes to be seen on a 24-megapixel photo fitted to the window, beside drawing the same tile anew."""

import statistics
import time
from collections.abc import Callable
from typing import Any

from bench.speed import LARGE
from bench.table import show
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render, StageCache
from yardchalk.core.settings import Marks, load_sheet
from yardchalk.core.stages.mend.pushing import push_stroke

WHITE = load_sheet("white")
FIT = 1 / 8  # of 6,000 px, in a window of 750
_PLACES = 5


def _strokes(x: float, y: float, size: tuple[int, int]) -> dict[str, dict[str, Any]]:
    spot = {"shape": "stroke", "size": 0.02, "points": [[x, y], [x + 0.02, y]]}
    loop = {"shape": "loop", "points": [[x, y], [x + 0.04, y], [x + 0.04, y + 0.04], [x, y + 0.04]]}
    return {
        "clone": {"kind": "clone", "area": spot, "source": [x - 0.05, y]},
        "fill": {"kind": "fill", "area": spot},
        "restore": {"kind": "restore", "area": spot},
        "to backdrop": {"kind": "cover", "to": "backdrop", "area": spot},
        "nudge": {"kind": "nudge", "area": loop, "by": [0.01, 0.01]},
        "push": push_stroke(None, size, "push", ((x, y), (x + 0.04, y)), 0.1).model_dump(),
    }


def _milliseconds(what: Callable[[], object]) -> float:
    began = time.perf_counter()
    what()
    return 1000 * (time.perf_counter() - began)


def _brushes() -> dict[str, float]:
    data, cache = LARGE[1].read_bytes(), StageCache(700_000_000)

    def shown(marks: dict[str, Any]) -> None:
        r = Render(data, "large", WHITE, Marks.model_validate(marks), cache=cache, digest="large")
        r.picture(FIT, r.whole(FIT))

    bare = Render(data, "large", WHITE, cache=cache, digest="large")
    bare.picture(FIT, bare.whole(FIT))
    bare.part(1.0, Region(0, 8, 0, 8))
    size = (bare.framing.width, bare.framing.height)
    times: dict[str, list[float]] = {}
    for k in range(_PLACES):
        for name, entry in _strokes(0.42 + 0.03 * k, 0.5, size).items():
            times.setdefault(name, []).append(_milliseconds(lambda entry=entry: shown({"mend": {"entries": [entry]}})))  # type: ignore[misc]
        # The same tile anew under another white point: what a dragged slider costs.
        times.setdefault("a white point", []).append(_milliseconds(lambda k=k: shown({"lift": {"white_point": 220 + k}})))  # type: ignore[misc]
    plain = statistics.median(times["a white point"][1:])
    medians = {name: statistics.median(values[1:]) for name, values in times.items()}
    rows = [[name, f"{value:.0f}", f"{value / plain:.1f}"] for name, value in medians.items()]
    show("A stroke on 24 megapixels, fitted to the window", ["", "ms", "times a white point"], rows)
    return {f"mend: {name}, times a white point": value / plain for name, value in medians.items() if name != "a white point"}


def _spot() -> dict[str, float]:
    """A spot of 200 px at full size, and all dust."""
    data, cache = LARGE[1].read_bytes(), StageCache(700_000_000)

    def filled(x: float) -> None:
        area = {"shape": "stroke", "size": 200 / 6000, "points": [[x, 0.5]]}
        marks = Marks.model_validate({"mend": {"entries": [{"kind": "fill", "area": area, "by": "pieces"}]}})
        r = Render(data, "large", WHITE, marks, cache=cache, digest="large")
        left, top = round(6000 * x) - 200, round(0.5 * r.framing.height) - 200
        r.picture(1.0, Region(top, top + 400, left, left + 400))

    filled(0.4)
    seconds = statistics.median(_milliseconds(lambda x=x: filled(x)) / 1000 for x in (0.45, 0.5, 0.55))  # type: ignore[misc]
    render = Render(data, "large", WHITE, cache=cache, digest="large")
    render.part(1.0, render.whole(1.0))
    render.coverage(render.analysis_scale, render.whole(render.analysis_scale))
    dust = _milliseconds(lambda: render.dust) / 1000
    rows = [["a spot of 200 px filled with pieces", f"{seconds:.2f}"], ["dust looked for on 24 megapixels", f"{dust:.2f}"]]
    show("Fill and dust", ["", "s"], rows)
    return {"mend: fill of a 200 px spot, s": seconds}


def run() -> dict[str, float]:
    return _brushes() | _spot()
