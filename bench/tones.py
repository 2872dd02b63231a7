"""Balance against a known neutral, and the pass of all tones against a plain look-up."""

import json
import statistics
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from bench.speed import LARGE
from bench.table import show
from yardchalk.core.codecs import decode_photo
from yardchalk.core.compose import toned
from yardchalk.core.errors import UnusableSample
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.settings import BalanceMarks, LiftMarks, Marks, load_sheet
from yardchalk.core.stages.balance import cast_of, gains_for, keeping_lightness, take_sample
from yardchalk.core.stages.lift import make_tone

ROOT = Path(__file__).resolve().parents[1]
AS_SHOT = LiftMarks(even=0, white_point=255)


def _left(photo: Path, data: bytes, patch: Region, gains: tuple[float, float]) -> float:
    """The cast of the patch in the balanced photo, from its 8-bit pixels, ΔE00."""
    marks = Marks(balance=BalanceMarks(red=gains[0], blue=gains[1]), lift=AS_SHOT)
    return take_sample(Render(data, photo.stem, load_sheet("white"), marks).toned(1.0, patch)).cast


def _neutral() -> dict[str, float]:
    rows, lefts = [], []
    for photo in sorted((ROOT / "demo" / "photos").glob("*.jpg")):
        at = json.loads((ROOT / "bench" / "truth" / f"{photo.stem}.json").read_text()).get("neutral_patch")
        if not at:
            rows.append([photo.stem, "no patch", "", "", ""])
            continue
        x, y, w, h = at
        data, patch = photo.read_bytes(), Region(y, y + h, x, x + w)
        render = Render(data, photo.stem, load_sheet("white"))
        try:
            sample = take_sample(render.part(1.0, patch).pixels)
        except UnusableSample as refused:
            rows.append([photo.stem, f"refused: {refused.what.partition(chr(58))[0]}", "", "", ""])
            continue
        left = _left(photo, data, patch, gains_for(sample.light))
        backdrop = cast_of(sample.light, keeping_lightness(*gains_for(render.backdrop_light)))
        lefts.append(left)
        rows.append([photo.stem, f"{sample.cast:.2f}", f"{sample.spread:.2f}", f"{left:.2f}", f"{backdrop:.2f}"])
    show("A known neutral, ΔE00 from grey", ["", "as shot", "spread", "balanced by touching it", "balanced by the backdrop"], rows)
    return {"neutral patch after balancing, worst ΔE00": max(lefts)}


def _pass() -> dict[str, float]:
    pixels = decode_photo(LARGE[0].read_bytes(), "large").pixels
    tone = make_tone(None, keeping_lightness(1.1, 0.9), white=235, black=6, mid=1.1, curve=((64, 70), (192, 200)))
    table = np.random.default_rng(1).integers(0, 256, (256, 1, 3), np.uint8)
    factors = np.ones((1, 1), np.float32)

    def seconds(what: Callable[[], object]) -> float:
        began = time.process_time()
        what()
        return time.process_time() - began

    ratios = [seconds(lambda: toned(pixels, factors, tone)) / seconds(lambda: cv2.LUT(pixels, table)) for _ in range(9)]
    ratio = statistics.median(ratios[1:])
    show(
        "All tones in one pass over 24 megapixels",
        ["", "times a plain look-up"],
        [["balance, black, white, mid-tone, curve", f"{ratio:.2f}"]],
    )
    return {"tones, times a plain look-up": ratio}


def run() -> dict[str, float]:
    return _neutral() | _pass()
