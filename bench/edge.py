"""The band alone: given the same ideal trimap, ours against closed-form and nearest-neighbour matting with multi-level foreground.

The trimap is truth's: what is partly covered, dilated by 8 px, is unknown. All in one run, so that the ratios are fair.
"""

from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context
from pathlib import Path

import cv2
import numpy as np

from bench.quality import coded_truth, photos, unit
from bench.score import edge_difference, score
from bench.table import show
from yardchalk.core.backdrop import fit_backdrop
from yardchalk.core.close_look import look_closely
from yardchalk.core.codecs import decode_photo
from yardchalk.core.colour import Float, Mask
from yardchalk.core.compose import cut_out
from yardchalk.core.regions import disc
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet
from yardchalk.core.stages.balance import Gains
from yardchalk.core.stages.edge.describe import describe_band
from yardchalk.core.stages.edge.matte import BandSettings
from yardchalk.core.stages.edge.solve import solve_between
from yardchalk.core.stages.edge.weigh import refine
from yardchalk.core.stages.lift import make_tone

FINE = ("bottle-brush", "cooling-rack")  # bristles and wires; all others are solid
LEFT_OUT = ("leaf-block-print", "teacup-icon")  # ink has no sure product; drawn flat, no lens
_HALF = 10.0  # px; half of how wide such a band is


def trimap(alpha: Float) -> Float:
    """0 sure backdrop, 1 sure product, 0.5 unknown."""
    unknown = cv2.dilate(((alpha > 0) & (alpha < 1)).astype(np.uint8), disc(17)) > 0
    return np.where(unknown, np.float32(0.5), (alpha >= 0.5).astype(np.float32))


def ours(photo: Path, pixels: np.ndarray, known: Float) -> tuple[Float, np.ndarray]:
    """Coverage, and the cut-out as a page gets it, RGBA 0..1: as on any photo, but held to the trimap."""
    h, w = known.shape
    light = fit_backdrop(pixels).light(w, h)
    core, backdrop = known == 1, known == 0
    look = Render(photo.read_bytes(), photo.stem, load_sheet("transparent")).second_look.enlarged((h, w))
    first = look_closely(pixels, light, _held(np.where(look.product, look.coverage, np.float32(0)), core, backdrop))
    everywhere = np.ones(known.shape, bool)
    matte = solve_between(pixels, core, backdrop, _held(first, core, backdrop), light, BandSettings(width=_HALF), settled=everywhere)
    solution = describe_band(pixels, replace(matte, looked=everywhere), light)
    cut = refine(solution, pixels, (w, h), 0, 0)
    rgba = cut_out(pixels, np.ones((1, 1), np.float32), make_tone(None, Gains()), cut, for_pages=True)
    return cut.alpha, (rgba / np.float32(255)).astype(np.float32)


def _held(alpha: Float, core: Mask, backdrop: Mask) -> Float:
    return np.where(core, np.float32(1), np.where(backdrop, np.float32(0), alpha))


def theirs(pixels: np.ndarray, known: Float, solver: str) -> tuple[Float, np.ndarray]:
    from pymatting import estimate_alpha_cf, estimate_alpha_knn, estimate_foreground_ml

    image = pixels / 255.0
    alpha = (estimate_alpha_cf if solver == "closed form" else estimate_alpha_knn)(image, known.astype(np.float64))
    alpha = np.clip(alpha, 0, 1)
    colour = estimate_foreground_ml(image, alpha)
    return alpha.astype(np.float32), np.dstack([np.clip(colour, 0, 1), alpha]).astype(np.float32)


def measure(paths: tuple[Path, Path]) -> tuple[str, dict[str, list[float]]]:
    photo, truth = paths
    cv2.setNumThreads(1)
    pixels = decode_photo(photo.read_bytes(), photo.stem).pixels
    alpha = unit(truth)
    known = trimap(alpha)
    colour = truth.with_name(f"{photo.stem}_Fcast.png")
    out = {}
    for name in ("ours", "closed form", "nearest neighbours"):
        matte, rgba = ours(photo, pixels, known) if name == "ours" else theirs(pixels, known, name)
        d = edge_difference(rgba, alpha, unit(colour), coded_truth(colour))
        out[name] = [score(matte, alpha)["mse"], d["dE_white"], d["dE_black"]]
    return photo.stem, out


def run() -> dict[str, float]:
    chosen = [p for p in photos("demo") if not p[0].stem.endswith(LEFT_OUT)]
    # PyMatting's threads do not outlive a fork.
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        rows = list(pool.map(measure, chosen))
    names = list(rows[0][1])
    show(
        "The band alone, ideal trimap: alpha mse x 1000, edge ΔE00 on white, on black",
        ["", *(f"{name} {what}" for name in names for what in ("mse", "white", "black"))],
        [[stem, *(f"{v:.2f}" for name in names for v in by[name])] for stem, by in rows],
    )
    out: dict[str, float] = {}
    for kind, fine in (("solid", False), ("fine", True)):
        some = [by for stem, by in rows if stem.endswith(FINE) == fine]
        for i, what in enumerate(("alpha mse", "edge on white", "edge on black")):
            best = np.mean([min(by["closed form"][i], by["nearest neighbours"][i]) for by in some])
            out[f"band alone, {kind}, {what}, times the better of theirs"] = float(np.mean([by["ours"][i] for by in some]) / best)
    return out
