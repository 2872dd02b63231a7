"""How quality holds on photos that went through other hands, or were lit and laid otherwise: noisy, made quiet, exposed anew, on a
table, sharpened, made small, packed hard; and on products that bear print as pale as the paper.

The demo's photos, each of these done to them; truth stays what it was.
"""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
import simplejpeg
from numpy.typing import NDArray

from bench.quality import FAILED, photos, unit
from bench.score import score
from bench.table import show
from yardchalk.core.codecs import decode_photo
from yardchalk.core.colour import Float, decode, encode
from yardchalk.core.deliver import produce
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet, load_spec

# Coded values 0..1 (h, w, 3), and true coverage 0..1 (h, w), to what became of the first.
Handling = Callable[[Float, Float], Float]
Codes = NDArray[np.uint8]

_SLOPE = 0.35  # radians; of a crease


def _noisy(levels: float) -> Handling:
    """With noise of so many coded levels, spread over neighbours as a camera's development does."""

    def handle(codes: Float, truth: Float) -> Float:
        noise = cv2.GaussianBlur(np.random.default_rng(1).standard_normal(codes.shape, np.float32), (0, 0), 0.8)
        return codes + noise * np.float32(levels / 255 / noise.std())

    return handle


def _out_of_focus(blur: float) -> Handling:
    """Blurred by so many px, with the noise that a camera adds after that; the product's coverage is as blurred."""

    def handle(codes: Float, truth: Float) -> Float:
        return _noisy(1)(encode(cv2.GaussianBlur(decode(codes), (0, 0), blur)), truth)

    return handle


def _sharpened(radius: float, amount: float) -> Handling:
    return lambda codes, truth: codes + np.float32(amount) * (codes - cv2.GaussianBlur(codes, (0, 0), radius))


def _resized(share: float) -> Handling:
    way = cv2.INTER_AREA if share < 1 else cv2.INTER_CUBIC
    return lambda codes, truth: cv2.resize(codes, None, fx=share, fy=share, interpolation=way)


def _burnt(share: float, alone: bool = False) -> Handling:
    """Exposed so that this share of the backdrop burns out; `alone`: by lamps of its own, so that the product is as it was."""

    def handle(codes: Float, truth: Float) -> Float:
        light = decode(codes)
        more = 1 / np.quantile(light[truth < 0.01].mean(1), 1 - share)
        lit = truth[..., None] if alone else 0
        return encode(np.minimum(light * (lit + (1 - lit) * np.float32(more)), 1))

    return handle


def _with_bars(left: float, top: float, level: float) -> Handling:
    """With bars of that level to the left and right, and above and below, as wide as shares of the photo's width and height."""

    def handle(codes: Float, truth: Float) -> Float:
        h, w = truth.shape
        across, down = round(left * w), round(top * h)
        out = np.full_like(codes, level)
        out[down : h - down, across : w - across] = codes[down : h - down, across : w - across]
        return out

    return handle


def _creased(depth: float, ridge: float = 0.0, tone: float = 0.0) -> Handling:
    """With a crease behind the product: that share of light less along it, more beside it, and less all beyond it."""

    def handle(codes: Float, truth: Float) -> Float:
        y, x = np.mgrid[: truth.shape[0], : truth.shape[1]]
        middle = [float(axis[truth > 0.5].mean()) for axis in (x, y)]
        beside = (y - middle[1]) * np.cos(_SLOPE) - (x - middle[0]) * np.sin(_SLOPE)
        factor = 1 - depth * np.exp(-(beside**2) / 4) + ridge * np.exp(-((beside - 4) ** 2) / 12) - tone * (beside > 0)
        return encode(np.minimum(decode(codes) * (truth + (1 - truth) * factor)[..., None], 1)).astype(np.float32)

    return handle


def _lit(lamps: Callable[[Float, Float], NDArray[np.floating]]) -> Handling:
    """By other lamps: what gives their light, (h, w, 1) or (h, w, 3), at places across and down, -0.5..0.5."""

    def handle(codes: Float, truth: Float) -> Float:
        h, w = truth.shape
        y, x = np.mgrid[:h, :w].astype(np.float32)
        return encode(np.minimum(decode(codes) * lamps(x / w - 0.5, y / h - 0.5), 1)).astype(np.float32)

    return handle


def _shadowed(codes: Float, truth: Float) -> Float:
    """With the shadow that a small lamp at the upper left throws on the paper: as deep all over, with a border."""
    h, w = truth.shape
    onto = np.array([[1, 0, 0.05 * w], [0, 1, 0.02 * h]], np.float32)
    thrown = cv2.GaussianBlur(cv2.warpAffine(truth, onto, (w, h)), (0, 0), 2.5) * (1 - truth)
    return encode(decode(codes) * (1 - 0.45 * thrown[..., None])).astype(np.float32)


def _on_a_table(codes: Float, truth: Float) -> Float:
    """On paper that ends right of the product, on a table of dark wood that lies in the same light."""
    h, w = truth.shape
    y, x = np.mgrid[:h, :w].astype(np.float32)
    edge = 0.5 * (w + np.flatnonzero((truth > 0.02).any(0)).max())
    share = (1 - truth) / (1 + np.exp(np.clip(edge - x + 0.1 * (y - h / 2), -30, 30)))
    grain = cv2.GaussianBlur(np.random.default_rng(1).standard_normal((h, w), np.float32), (0, 0), sigmaX=30, sigmaY=1.2)
    wood = np.clip(np.array([0.2, 0.11, 0.06], np.float32) * (1 + 4 * grain)[..., None], 0.005, 1)
    light = decode(codes)
    return encode(np.clip(light + share[..., None] * (light.mean(2, keepdims=True) * wood - light), 0, 1)).astype(np.float32)


def _placed(values: Float, share: float, room: int = 1) -> Float:
    """Made so small, in the middle of a frame so many times as large as it was, with 0 round it."""
    small = values if share == 1 else cv2.resize(values, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    out = np.zeros((room * values.shape[0], room * values.shape[1], *values.shape[2:]), values.dtype)
    top, left = ((whole - part) // 2 for whole, part in zip(out.shape, small.shape[:2], strict=False))
    out[top : top + small.shape[0], left : left + small.shape[1]] = small
    return out


def _laid_on(colour: tuple[float, float, float], share: float = 1.0, room: int = 1) -> Handling:
    """On paper of that linear light, that falls off to a corner, with a soft shadow where the product stands and a camera's noise.

    `share`: of its size that the product is made to have. `room`: times as large a frame, in px.
    """

    def handle(codes: Float, truth: Float) -> Float:
        # Here, since its threads do not outlive a fork.
        from pymatting import estimate_foreground_ml

        product = estimate_foreground_ml(decode(codes).astype(float), truth.astype(float)).astype(np.float32)
        product *= truth[..., None]
        reach = 0.012 * truth.shape[0] * share
        product, truth = _placed(product, share, room), _placed(truth, share, room)
        h, w = truth.shape
        y, x = np.mgrid[:h, :w].astype(np.float32)
        shadow = cv2.GaussianBlur(np.roll(truth, round(reach), 0), (0, 0), reach)
        paper = np.array(colour, np.float32) * ((1 - 0.3 * (0.7 * x / w + 0.3 * y / h)) * (1 - 0.5 * shadow))[..., None]
        light = cv2.GaussianBlur(product + (1 - truth[..., None]) * paper, (0, 0), 0.6)
        noise = np.random.default_rng(1).standard_normal(light.shape, np.float32)
        return encode(np.clip(light + 0.006 * np.sqrt(light + 0.002) * noise, 0, 1)).astype(np.float32)

    return handle


def _lettering(mask: Codes, x: int, y: int, reach: float) -> None:
    size, thick = reach / 55, max(1, round(reach / 22))
    (width, height), _ = cv2.getTextSize("500 g", cv2.FONT_HERSHEY_DUPLEX, size, thick)
    cv2.putText(mask, "500 g", (x - width // 2, y + height // 2), cv2.FONT_HERSHEY_DUPLEX, size, 255, thick, cv2.LINE_AA)


def _patch(mask: Codes, x: int, y: int, reach: float) -> None:
    half = round(0.65 * reach)
    cv2.rectangle(mask, (x - half, y - half // 2), (x + half, y + half // 2), 255, -1)


def _with_print(draw: Callable[[Codes, int, int, float], None], inks: list[tuple[float, float, float]]) -> Handling:
    """With that where the product is broadest, in inks that give back so much of the light that paper does, lit as the product is."""

    def handle(codes: Float, truth: Float) -> Float:
        light, least = decode(codes), 8
        solid = cv2.erode((truth > 0.995).view(np.uint8), np.ones((9, 9), np.uint8))
        room = cv2.distanceTransform(solid, cv2.DIST_L2, 5)
        if room.max() < least:
            return codes
        there, reach = solid.astype(np.float32), 0.03 * solid.shape[1]
        lit = cv2.GaussianBlur(light.mean(2) * there, (0, 0), reach) / np.maximum(cv2.GaussianBlur(there, (0, 0), reach), 1e-3)
        lit = np.clip(lit / np.quantile(lit[solid > 0], 0.85), 0.4, 1.1) * np.median(light[truth < 0.01])
        for ink in inks:
            y, x = (int(v) for v in np.unravel_index(room.argmax(), room.shape))
            mask, free = np.zeros(solid.shape, np.uint8), round(room[y, x])
            if free < least:
                break
            draw(mask, x, y, free)
            share = (cv2.GaussianBlur(mask * solid, (0, 0), 0.8) / np.float32(255))[..., None]
            light = light * (1 - share) + np.array(ink, np.float32) * lit[..., None] * share
            room[max(0, y - free) : y + free, max(0, x - free) : x + free] = 0
        return encode(np.minimum(light, 1)).astype(np.float32)

    return handle


_WHITE, _PASTEL = [(0.92, 0.92, 0.92)] * 3, [(0.95, 0.8, 0.78), (0.8, 0.92, 0.82), (0.8, 0.87, 0.96)]

_BLURS = 1.5, 3.0  # px
_SHARES = {"small in the frame": 0.35}
_ROOMS = {"small in a large photo": 3}
_FOCUS = {f"out of focus by {blur:g} px": blur for blur in _BLURS}

# By name: what is done, and the JPEG's quality.
HANDLINGS: dict[str, tuple[Handling, int]] = {
    "as they are": (lambda codes, truth: codes, 97),
    "noise of 2.5 levels": (_noisy(2.5), 92),
    "noise of 5 levels": (_noisy(5), 92),
    "made quiet": (lambda codes, truth: cv2.bilateralFilter(codes, 7, 12 / 255, 3), 92),
    "half the exposure": (lambda codes, truth: encode(decode(codes) / 2), 92),
    "burnt out by half": (_burnt(0.5), 92),
    "backdrop burnt out by half": (_burnt(0.5, alone=True), 92),
    "backdrop burnt out": (_burnt(0.95, alone=True), 92),
    "in a black frame": (_with_bars(0.006, 0.006, 0), 92),
    "white to left and right": (_with_bars(0.03, 0, 1), 92),
    "a faint crease": (_creased(0.1, 0.04), 92),
    "a crease": (_creased(0.25, 0.1), 92),
    "two sheets": (_creased(0.3, tone=0.1), 92),
    "darker to the corners": (_lit(lambda x, y: (1 - 0.9 * (x * x + y * y))[..., None]), 92),
    "darker to the right": (_lit(lambda x, y: np.exp(-1.1 * (x + 0.5))[..., None]), 92),
    "lamps of two hues": (_lit(lambda x, y: np.stack([0.87 - 0.25 * x, np.full_like(x, 0.95), 0.85 + 0.3 * x], axis=-1)), 92),
    "a hard shadow": (_shadowed, 92),
    "on a table": (_on_a_table, 92),
    **{name: (_laid_on((0.75, 0.75, 0.74), share), 92) for name, share in _SHARES.items()},
    **{name: (_laid_on((0.75, 0.75, 0.74), room=room), 92) for name, room in _ROOMS.items()},
    "on grey paper": (_laid_on((0.18, 0.18, 0.18)), 92),
    "on black paper": (_laid_on((0.008, 0.008, 0.008)), 92),
    "on red paper": (_laid_on((0.45, 0.05, 0.05)), 92),
    "on navy paper": (_laid_on((0.008, 0.02, 0.08)), 92),
    "more contrast": (lambda codes, truth: codes + 0.12 * np.sin(2 * np.pi * (codes - 0.5)).astype(np.float32), 92),
    **{name: (_out_of_focus(blur), 92) for name, blur in _FOCUS.items()},
    "sharpened by 1 px": (_sharpened(1.0, 1.2), 92),
    "sharpened by 2 px": (_sharpened(2.0, 1.5), 92),
    "white lettering": (_with_print(_lettering, _WHITE), 92),
    "white patches": (_with_print(_patch, _WHITE), 92),
    "pastel patches": (_with_print(_patch, _PASTEL), 92),
    "half the size": (_resized(0.5), 90),
    "enlarged to 150 %": (_resized(1.5), 92),
    "JPEG of quality 75": (lambda codes, truth: codes, 75),
    "JPEG of quality 60": (lambda codes, truth: codes, 60),
}


def handled(photo: Path, truth: Path, name: str) -> bytes:
    """A photo after one of `HANDLINGS`, JPEG with half the resolution of colour."""
    handle, quality = HANDLINGS[name]
    pixels: Float = decode_photo(photo.read_bytes(), photo.stem).pixels.astype(np.float32) / np.float32(255)
    codes = np.rint(np.clip(handle(pixels, unit(truth)), 0, 1) * 255).astype(np.uint8)
    return simplejpeg.encode_jpeg(np.ascontiguousarray(codes), quality, "RGB", "420")


def scored(matte: Float, truth: Path, name: str) -> dict[str, float]:
    """Figures of a matte (h, w) that was found in a photo after one of `HANDLINGS`."""
    alpha, (h, w), room = unit(truth), matte.shape, _ROOMS.get(name, 1)
    if name in _FOCUS:
        alpha = cv2.GaussianBlur(alpha, (0, 0), _FOCUS[name])
    if name in _SHARES:
        alpha = _placed(alpha, _SHARES[name])
    if room > 1:
        alpha = _placed(alpha, 1, room)
    alpha = np.clip(cv2.resize(alpha, (w, h), interpolation=cv2.INTER_AREA if h < alpha.shape[0] else cv2.INTER_CUBIC), 0, 1)
    figures = score(matte, alpha)
    # As in the frame that the product was in: paper on which nothing is found is no merit.
    return figures | {"mse": figures["mse"] * room**2}


def measure(photo: Path, truth: Path, name: str) -> tuple[dict[str, float], bool]:
    """Figures of a photo after one of `HANDLINGS`, and whether there is a finding to look at or to fix."""
    cv2.setNumThreads(1)
    render = Render(handled(photo, truth, name), photo.stem, load_sheet("transparent"))
    done = produce(render, load_spec("cutout"), whole_frame=True, matte=True)
    assert done.matte is not None
    matte = (decode_photo(done.matte, "matte").pixels[..., 0] / 255).astype(np.float32)
    return scored(matte, truth, name), any(f.severity != "note" for f in done.findings)


def run() -> dict[str, float]:
    pairs = photos("demo")
    jobs = [(*pair, name) for name in HANDLINGS for pair in pairs]
    with ProcessPoolExecutor() as pool:
        measured = list(pool.map(measure, *zip(*jobs, strict=True)))
    by_name = {name: measured[i * len(pairs) : (i + 1) * len(pairs)] for i, name in enumerate(HANDLINGS)}
    rows, figures = [], {}
    for name, each in by_name.items():
        errors = np.array([found["mse"] for found, _ in each])
        failed = [said for found, said in each if found["iou"] < FAILED]
        rows.append([name, f"{np.median(errors):.2f}", f"{errors.mean():.2f}", str(len(failed)), str(failed.count(False))])
        figures[f"handled: {name}, mean mse"] = float(errors.mean())
    head = ["demo photos", "mse median", "mse mean", f"iou under {FAILED}", "of them not said"]
    show("Photos that went through other hands", head, rows)
    table = [[photo.stem, *(f"{by_name[name][i][0]['mse']:.2f}" for name in HANDLINGS)] for i, (photo, _) in enumerate(pairs)]
    show("The same, mse by photo", ["photo", *HANDLINGS], table)
    return figures
